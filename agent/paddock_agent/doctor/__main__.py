"""The watch and the doctor without the agent's packages: ``watch.pyz watch report``, ``doctor``, ``repair``."""

from __future__ import annotations

import argparse
import asyncio
import sys
from collections.abc import Sequence
from pathlib import Path

from .. import watch
from ..errors import AgentError, Dismissed, Unreachable
from ..system.real import RealSystem
from ..upgrade.for_watch import carry_on_without
from .command import add_options, run_doctor, run_repair
from .note import FILE as NOTE
from .note import read_note


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs one command; returns its exit code, as the agent's own command does."""
    parser = argparse.ArgumentParser(prog="watch", description="The watch and the doctor of a Yellow Paddock agent.")
    commands = parser.add_subparsers(required=True, dest="command")
    one = commands.add_parser("watch", help="report once")
    one.add_argument("verb", choices=["report"])
    one.add_argument("--folder", default=_own_folder())
    one = commands.add_parser("doctor", help="say what keeps the agent from working, and what mends it")
    add_options(one, _own_folder())
    one = commands.add_parser("repair", help="mend unit, program, folders and address; the key and the account stay")
    add_options(one, _own_folder(), repair=True)
    one = commands.add_parser("go-back", help="end an upgrade that was cut off: back to the version from before")
    one.add_argument("--folder", default=_own_folder())
    options = parser.parse_args(arguments)
    try:
        if options.command == "watch":
            print(asyncio.run(watch.report(RealSystem(), options.folder)))
            return 0
        if options.command == "go-back":
            return _go_back(RealSystem(), options.folder)
        return run_repair(options) if options.command == "repair" else run_doctor(options)
    except AgentError as error:
        print(error, file=sys.stderr)
        return 6 if isinstance(error, Dismissed) else 4 if isinstance(error, Unreachable) else 1


def _go_back(system: RealSystem, folder: str) -> int:
    note = read_note(system.read_text(f"{folder}/{NOTE}"), folder)
    ended = asyncio.run(carry_on_without(system, note, folder))
    print("No upgrade was begun." if ended is None else f"The upgrade: {ended.step}. {ended.why}")
    return 0


def _own_folder() -> str:
    """The folder of the archive that this runs from: it lies in its watch's folder."""
    archive = Path(sys.argv[0])
    return str(archive.resolve().parent) if archive.suffix == ".pyz" else ""


if __name__ == "__main__":
    raise SystemExit(main())
