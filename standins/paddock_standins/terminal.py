"""The terminal of a stand-in machine: where a person pastes the command of a bring-up sheet, and mends what it names.

``paddock-terminal NAME`` opens it. The machine lives in the process of the demo; a Unix socket leads there, in the
machine's own folder, which only this user can enter, or where that has too long a path in the system's own folder.
"""

from __future__ import annotations

import argparse
import asyncio
import hashlib
import os
import re
import shlex
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from paddock_agent import agent_service, identity
from paddock_agent.errors import AgentError
from paddock_agent.preflight.plan import HOMES
from paddock_agent.services import manager_of
from paddock_agent.services.windows_control import ServiceError

from .description import size
from .machine import Machine
from .script import ScriptFailed, run_command, service_command
from .service_control import Account

SOCKET = "terminal.sock"
MAX_SOCKET_PATH_BYTES = 100
"""Characters; Linux takes 107, macOS 103."""
DONE = "\x04"
MAX_LINE_LENGTH = 16 * 1024
HAPPENS = re.compile(
    r"(power off|power on|reboot|stop agent|disable agent|remove account|clock|disk|memory)"
    r"(?: ([\d.+-]+(?: [MGT]B)?))?"
)
LAUNCHER = re.compile(r"^& '[^']*\\paddock-agent\.cmd' ")
HELP = """\
This is a stand-in for a machine. It takes
  the command of a bring-up sheet
  paddock-agent service status | start | stop | restart | install [--user ACCOUNT]
  paddock-agent watch report | install
  the commands of the remedies for its system, such as {accounts}
  what happens to machines: power off, power on, reboot, stop agent, disable agent, remove account,
  clock SECONDS AHEAD, disk SIZE FREE, memory SHARE FREE
  install TOOL VERSION in FOLDER, remove FOLDER
  exit"""


