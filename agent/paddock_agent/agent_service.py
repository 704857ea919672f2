"""Keeping the agent running: sets it up as a service, says how that is, and takes it out again."""

from __future__ import annotations

import asyncio
import contextlib
import re
import shutil
from collections.abc import Callable
from pathlib import Path
from urllib.parse import urlsplit

from .doctor.note import FILE as NOTE
from .doctor.note import Note, note_text
from .errors import AgentError
from .identity import Identity
from .preflight.plan import WATCH_HOMES
from .replacing import no_longer_replaced, wait_for_jobs
from .services import Definition, Diagnosis, OnDemand, Repeated, ServiceManager, ServiceState, diagnose, manager_of
from .system import System
from .system.paths import paths_of, variable
from .system.port import Family
from .upgrade.for_watch import unit_name
from .upgrade.nudge import FILE as NUDGE
from .watch import STOPPED, ask_watch_key

KEPT_VARIABLES = ("SSL_CERT_FILE", "HTTPS_PROXY", "HTTP_PROXY", "NO_PROXY", "https_proxy", "http_proxy", "no_proxy")
"""What the way to the server may depend on: a service starts without what a person's shell has."""
SERVICE_VARIABLE = "PADDOCK_AGENT_SERVICE"
"""Tells the agent, where the system does not, which service it is."""


def service_name(identity: Identity, family: Family) -> str:
    """Tells server, paddock and host apart, so that one machine may serve several. Written as each system likes it."""
    server = urlsplit(identity.server).netloc
    parts = [re.sub(r"[^A-Za-z0-9.]+", "-", part) for part in (server, identity.paddock, identity.host)]
    match family:
        case "linux":
            return f"paddock-agent-{'-'.join(parts)}.service"
        case "macos":
            return f"yellow-paddock.agent.{'.'.join(parts)}"
        case "windows":
            return f"paddock-agent-{'-'.join(parts)}"


def name_on(system: System, identity: Identity) -> str:
    """The service's name on this system."""
    return service_name(identity, system.family)


async def manager_at_work(system: System) -> ServiceManager:
    """The host's service manager. Raises AgentError where there is none at work."""
    manager = manager_of(system)
    if absent := await manager.why_absent():
        raise AgentError(
            f"Nothing here can keep the agent running: {absent}. Start it by hand with `paddock-agent run`; it will be "
            "gone after a reboot."
        )
    return manager


def demand_rights(system: System, what: str) -> None:
    """Raises AgentError without root, or what Windows has for it."""
    if not system.is_privileged():
        how = "open PowerShell as administrator" if system.family == "windows" else "run it with sudo"
        who = "an administrator" if system.family == "windows" else "root"
        raise AgentError(f"{what} changes the system and needs {who}: {how}.")


async def install(
    system: System,
    identity: Identity,
    home: str,
    account: str = "",
    *,
    start: bool = True,
    at_login: bool = False,
    secret: str = "",
    now: bool = False,
    say: Callable[[str], None] = print,
) -> Diagnosis:
    """Sets the service up under ``account``, which gets the agent's folders, and starts it. With ``now``, running
    jobs are lost; otherwise it waits for them and reports through ``say``.

    Without ``account`` it stays the one that the service has; a new service gets the manager's own, which is made if it
    is not there. One that was named has to be there.
    ``secret`` is the account's password, where the system wants one. Raises AgentError for what would not work, before
    the service is written.
    """
    demand_rights(system, "Setting up a service")
    manager = await manager_at_work(system)
    name = name_on(system, identity)
    own = manager.own_account(name)
    account = account or await _account_so_far(manager, name) or own
    if account != own and (trouble := await manager.account_trouble(account)):
        sentence = trouble.sentence[0].upper() + trouble.sentence[1:]
        raise AgentError(
            f"{sentence}. Make it first, or leave out --user: the service then gets an account of its own. "
            f"To make it: {'; '.join(trouble.remedy)}",
            *trouble.remedy,
        )
    program = [system.program(), "-m", "paddock_agent", "run", "--home", home]
    folders = list(dict.fromkeys([home, identity.work_folder]))
    system.make_folder(identity.work_folder)
    await manager.prepare(account, folders, program[:3], secret)
    definition = Definition(
        name=name,
        description=f"Yellow Paddock agent: {identity.host} in {identity.paddock}, for {identity.server}",
        account=account,
        command=program,
        home=home,
        environment=_environment(system, name),
        at_login=at_login,
    )
    if start and not now and Path(home).is_dir() and await _is_at_work(manager, name):
        await wait_for_jobs(Path(home), say)
    await manager.install(definition, secret)
    mark_stopped(system, identity, False)
    if start:
        await manager.restart(definition.name)
        no_longer_replaced(Path(home))
    return diagnose(await manager.state(definition.name))


async def _is_at_work(manager: ServiceManager, name: str) -> bool:
    with contextlib.suppress(AgentError):
        return (await manager.state(name)).running == "running"
    return False


