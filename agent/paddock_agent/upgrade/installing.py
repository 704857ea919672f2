"""Puts a version of the agent into its own folder, beside the one that runs, and tries it there. Nothing that runs is
touched."""

from __future__ import annotations

import asyncio
import hashlib
import json
import re
import urllib.request
from collections.abc import Callable, Sequence
from urllib.parse import urlsplit

from ..doctor.note import Note
from ..errors import AgentError, CommandFailed
from ..services import ServiceManager
from ..system import Completed, System
from ..system.paths import paths_of, variable
from .folders import COMPLETE, folder_of, is_complete, python_in
from .order import Order, requirements

INSTALL_PATIENCE, COMMAND_PATIENCE, FETCH_PATIENCE = 900.0, 60.0, 60.0
MAX_WHEEL_BYTES = 64 * 1024 * 1024
SCRATCH = "upgrade"
"""The folder in the watch's own that has what was fetched, until it is installed."""

_PREFLIGHT = """\
import sys
sys.path.insert(0, sys.argv.pop(1))
from paddock_agent.preflight.__main__ import main
sys.exit(main(sys.argv[1:]))
"""

Fetch = Callable[[str, int], bytes]


class NotInstalled(AgentError):
    """The new version could not be installed, or failed its trial; the sentence says why."""


def fetch(address: str, limit: int) -> bytes:
    """A file of the server, of at most ``limit`` bytes. Raises NotInstalled."""
    try:
        with urllib.request.urlopen(address, timeout=FETCH_PATIENCE) as answer:  # noqa: S310 - the server's own address
            data = bytes(answer.read(limit + 1))
    except (OSError, ValueError) as error:
        reason = getattr(error, "reason", error)
        raise NotInstalled(f"The server did not hand out {address.rsplit('/', 1)[-1]}: {reason}") from None
    if len(data) > limit:
        raise NotInstalled(f"{address.rsplit('/', 1)[-1]} is larger than {limit} bytes.")
    return data


async def install(
    system: System, note: Note, folder: str, order: Order, manager: ServiceManager, get: Fetch = fetch
) -> str:
    """Installs the version of ``order`` and tries it as the service's account; returns where it is. ``folder`` is the
    watch's. Raises NotInstalled; what was there before is as it was."""
    place = folder_of(system, note.prefix, order.version)
    if not is_complete(system, place, order.wheel[1]):
        scratch = system.fresh_folder(folder, SCRATCH)
        system.remove_folder(place)
        try:
            files = [await _fetched(system, note, scratch, file, get) for file in (order.wheel, order.pip)]
            await _demand_fit(system, note, files[0])
            await _install_into(system, note, order, place, scratch, files[1])
        except BaseException:
            system.remove_folder(place)
            raise
        finally:
            system.remove_folder(scratch)
    await _try(system, note, order, place, manager)
    return place


async def _fetched(system: System, note: Note, scratch: str, file: tuple[str, str], get: Fetch) -> str:
    """A file of the server with its own hash; returns where it is."""
    name, wanted = file
    data = await asyncio.to_thread(get, f"{note.server}/install/files/{name}", MAX_WHEEL_BYTES)
    if hashlib.sha256(data).hexdigest() != wanted:
        raise NotInstalled(f"{name} came with the wrong hash.")
    path: str = paths_of(system).join(scratch, name)
    system.write_bytes(path, data, 0o644)
    return path


async def _demand_fit(system: System, note: Note, wheel: str) -> None:
    """The new version's own preflight, straight from its package. The service exists, so that part is left out."""
    asked = ["--server", note.server, "--home", note.home, "--prefix", note.prefix, "--work", note.work_folder]
    command = [system.program(), "-I", "-c", _PREFLIGHT, wheel, *asked, "--supervisor", "by hand", "--json"]
    done = await system.run(command, COMMAND_PATIENCE)
    try:
        answer = json.loads(done.stdout)
        failed = [one for one in answer["checks"] if one["mark"] == "missing"]
        missing = [f"{one['name']}: {one['found']}. {one['why']}" for one in failed]
    except (ValueError, KeyError, TypeError):
        raise NotInstalled(f"The preflight of {_name_of(wheel)} does not work: {_last_lines(done)}") from None
    if missing or done.exit_code:
        raise NotInstalled(f"The new version does not fit this machine. {' '.join(missing)}"[:1900])


def _name_of(wheel: str) -> str:
    """The file's name without its folder."""
    return re.split(r"[/\\]", wheel)[-1]


async def _install_into(system: System, note: Note, order: Order, place: str, scratch: str, pip: str) -> None:
    paths = paths_of(system)
    await _run(system, [system.program(), "-m", "venv", "--without-pip", place])
    python, needed = python_in(system, place), paths.join(scratch, "requirements.txt")
    system.write_text(needed, requirements(order), 0o644)
    await _run(
        system,
        [
            python, paths.join(pip, "pip"), "--isolated", "install", "--quiet", "--disable-pip-version-check",
            "--no-cache-dir", "--no-deps", "--only-binary", ":all:", "--require-hashes",
            "--index-url", f"{note.server}/install/simple/", *_verified(system, note.server),
            "--requirement", needed,
        ],
    )  # fmt: skip
    if system.family != "windows":
        await _run(system, ["chmod", "-R", "a+rX", place])
    system.write_text(paths.join(place, COMPLETE), order.wheel[1], 0o644)


def _verified(system: System, server: str) -> Sequence[str]:
    """Only over plain HTTP is there nothing to verify the server by: the hashes remain."""
    if not server.startswith("https:"):
        return ["--trusted-host", urlsplit(server).netloc]
    own = variable(system, "SSL_CERT_FILE")
    return ["--cert", own] if own else []


async def _try(system: System, note: Note, order: Order, place: str, manager: ServiceManager) -> None:
    """The new version says its version, and the service's account can run it."""
    program = [python_in(system, place), "-m", "paddock_agent"]
    named = (await _run(system, [*program, "--version"])).strip()
    if named != order.version:
        raise NotInstalled(f"The package of {order.version} says that it is {named[:60] or 'nothing'}.")
    try:
        await manager.prove(note.account, program)
    except CommandFailed as error:
        raise NotInstalled(str(error)) from None


async def _run(system: System, command: Sequence[str]) -> str:
    try:
        done = await system.run(command, INSTALL_PATIENCE)
    except CommandFailed as error:
        raise NotInstalled(str(error)) from None
    if done.exit_code:
        raise NotInstalled(f"{' '.join(command[:3])[:200]}: {_last_lines(done)}")
    return done.stdout


def _last_lines(done: Completed) -> str:
    lines = (done.stderr.strip() or done.stdout.strip()).splitlines()
    return " | ".join(lines[-3:])[:1500]