async def serve_terminal(machine: Machine) -> asyncio.Server:
    """Listens for people who open the machine's terminal."""
    machine.home.mkdir(parents=True, exist_ok=True, mode=0o700)
    place = socket_of(machine.home)
    place.unlink(missing_ok=True)

    async def attend(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        def tell(text: str) -> None:
            writer.write(f"{text}\n".encode())

        while line := await reader.readline():
            await run_line(machine, line.decode(errors="replace"), tell)
            tell(DONE)
            await writer.drain()
        writer.close()

    return await asyncio.start_unix_server(attend, str(place), limit=MAX_LINE_LENGTH)


def socket_of(home: Path) -> Path:
    """Where a machine's terminal listens. The system takes no long paths there, so that of a far folder lies
    elsewhere."""
    place = home / SOCKET
    if len(str(place)) <= MAX_SOCKET_PATH_BYTES:
        return place
    told_apart = hashlib.sha256(str(place.absolute()).encode()).hexdigest()[:16]
    return Path(tempfile.gettempdir()) / f"paddock-{os.getuid()}-{told_apart}.sock"


async def run_line(machine: Machine, line: str, tell: Callable[[str], None]) -> None:
    """One line of a person; errors are printed."""
    try:
        await _run(machine, LAUNCHER.sub("paddock-agent ", line.strip()), tell)
    except (AgentError, ScriptFailed, ServiceError) as error:
        tell(str(error))


async def happen(machine: Machine, what: str, value: str) -> None:
    """What happens to a machine. Raises ScriptFailed for a value that is none."""
    system = machine.system
    try:
        match what:
            case "power off":
                await machine.power_off()
            case "power on":
                machine.power_on()
            case "reboot":
                await machine.power_off()
                machine.power_on()
            case "stop agent":
                await manager_of(system).stop(system.running_service)
            case "disable agent":
                disable(machine)
            case "remove account":
                await remove_account(machine)
            case "clock":
                system.clock_ahead = float(value)
            case "disk":
                system.disk_free = size(value)
            case "memory":
                system.memory_share = float(value)
    except (ValueError, KeyError):
        raise ScriptFailed(
            f'"{value}" is not a value for {what}. Examples: clock 90, disk 300 MB, memory 0.02.'
        ) from None


def disable(machine: Machine) -> None:
    """Disables the agent's service."""
    name = machine.system.running_service
    match machine.description.family:
        case "linux":
            machine.system.systemd.answer(["systemctl", "disable", name])
        case "macos":
            machine.system.launchd.answer(["launchctl", "disable", f"system/{name}"])
        case "windows":
            machine.system.control.set_start(name, "Disabled")


async def remove_account(machine: Machine) -> None:
    """Removes the account of the agent's service and reboots the machine."""
    account = machine.system.running_account
    machine.system.systemd.accounts.discard(account)
    machine.system.launchd.accounts.pop(account, None)
    machine.system.control.accounts.pop(account.removeprefix(".\\"), None)
    await machine.power_off()
    machine.power_on()


async def _run(machine: Machine, line: str, tell: Callable[[str], None]) -> None:
    windows = machine.description.family == "windows"
    if "PADDOCK_PASS" in line:
        await run_command(machine, line, tell)
    elif happens := HAPPENS.fullmatch(line):
        await happen(machine, happens.group(1), happens.group(2) or "")
    elif found := re.fullmatch(r"install (\S+ \S+(?: \(\S+\))? in .+)", line):
        try:
            machine.system.install(found.group(1))
        except ValueError as error:
            raise ScriptFailed(str(error)) from None
        tell("installed")
    elif found := re.fullmatch(r"remove (\S.*[\\/].*)", line):
        tell(f"removed {machine.system.remove(found.group(1))} files")
    elif found := re.fullmatch(r"(?:sudo )?paddock-agent watch (report|install)", line):
        if found.group(1) == "install":
            home = HOMES[machine.description.family]
            await agent_service.install_watch(machine.system, identity.load(machine.home), home)
        tell(await machine.watch_report())
    elif re.match(r"(?:sudo )?(timedatectl set-ntp true|systemsetup -setusingnetworktime on|w32tm /resync)", line):
        machine.system.clock_ahead = 0.0
    elif windows and (found := re.match(r"(Start|Stop)-Service -Name '?([\w.-]+)'?", line)):
        control = machine.system.control
        (control.start if found.group(1) == "Start" else control.stop)(found.group(2))
    elif found := re.match(r"(?:sudo )?(systemctl|useradd) (.+)", line):
        asked = machine.system.systemd.answer([found.group(1), *shlex.split(found.group(2))])
        tell((asked.stdout + asked.stderr).strip() if asked else "not known here")
    elif found := re.fullmatch(
        r"(?:sudo )?paddock-agent service (\w+)(?: --user '?([\w.\\-]+)'?)?(?: --ask-password)?", line
    ):
        tell(await service_command(machine, found.group(1), found.group(2) or ""))
    elif windows and (found := re.match(r"New-LocalUser -Name '?([\w.-]+)'?", line)):
        machine.system.control.accounts[found.group(1)] = Account("")
    elif windows and (found := re.match(r"Set-Service -Name '?([\w.-]+)'? -StartupType (\w+)", line)):
        machine.system.control.set_start(found.group(1), found.group(2))
    elif found := re.match(r"(?:sudo )?(launchctl|dscl|id) (.+)", line):
        answered = machine.system.launchd.answer([found.group(1), *found.group(2).split()])
        tell((answered.stdout + answered.stderr).strip() if answered else "not known here")
    elif not windows and (found := re.match(r"(?:sudo )?sysadminctl -addUser ([\w.-]+)", line)):
        accounts = machine.system.launchd.accounts
        accounts[found.group(1)] = max(accounts.values(), default=500) + 1
    elif line:
        own = "New-LocalUser -Name NAME" if windows else "sysadminctl -addUser NAME, launchctl …"
        tell(HELP.format(accounts=own))


def main() -> int:
    """Opens the terminal of one machine. Exit code 1 where it is not there."""
    parser = argparse.ArgumentParser(prog="paddock-terminal", description=__doc__)
    parser.add_argument("name", help="the machine, as ketch-02")
    parser.add_argument("--data", type=Path, default=Path(os.environ.get("PADDOCK_DATA") or ".data/demo"))
    options = parser.parse_args()
    return asyncio.run(_talk(options.name, socket_of(options.data / "standins" / options.name)))


async def _talk(name: str, place: Path) -> int:
    try:
        reader, writer = await asyncio.open_unix_connection(str(place), limit=1024 * 1024)
    except OSError:
        print(f"No terminal of {name} at {place}. Is the demo running, and is the name right?", file=sys.stderr)
        return 1
    is_person = sys.stdin.isatty()
    while True:
        if is_person:
            print(f"{name}> ", end="", flush=True)
        line = await asyncio.to_thread(sys.stdin.readline)
        if not line or line.strip() == "exit":
            return 0
        writer.write(line.encode())
        while (line := (await reader.readline()).decode()) not in ("", f"{DONE}\n"):
            print(line, end="", flush=True)
        if not line:
            return 1


if __name__ == "__main__":
    raise SystemExit(main())
