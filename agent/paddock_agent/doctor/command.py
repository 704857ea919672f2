"""``doctor`` and ``repair`` on the host: which agent, what is wrong, the remedy as printed, what is true after it."""

from __future__ import annotations

import argparse
import contextlib
import subprocess
import time
from pathlib import Path

from ..errors import AgentError
from ..preflight.plan import WATCH_HOMES
from ..system.real import RealSystem, this_family
from . import commands as make
from .collect import collect
from .diagnose import diagnose
from .diagnosis import Diagnosis
from .evidence import Evidence
from .note import FILE, Note, read_note
from .repair import repair
from .report import bundle, report

SETTLE_PATIENCE = 20.0
LOOK_INTERVAL = 1.0


def add_options(parser: argparse.ArgumentParser, folder: str, repair: bool = False) -> None:
    """The options that both have in common, and those of one."""
    parser.add_argument("--folder", default=folder, help="the watch's folder of the agent that is meant")
    parser.add_argument("--service", default="", help="the agent's service, where several run on this machine")
    if repair:
        parser.add_argument("--server", default="", help="the server's new address")
        parser.add_argument("--work", default="", help="another work folder")
    else:
        parser.add_argument("--apply", action="store_true", help="carry the remedy out, after asking")
        parser.add_argument("--yes", action="store_true", help="with --apply: do not ask")
        parser.add_argument("--raw", action="store_true", help="show the raw evidence as well")


def run_doctor(options: argparse.Namespace) -> int:
    """Prints the report; 0 where nothing is wrong, also after a remedy."""
    folder = chosen_folder(options.folder, options.service)
    evidence = collect(note_in(folder), folder)
    found = diagnose(evidence)
    print((bundle if options.raw else report)(evidence, found))
    if not found.cause:
        return 0
    if not options.apply or not found.commands:
        if found.commands:
            print(f"\nTo carry it out: {make.words('/bin/sh', evidence.doctor, 'doctor', '--apply')}")
        return 1
    if not options.yes and input("\nCarry this out? [y/N] ").strip().lower() != "y":
        return 1
    apply(found)
    evidence, after = settled(folder)
    print("\nAfter that:\n" + report(evidence, after))
    return 1 if after.cause else 0


def run_repair(options: argparse.Namespace) -> int:
    """Repairs, and says what is true then."""
    folder = chosen_folder(options.folder, options.service)
    for line in repair(note_in(folder), folder, options.server, options.work):
        print(line)
    evidence, found = settled(folder)
    print("\n" + report(evidence, found))
    return 1 if found.cause else 0


def apply(found: Diagnosis) -> None:
    """Runs the commands of a remedy as they were printed, until one fails. Raises AgentError."""
    for command in found.commands:
        print(f"$ {command}", flush=True)
        done = subprocess.run(["/bin/sh", "-c", command], check=False, stdin=subprocess.DEVNULL)
        if done.returncode:
            raise AgentError(f"It ended with {done.returncode}; what follows it was left alone.")


def settled(folder: str) -> tuple[Evidence, Diagnosis]:
    """The evidence once the agent has had time to start: as soon as nothing is wrong, or after a while."""
    ends = time.monotonic() + SETTLE_PATIENCE
    while True:
        evidence = collect(note_in(folder), folder)
        found = diagnose(evidence)
        if not found.cause or time.monotonic() > ends:
            return evidence, found
        time.sleep(LOOK_INTERVAL)


def chosen_folder(folder: str, service: str) -> str:
    """The watch's folder of one agent on this machine. Raises AgentError where several run here and none is named."""
    if not RealSystem().is_privileged():
        raise AgentError("The doctor looks into the service and the agent's folder: run it as root, or with sudo.")
    if folder:
        return folder
    there = _watch_folders()
    if service:
        wanted = service.removesuffix(".service")
        there = [place for place in there if note_in(place).service.removesuffix(".service") == wanted]
    if not there:
        raise AgentError(f"No agent{f' called {service}' if service else ''} with a watch was found on this machine.")
    if len(there) > 1:
        names = ", ".join(note_in(place).service for place in there)
        raise AgentError(f"Several agents run on this machine. Name one with --service: {names}")
    return there[0]


def _watch_folders() -> list[str]:
    """The folders of all watches on this machine that this account may look into."""
    base = Path(WATCH_HOMES[this_family()])
    try:
        return sorted(str(place) for place in base.iterdir() if (place / FILE).exists())
    except OSError:
        return []


def homes_here() -> list[str]:
    """The folders of the agents on this machine that have a watch, as far as this account may know."""
    found = []
    for place in _watch_folders():
        with contextlib.suppress(AgentError):
            found.append(note_in(place).home)
    return sorted({home for home in found if home})


def home_of(service: str) -> str:
    """The folder of the agent with this service. Raises AgentError where no watch on this machine knows it."""
    known: dict[str, str] = {}
    for place in _watch_folders():
        with contextlib.suppress(AgentError):
            note = note_in(place)
            known[note.service] = note.home
    if service not in known:
        raise AgentError(f"No agent here has the service {service}. There is {', '.join(sorted(known)) or 'none'}.")
    return known[service]


def note_in(folder: str) -> Note:
    """The note of a watch's folder. Raises NotJoined."""
    file = Path(folder, FILE)
    try:
        return read_note(file.read_text(), folder)
    except OSError:
        return read_note(None, folder)
