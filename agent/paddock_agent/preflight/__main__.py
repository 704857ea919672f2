"""``python -m paddock_agent.preflight``: what the bring-up scripts run before anything is installed."""

from __future__ import annotations

import argparse
import asyncio
import json
import os
import sys
from collections.abc import Sequence

from ..steps import Reporter
from ..system.real import RealSystem
from . import is_fit, preflight, verdict
from .plan import add_options, plan_of


def main(arguments: Sequence[str]) -> int:
    """Checks, prints, reports. Exit code 0 where nothing is missing."""
    parser = argparse.ArgumentParser(prog="paddock-agent preflight", description="Check this machine; change nothing.")
    add_options(parser, os.environ)
    parser.add_argument("--json", action="store_true", help="print for machines")
    return run(parser.parse_args(arguments))


def run(options: argparse.Namespace) -> int:
    """The command, with its options read."""
    system = RealSystem()
    plan = plan_of(options, system)
    reporter = Reporter(plan.server, plan.sheet, system.hostname())
    reporter.tell("preflight", "begun")
    checks = asyncio.run(preflight(system, plan))
    fit = is_fit(checks)
    reporter.tell("preflight", *verdict(checks), checks=[check.as_json() for check in checks])
    if options.json:
        print(json.dumps({"fit": fit, "checks": [check.as_json() for check in checks]}, indent=2))
    else:
        print("\n".join(line for check in checks for line in check.lines()))
    return 0 if fit else 1


if __name__ == "__main__":
    raise SystemExit(main(sys.argv[1:]))
