"""Runs the stand-in machines, with a real agent on each, all in one process.

``python -m paddock_standins --server URL --data FOLDER`` reads the entry passes as JSON, ``{paddock: secret}``, from
standard input, so that they stand in no list of processes; hosts that have joined before need none. Each machine has a
terminal: ``paddock-terminal NAME``.
"""

from __future__ import annotations

import argparse
import asyncio
import json
import logging
import os
import signal
import sys
from collections.abc import Mapping
from pathlib import Path

from .description import all_hosts
from .machine import Machine
from .power_controller import FILE, VARIABLE, controller_of
from .power_strip import plug_in
from .terminal import serve_terminal


def main() -> int:
    """Runs until it is stopped."""
    parser = argparse.ArgumentParser(prog="python -m paddock_standins", description=__doc__)
    parser.add_argument("--server", required=True)
    parser.add_argument("--data", type=Path, required=True)
    options = parser.parse_args()
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(message)s", stream=sys.stderr)
    logging.getLogger("websockets").setLevel(logging.WARNING)
    asyncio.run(_run_all(options.server, options.data, json.loads(sys.stdin.read() or "{}")))
    return 0


async def _run_all(server: str, data: Path, passes: Mapping[str, str]) -> None:
    stopping = asyncio.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(number, stopping.set)
    machines = [Machine(one, data / one.name) for one in all_hosts()]
    terminals = [await serve_terminal(machine) for machine in machines]
    strip = await plug_in(machines)
    port = int(os.environ.get(VARIABLE, "0"))
    controllers = [
        controller_of(machine, data / FILE, port) for machine in machines if port and machine.description.controller
    ]
    for machine in machines:
        await machine.boot(server, passes)
    await stopping.wait()
    await asyncio.gather(*(machine.stop() for machine in machines))
    if strip:
        strip.close()
    for controller in controllers:
        controller.stop()
    for terminal in terminals:
        terminal.close()
