"""``paddock-agent upgrade`` and ``paddock-agent rollback``, for an administrator at the host's terminal."""

from __future__ import annotations

import argparse
import asyncio
import os
import sys
import time
from collections.abc import Callable
from pathlib import Path

from ..doctor.note import FILE as NOTE
from ..doctor.note import Note, read_note
from ..errors import AgentError
from ..replacing import no_longer_replaced, wait_for_jobs
from ..services import diagnose, manager_of
from ..system import System
from ..system.paths import paths_of
from . import for_watch, reporting
from .carry_out import Upgrade
from .folders import COMPLETE, current_folder, installed_folders, pointer_in
from .progress import Progress, UpgradeStep, read_progress

LOOK_SECONDS = 0.5
SENTENCES = {
    UpgradeStep.ASKED: "Asking the server for the order",
    UpgradeStep.INSTALLING: "Installing it beside the version that runs",
    UpgradeStep.DRAINING: "Waiting for running jobs to end",
    UpgradeStep.SWITCHED: "Switched; waiting until the new version has proven itself",
    UpgradeStep.PROVEN: "Proven",
    UpgradeStep.WENT_BACK: "Went back to the version from before",
    UpgradeStep.KEPT: "Kept the version from before",
    UpgradeStep.LEFT_OUT: "Not upgraded",
}


def carry_out(system: System, folder: str) -> int:
    """What the unit runs. The exit code is 1 where the new version did not stay."""
    os.environ["PIP_CONFIG_FILE"] = os.devnull  # of other indexes, which this machine may know, nothing counts here
    progress = asyncio.run(Upgrade(system, folder).carry_out())
    if progress is None:
        _say("No upgrade waits here.")
        return 0
    _say(f"{SENTENCES[progress.step]}. {progress.why}".strip())
    return 0 if progress.step is UpgradeStep.PROVEN else 1


def upgrade(system: System, folder: str, version: str, say: Callable[[str], None]) -> int:
    """Asks the server to upgrade this host, and follows that to its end; the exit code is 1 where the new version did
    not stay. Ctrl+C ends the following alone. Raises AgentError."""
    note = _note(system, folder)
    ordered = reporting.ask(note, f"{reporting.PATH}/ask", {"version": version})
    say(f"{note.host} is upgraded to {ordered['version']}. Ctrl+C does not stop it.")
    asyncio.run(for_watch.begin(system, note, folder, int(ordered["order"])))
    shown: UpgradeStep | None = None
    while True:
        progress = read_progress(system, folder)
        if progress is not None and progress.order == ordered["order"]:
            if progress.step is not shown:
                shown = progress.step
                say(f"{SENTENCES[shown]}.")
            if progress.is_over:
                return _ended(progress, say)
        time.sleep(LOOK_SECONDS)


def _ended(progress: Progress, say: Callable[[str], None]) -> int:
    for line in filter(None, (progress.why, *progress.evidence)):
        say(f"  {line}")
    return 0 if progress.step is UpgradeStep.PROVEN else 1


def rollback(system: System, folder: str, say: Callable[[str], None]) -> int:
    """Points to the other installed version, waits for running jobs, and restarts the service. Raises AgentError where
    there is none, or an upgrade is under way."""
    note = _note(system, folder)
    progress = read_progress(system, folder)
    if progress is not None and not progress.is_over:
        raise AgentError("An upgrade is under way here. Stop it at the server, or wait for its end.")
    now = current_folder(system, note.prefix)
    others = [
        one
        for one in installed_folders(system, note.prefix)
        if one != now and system.read_text(paths_of(system).join(one, COMPLETE)) is not None
    ]
    if not others:
        raise AgentError("No other version is installed on this host. `paddock-agent upgrade --to VERSION` gets one.")
    before = progress.before if progress is not None and progress.before in others else others[-1]
    return asyncio.run(_point_to(system, note, before, say))


async def _point_to(system: System, note: Note, folder: str, say: Callable[[str], None]) -> int:
    manager = manager_of(system)
    await wait_for_jobs(Path(note.home), say)
    try:
        system.point(pointer_in(system, note.prefix), folder)
        await manager.restart(note.service)
    finally:
        no_longer_replaced(Path(note.home))
    found = diagnose(await manager.state(note.service))
    say(f"The agent runs from {folder} now. {found.sentence}")
    return 0 if found.is_well else 1


def _note(system: System, folder: str) -> Note:
    note = read_note(system.read_text(paths_of(system).join(folder, NOTE)), folder)
    if not note.prefix or not note.signer:
        raise AgentError("The watch of this host is too old for upgrades. Run the server's bring-up command again.")
    return note


def add_commands(commands: argparse._SubParsersAction[argparse.ArgumentParser], home: argparse.ArgumentParser) -> None:
    """Adds both to the agent's command. Each calls ``options.upgrading(system, folder, options)``."""
    one = commands.add_parser("upgrade", parents=[home], help="upgrade this host's agent now (needs root)")
    one.add_argument("--to", default="", metavar="VERSION", help="default: the newest that the server holds")
    one.add_argument("--carry-out", default="", help=argparse.SUPPRESS)
    one.set_defaults(
        upgrading=lambda system, folder, options: (
            carry_out(system, folder) if options.carry_out else upgrade(system, folder, options.to, _say)
        )
    )
    one = commands.add_parser("rollback", parents=[home], help="run the version from before again (needs root)")
    one.set_defaults(upgrading=lambda system, folder, _: rollback(system, folder, _say))


def _say(text: str) -> None:
    sys.stdout.write(text + "\n")
    sys.stdout.flush()
