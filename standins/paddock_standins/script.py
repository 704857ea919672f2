"""What a stand-in does with the command of a bring-up sheet: the steps of the script, with the real agent's own code.

The command is taken apart as a shell would run it: the pass goes into the environment, the script is fetched from the
real server, its checksum is compared, and the choices at its head are read. Only the package installation is not done:
the package is fetched and its hash compared, and then it counts as installed.
"""

from __future__ import annotations

import asyncio
import hashlib
import json
import re
import urllib.error
import urllib.request
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from paddock_agent import agent_service, identity
from paddock_agent.errors import AgentError
from paddock_agent.preflight import Plan, is_fit, preflight, verdict
from paddock_agent.preflight.plan import HOMES, PREFIXES, SUPERVISORS, Supervisor
from paddock_agent.replacing import no_longer_replaced, wait_for_jobs
from paddock_agent.steps import Reporter, tell_known

from .machine import Machine

Tell = Callable[[str], None]


class ScriptFailed(Exception):
    """The command cannot be run, or the script gave up; the sentence says why."""


@dataclass(frozen=True)
class Command:
    """A sheet's command, taken apart."""

    secret: str
    address: str
    sha256: str


def parsed(text: str) -> Command:
    """Reads a sheet's command, of either shell. Raises ScriptFailed."""
    secret = re.search(r"PADDOCK_PASS\s*=\s*'?([\w-]+)", text)
    address = re.search(r"https?://[^\s'\"]+/install/paddock\.(?:sh|ps1)[^\s'\"]*", text)
    checksum = re.search(r"\b[0-9A-Fa-f]{64}\b", text)
    if not (secret and address and checksum):
        raise ScriptFailed("This is not the command of a bring-up sheet: it lacks a pass, a script or a checksum.")
    return Command(secret.group(1), address.group(0), checksum.group(0).lower())


async def run_command(machine: Machine, text: str, tell: Tell) -> None:
    """Follows a sheet's command to its end. Raises ScriptFailed or AgentError."""
    command = parsed(text)
    wanted = "ps1" if machine.description.family == "windows" else "sh"
    if not re.search(rf"paddock\.{wanted}\b", command.address):
        raise ScriptFailed(f"This machine's shell does not run the script of {command.address}.")
    script = await asyncio.to_thread(_fetched, command.address)
    if hashlib.sha256(script).hexdigest() != command.sha256:
        raise ScriptFailed("paddock.sh: FAILED. The checksum is not the one that the sheet names.")
    tell(f"paddock.{wanted}: OK")
    await _follow(machine, choices(script.decode()), command.secret, tell)


def choices(script: str) -> dict[str, str]:
    """The variables that the script sets at its head, of either shell."""
    found = re.findall(r"""^(?:\$env:)?(PADDOCK_\w+)\s*=\s*'([^'\n]*)'""", script, re.MULTILINE)
    return dict(found)


async def _follow(machine: Machine, chosen: dict[str, str], secret: str, tell: Tell) -> None:
    one, server = machine.description, chosen["PADDOCK_SERVER"]
    reporter = Reporter(server, chosen.get("PADDOCK_SHEET", ""), one.name)
    supervisor: Supervisor = next((kind for kind in SUPERVISORS if kind == chosen.get("PADDOCK_SUPERVISOR")), "service")

    async def report(step: str, mark: str, found: str = "", remedy: Sequence[str] = (), **more: Any) -> None:
        await asyncio.to_thread(reporter.tell, step, mark, found, remedy, **more)

    plan = Plan(
        server=server, secret=secret, sheet=reporter.sheet, name=chosen.get("PADDOCK_NAME", ""), supervisor=supervisor,
        account=chosen.get("PADDOCK_USER", ""), home=HOMES[one.family], prefix=PREFIXES[one.family],
        work_folder=chosen.get("PADDOCK_WORK") or one.work_folder, slots=int(chosen.get("PADDOCK_SLOTS") or 0),
        system=chosen.get("PADDOCK_SYSTEM", ""), arch=chosen.get("PADDOCK_ARCH", ""),
    )  # fmt: skip
    await report("preflight", "begun")
    checks = await preflight(machine.system, plan)
    fit = is_fit(checks)
    for check in checks:
        for line in check.lines():
            tell(line)
    await report("preflight", *verdict(checks), checks=[check.as_json() for check in checks])
    if not fit:
        raise ScriptFailed("Nothing was changed: what is missing above has to be mended first.")

    await report("install", "begun")
    version = chosen["PADDOCK_VERSION"]
    await asyncio.to_thread(_fetch_package, server)
    tell(f"Installed the agent {version} into {plan.prefix}")
    await report("install", "done", f"{plan.prefix}, version {version}")

    is_there = machine.has_joined
    if not is_there:
        labels = [label for label in chosen.get("PADDOCK_LABELS", "").split(",") if label]
        known = await machine.join(server, secret, name=plan.name, labels=labels, slots=plan.slots, sheet=plan.sheet)
        tell(f"Joined {known.paddock} as {known.host}")
    else:
        tell("This machine has joined before; its key stays.")
        await asyncio.to_thread(tell_known, machine.home, reporter)
    if plan.supervisor == "by hand":
        machine.start_agent()
        return
    await report("service", "begun")
    try:
        if is_there:
            await wait_for_jobs(machine.home, tell, lambda _: machine.running_attempts())
        found = await machine.install_service(plan.account, at_login=plan.supervisor == "log-in")
        no_longer_replaced(machine.home)
    except AgentError as error:
        await report("service", "failed", str(error), error.remedy)
        raise
    tell("\n".join([found.sentence, *(f"  do: {one}" for one in found.remedy)]))
    await report("service", "done" if found.is_well else "failed", found.sentence, found.remedy)
    if not found.is_well:
        raise ScriptFailed("The service does not run yet.")


def _fetched(address: str) -> bytes:
    try:
        with urllib.request.urlopen(address, timeout=30) as answer:  # noqa: S310 - http or https, see parsed
            return bytes(answer.read(1024 * 1024))
    except (OSError, urllib.error.HTTPError) as error:
        raise ScriptFailed(f"{address} cannot be fetched: {error}") from None


def _fetch_package(server: str) -> None:
    asked = urllib.request.Request(  # noqa: S310 - the server that the machine joins
        f"{server}/install/simple/yellow-paddock-agent/", headers={"Accept": "application/vnd.pypi.simple.v1+json"}
    )
    with urllib.request.urlopen(asked, timeout=30) as answer:  # noqa: S310
        file = json.load(answer)["files"][-1]
    if hashlib.sha256(_fetched(server + file["url"])).hexdigest() != file["hashes"]["sha256"]:
        raise ScriptFailed("The package came with the wrong hash.")


async def service_command(machine: Machine, verb: str, account: str) -> str:
    """``paddock-agent service VERB`` on that machine, and how its service is then. Raises AgentError."""
    if verb == "install":
        found = await machine.install_service(
            account, secret=machine.description.accounts.get(account.removeprefix(".\\"), "")
        )
        return "\n".join([found.sentence, *(f"  do: {one}" for one in found.remedy)])
    name = agent_service.name_on(machine.system, identity.load(machine.home))
    manager = await agent_service.manager_at_work(machine.system)
    if verb in ("start", "stop", "restart", "uninstall"):
        agent_service.mark_stopped(machine.system, identity.load(machine.home), verb == "stop")
        await getattr(manager, verb)(name)
    state = await manager.state(name)
    return f"{state.name}: {agent_service.described(state)}"
