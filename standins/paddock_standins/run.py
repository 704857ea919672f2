"""Runs the stand-in hosts: the real agent for each, all in one process.

``python -m paddock_standins --server URL --data FOLDER`` reads the entry passes as JSON, ``{paddock: secret}``, from
standard input, so that they stand in no list of processes; hosts that have joined before need none.
"""

from __future__ import annotations

import argparse
import asyncio
import json
import logging
import signal
import sys
from collections.abc import Mapping
from pathlib import Path

from paddock_agent import identity, wire
from paddock_agent.agent import Agent
from paddock_agent.errors import AgentError
from paddock_agent.facts import gather_facts
from paddock_agent.join import join

from .description import Description, all_hosts
from .simulated import SimulatedSystem

log = logging.getLogger("paddock.standins")


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
    agents = [await make_agent(one, server, data / one.name, passes) for one in all_hosts()]

    def stop_all() -> None:
        for agent in agents:
            agent.stop()

    for number in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(number, stop_all)
    await asyncio.gather(*(_run(agent) for agent in agents))


async def _run(agent: Agent) -> None:
    """A host that was turned away stops; the others go on."""
    try:
        await agent.run()
    except AgentError as error:
        log.warning("A stand-in stopped: %s", error)


async def make_agent(host: Description, server: str, home: Path, passes: Mapping[str, str]) -> Agent:
    """The agent of one stand-in host, joined. Raises AgentError where it has to join and cannot."""
    system = SimulatedSystem(host)
    if not (home / identity.FILE).exists():
        facts = await gather_facts(system, host.work_folder)
        asked = wire.JoinRequest(passes.get(host.paddock, ""), facts, host.name, list(host.labels), host.slots)
        answer = await asyncio.to_thread(join, server, asked)
        identity.save(home, identity.Identity(server, answer.key, answer.host, answer.paddock, host.work_folder))
    known = identity.load(home)
    if known.server != server:
        known = identity.Identity(server, known.key, known.host, known.paddock, known.work_folder)
        identity.save(home, known)
    return Agent(system, known, home)
