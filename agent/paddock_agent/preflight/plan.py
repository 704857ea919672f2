"""What is to be brought up here: read from options, or from the environment for unattended use."""

from __future__ import annotations

import argparse
import os
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from ..system import System
from ..system.port import Family

Supervisor = Literal["service", "log-in", "by hand"]
SUPERVISORS: tuple[Supervisor, ...] = ("service", "log-in", "by hand")

HOMES: dict[Family, str] = {
    "linux": "/var/lib/paddock-agent",
    "macos": "/usr/local/var/paddock-agent",
    "windows": r"C:\ProgramData\paddock-agent",
}
"""The agent's own folder where it is installed for the whole machine."""
WATCH_HOMES: dict[Family, str] = {
    "linux": "/var/lib/paddock-watch",
    "macos": "/usr/local/var/paddock-watch",
    "windows": r"C:\ProgramData\paddock-watch",
}
"""Where the watches of a machine's agents have their folders: closed to the accounts that jobs run under."""
PREFIXES: dict[Family, str] = {
    "linux": "/opt/paddock",
    "macos": "/opt/paddock",
    "windows": r"C:\Program Files\Paddock",
}
"""Where its program goes."""


@dataclass(frozen=True)
class Plan:
    """What is asked for. ``account`` "" is the service's own; ``slots`` 0 the default; ``secret`` is the entry pass."""

    server: str
    secret: str = ""
    sheet: str = ""
    name: str = ""
    supervisor: Supervisor = "service"
    account: str = ""
    home: str = ""
    prefix: str = ""
    work_folder: str = ""
    slots: int = 0
    system: str = ""
    arch: str = ""


def add_options(parser: argparse.ArgumentParser, environment: Mapping[str, str]) -> None:
    """The options of a plan; each has its environment variable."""
    for name, variable, text in (
        ("--server", "PADDOCK_SERVER", "the server's address, as http://paddock:8200"),
        ("--name", "PADDOCK_NAME", "the host's name (default: the machine's own)"),
        ("--user", "PADDOCK_USER", "the account of the service (default: one of its own)"),
        ("--home", "PADDOCK_AGENT_HOME", "the agent's own folder"),
        ("--prefix", "PADDOCK_PREFIX", "where its program goes"),
        ("--work", "PADDOCK_WORK", "the folder in which jobs run"),
        ("--sheet", "PADDOCK_SHEET", "the code of the bring-up sheet to report to"),
        ("--system", "PADDOCK_SYSTEM", "the system that is expected here"),
        ("--arch", "PADDOCK_ARCH", "the processor that is expected here"),
    ):
        parser.add_argument(name, default=environment.get(variable, ""), help=f"{text} ({variable})")
    parser.add_argument("--slots", type=int, default=int(environment.get("PADDOCK_SLOTS") or 0), help="(PADDOCK_SLOTS)")
    parser.add_argument(
        "--supervisor",
        choices=SUPERVISORS,
        default=environment.get("PADDOCK_SUPERVISOR") or "service",
        help="(PADDOCK_SUPERVISOR)",
    )


def home_for(system: System, prefix: str) -> str:
    """The agent's own folder: the machine's, or one beside the program for an account that may not use that."""
    own = "\\home" if system.family == "windows" else "/home"
    return HOMES[system.family] if system.is_privileged() else prefix + own


def plan_of(options: argparse.Namespace, system: System) -> Plan:
    """The plan with the family's defaults filled in. The pass comes through the environment alone."""
    family = system.family
    prefix = options.prefix or PREFIXES[family]
    by_hand = options.supervisor == "by hand"
    home = options.home or (home_for(system, prefix) if by_hand else HOMES[family])
    return Plan(
        server=options.server,
        secret=os.environ.get("PADDOCK_PASS", ""),
        sheet=options.sheet,
        name=options.name.strip(),
        supervisor=options.supervisor,
        account=options.user.strip(),
        home=home,
        prefix=prefix,
        work_folder=options.work or home + ("\\work" if family == "windows" else "/work"),
        slots=options.slots,
        system=options.system,
        arch=options.arch,
    )