async def _account_so_far(manager: ServiceManager, name: str) -> str:
    """The account of the service as it is, "" where there is none that could still run it."""
    try:
        state = await manager.state(name)
    except AgentError:
        return ""
    if state.running == "missing" or not state.account or await manager.account_trouble(state.account):
        return ""
    return state.account


def _environment(system: System, name: str) -> dict[str, str]:
    kept = {variable_name: variable(system, variable_name) for variable_name in KEPT_VARIABLES}
    if system.family != "windows":  # there a service has the machine's PATH, and a PATH here would be instead of it
        kept["PATH"] = variable(system, "PATH")
    return {SERVICE_VARIABLE: name, **{key: value for key, value in kept.items() if value}}


async def remove(system: System, identity: Identity) -> None:
    """Takes the service out, if there is one."""
    manager = manager_of(system)
    if await manager.why_absent():
        return
    await remove_watch(system, identity)
    name = name_on(system, identity)
    if (await manager.state(name)).running != "missing":
        demand_rights(system, "Taking out a service")
        await manager.uninstall(name)


def watch_name(service: str) -> str:
    """The name of the watch of an agent's service."""
    return service.removesuffix(".service").replace("agent", "watch", 1)


def watch_folder(system: System, identity: Identity) -> str:
    """The own folder of this agent's watch."""
    folder: str = paths_of(system).join(WATCH_HOMES[system.family], watch_name(name_on(system, identity)))
    return folder


async def install_watch(system: System, identity: Identity, home: str) -> None:
    """Gets the watch a key of its own, and has the system run it again and again. ``home`` is the agent's folder.
    Raises AgentError."""
    demand_rights(system, "Setting up the watch")
    manager = await manager_at_work(system)
    key, interval, signer = await asyncio.to_thread(ask_watch_key, identity.server, identity.key)
    service, folder = name_on(system, identity), watch_folder(system, identity)
    system.make_private_folder(folder)
    try:
        account = (await manager.state(service)).account
    except AgentError:
        account = ""
    prefix = _prefix(system.program())
    note = Note(identity.server, key, identity.host, service, home, identity.work_folder, account, prefix, signer)
    system.write_text(paths_of(system).join(folder, NOTE), note_text(note), 0o600)
    await manager.set_repeated(
        Repeated(
            watch_name(service),
            f"Yellow Paddock watch: says how the agent of {identity.host} is, to {identity.server}",
            [*system.install_doctor(folder, service), "watch", "report", "--folder", folder],
            folder,
            interval,
            service,
            nudge=paths_of(system).join(home, NUDGE),
        )
    )
    await manager.set_on_demand(
        OnDemand(
            unit_name(service),
            f"Yellow Paddock upgrade: installs a new version of the agent of {identity.host}",
            system.upgrader(folder),
            [folder, *([prefix] if prefix else [])],
            service,
        )
    )


def _prefix(program: str) -> str:
    """The folder that the agent was installed into: PREFIX/current/bin/python; "" where that is not its way."""
    found = re.match(r"(.*)[/\\](?:current|agent-[^/\\]+)[/\\](?:bin|Scripts)[/\\][^/\\]+$", program)
    return found.group(1) if found else ""


async def remove_watch(system: System, identity: Identity) -> None:
    """Takes the watch out, if there is one, with its folder."""
    folder = watch_folder(system, identity)
    if system.read_text(paths_of(system).join(folder, NOTE)) is None:
        return
    demand_rights(system, "Taking out the watch")
    manager, service = manager_of(system), name_on(system, identity)
    await manager.remove_repeated(watch_name(service))
    await manager.remove_on_demand(unit_name(service))
    system.remove_folder(folder)


def mark_stopped(system: System, identity: Identity, on_purpose: bool) -> None:
    """Notes for the watch, if there is one, that the service was stopped on purpose, or is meant to run again."""
    folder = watch_folder(system, identity)
    mark = paths_of(system).join(folder, STOPPED)
    if not on_purpose:
        system.remove_file(mark)
    elif system.read_text(paths_of(system).join(folder, NOTE)) is not None:
        system.write_text(mark, "stopped with the agent's own command\n", 0o600)


def remove_files(home: Path, identity: Identity) -> list[str]:
    """Removes the agent's folder and its work folder; returns what could not be removed."""
    kept: list[str] = []
    for folder in dict.fromkeys([Path(identity.work_folder), home]):
        shutil.rmtree(folder, onerror=lambda _, path, error: kept.append(f"{path} ({error[1]})"))
    return [one for one in kept if "No such file" not in one]


def described(state: ServiceState) -> str:
    """The state and its diagnosis for a person at a terminal."""
    found = diagnose(state)
    lines = [found.sentence]
    lines += [f"  do: {command}" for command in found.remedy]
    if not found.is_well and state.evidence:
        lines += ["  its last lines in the system's log:", *(f"    {line}" for line in state.evidence)]
    return "\n".join(lines)
