"""What a stand-in host is, read from its YAML file in ``hosts/``.

``commands`` maps the full path of an executable to its answers, by its arguments; arguments that end in ``*`` stand for
all that start so. An answer is what it prints, or a mapping of ``stdout``, ``stderr``, ``exit`` and ``seconds``.
``links`` maps a path to the one that it leads to. ``has`` lists tools, each as ``jdk 17.0.11 in /opt/jdk-17/bin``.

Every host has what ``bases/`` says for its system; with ``like`` also what another file there says, where its own lines
for a tool stand in for those of that file, and the tools that it ``lacks`` are left out.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import yaml

from paddock_agent.system.port import Family

from .answer import Answer
from .equipment import equipped, tool_of

FOLDER = Path(__file__).parent / "hosts"
BASES = Path(__file__).parent / "bases"

_UNITS = {"MB": 1024**2, "GB": 1024**3, "TB": 1024**4}


@dataclass(frozen=True)
class Description:
    """One stand-in host. Sizes in bytes."""

    name: str
    paddock: str
    family: Family
    account: str
    cores: int
    memory: int
    disk_total: int
    disk_free: int
    work_folder: str
    labels: tuple[str, ...] = ()
    slots: int = 0
    kept_by: str = ""
    agent: str = "0.1.0"
    """The version of the agent when the demo begins."""
    other_agents_fail: str = ""
    """How every other version fails here: install or start."""
    supervisor: str = "service"
    stays_at_the_gate: bool = False
    services: Mapping[str, str] = field(default_factory=dict)
    """Services beside the agent's: running or stopped."""
    up_for: float = 864_000.0
    """Seconds since it was started, when the demo begins."""
    boot_seconds: float = 12.0
    """Seconds from a magic packet until its agent starts."""
    wakes: bool = True
    """Whether a magic packet boots it at all."""
    controller: bool = False
    """Whether a controller beside it speaks Redfish."""
    is_bare: bool = False
    """No agent is on it yet: it comes in through a bring-up sheet, by the command pasted into its terminal."""
    accounts: Mapping[str, str] = field(default_factory=dict)
    """Passwords by account."""
    refuses_rights: bool = False
    """A policy of the domain keeps accounts from logging on as a service (Windows)."""
    fresh: Mapping[str, str] = field(default_factory=dict)
    """What a fresh log-in has beyond ``environment``."""
    environment: Mapping[str, str] = field(default_factory=dict)
    files: Mapping[str, str] = field(default_factory=dict)
    links: Mapping[str, str] = field(default_factory=dict)
    commands: Mapping[str, Mapping[str, Answer]] = field(default_factory=dict)
    registry: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    """Keys of the Windows registry with their values; the nameless value is ""."""


def size(text: str) -> int:
    """``"64 GB"`` in bytes."""
    number, unit = text.split()
    return int(float(number) * _UNITS[unit])


def read(file: Path) -> Description:
    """Reads one host's file."""
    given = _with_bases(yaml.safe_load(file.read_text(encoding="utf-8")))
    made = equipped(given["family"], given.pop("has", []))
    own = {
        path: {str(arguments): _answer(answer) for arguments, answer in answers.items()}
        for path, answers in given.pop("commands", {}).items()
    }
    commands = {**made.commands, **own}
    given["files"] = {**made.files, **given.get("files", {})}
    for key in ("memory", "disk_total", "disk_free"):
        given[key] = size(given[key])
    return Description(**{**given, "labels": tuple(given.get("labels", ())), "commands": commands})


def _with_bases(given: dict[str, Any]) -> dict[str, Any]:
    names = [given["family"], *([given.pop("like")] if "like" in given else [])]
    bases = [yaml.safe_load((BASES / f"{name}.yaml").read_text(encoding="utf-8")) for name in names]
    lacks, own = set(given.pop("lacks", [])), given.get("has", [])
    replaced = lacks | {tool_of(line) for line in own}
    merged: dict[str, Any] = {}
    for one in [*bases, given]:
        for key, value in one.items():
            merged[key] = {**merged.get(key, {}), **value} if isinstance(value, dict) else value
    inherited = [line for base in bases for line in base.get("has", []) if tool_of(line) not in replaced]
    return {**merged, "has": [*inherited, *own]}


def _answer(given: str | dict[str, Any]) -> Answer:
    return Answer(**given) if isinstance(given, dict) else Answer(stdout=str(given))


def all_hosts() -> list[Description]:
    """All stand-in hosts that ship, by name."""
    return [read(file) for file in sorted(FOLDER.glob("*.yaml"))]
