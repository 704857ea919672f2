"""Keeping the agent running: sets it up as a service, says how that is, and takes it out again."""

from __future__ import annotations

import re
import shutil
import sys
from collections.abc import Sequence
from pathlib import Path
from urllib.parse import urlsplit

from .errors import AgentError, CommandFailed
from .identity import Identity
from .services import Definition, Diagnosis, ServiceManager, ServiceState, Systemd, diagnose
from .survey.places import variable
from .system import System

OWN_ACCOUNT = "paddock"
PATIENCE = 60.0


def service_name(identity: Identity) -> str:
    """Tells server, paddock and host apart, so that one machine may serve several."""
    server = urlsplit(identity.server).netloc
    parts = (server, identity.paddock, identity.host)
    return "paddock-agent-" + "-".join(re.sub(r"[^A-Za-z0-9.]+", "-", part) for part in parts) + ".service"


def manager_of(system: System) -> ServiceManager:
    """The host's service manager. Raises AgentError where there is none that we know."""
    if system.family != "linux":
        raise AgentError(f"Services on {system.family} are not set up by this version. Start the agent by hand.")
    if "systemd" not in (system.read_text("/proc/1/comm") or ""):
        raise AgentError(
            "There is no systemd on this host, so nothing here can keep the agent running. Start it by hand with "
            "`paddock-agent run`; it will be gone after a reboot."
        )
    return Systemd(system)


def demand_rights(system: System, what: str) -> None:
    """Raises AgentError without root."""
    if not system.is_privileged():
        raise AgentError(f"{what} changes the system and needs root: run it with sudo.")


async def install(system: System, identity: Identity, home: Path, account: str, start: bool) -> Diagnosis:
    """Sets the service up under ``account``, which gets the agent's folder, and starts it.

    Our own account is made if it is not there; one that was named has to be. Raises AgentError for what would not work,
    before the service is written.
    """
    demand_rights(system, "Setting up a service")
    manager = manager_of(system)
    if account == OWN_ACCOUNT:
        await _make_own_account(system, home)
    elif (await system.run(["getent", "passwd", account], PATIENCE)).exit_code:
        raise AgentError(
            f"There is no account {account} on this host. Make it first, or leave out --user: the service then gets an "
            f"account of its own. To make it: useradd --system --create-home --shell /bin/bash {account}"
        )
    await _run(system, ["chown", "-R", f"{account}:", str(home)])
    program = [sys.executable, "-m", "paddock_agent", "run", "--home", str(home)]
    await _demand_program(system, account, program[:3])
    definition = Definition(
        name=service_name(identity),
        description=f"Yellow Paddock agent: {identity.host} in {identity.paddock}, for {identity.server}",
        account=account,
        command=program,
        home=str(home),
        path=variable(system, "PATH"),
    )
    await manager.install(definition)
    if start:
        await manager.restart(definition.name)
    return diagnose(await manager.state(definition.name))


async def _make_own_account(system: System, home: Path) -> None:
    if (await system.run(["getent", "passwd", OWN_ACCOUNT], PATIENCE)).exit_code:
        await _run(
            system,
            ["useradd", "--system", "--user-group", "--home-dir", str(home), "--shell", "/bin/bash", OWN_ACCOUNT],
        )


async def _demand_program(system: System, account: str, program: Sequence[str]) -> None:
    """The account must be able to run the program: often it lies in somebody's private folder."""
    tried = await system.run(["runuser", "-u", account, "--", *program, "--version"], PATIENCE)
    if tried.exit_code:
        said = (tried.stderr.strip() or tried.stdout.strip()).splitlines()
        raise AgentError(
            f"The account {account} cannot run {program[0]}: {said[-1] if said else 'it ended at once'}. "
            "Install the agent where every account can read it, such as /opt, or name another account with --user."
        )


async def _run(system: System, command: Sequence[str]) -> None:
    done = await system.run(command, PATIENCE)
    if done.exit_code:
        raise CommandFailed(f"{' '.join(command[:2])}: {done.stderr.strip()}")


async def remove(system: System, identity: Identity) -> None:
    """Takes the service out, if there is one."""
    manager = manager_of(system)
    if (await manager.state(service_name(identity))).running != "missing":
        demand_rights(system, "Taking out a service")
        await manager.uninstall(service_name(identity))


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
