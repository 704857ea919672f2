"""What the commands print: lines for people, or JSON for programs."""

from __future__ import annotations

import argparse
import json
from collections.abc import Iterable


def output_options() -> argparse.ArgumentParser:
    """The options that say how a command prints, for the ``parents`` of its parser."""
    shared = argparse.ArgumentParser(add_help=False)
    shared.add_argument("--json", action="store_true", help="print JSON, for programs")
    return shared


def show(options: argparse.Namespace, value: object, lines: Iterable[str]) -> None:
    """Prints ``value`` as JSON if the options ask for it, else the lines."""
    if options.json:
        print(json.dumps(value, indent=2, ensure_ascii=False, default=str))
        return
    for line in lines:
        print(line)
