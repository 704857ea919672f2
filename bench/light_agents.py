"""Light agents for the benchmarks: the real protocol over real sockets, without a machine behind it.

``python bench/light_agents.py URL KEYS SECONDS [--echo]`` connects one agent for each line of the file KEYS, prints
``connected``, and sends heartbeats, every SECONDS from each, until it is stopped. With ``--echo`` the far end answers
each message, and there is no hello.
"""

from __future__ import annotations

import asyncio
import sys
import time
from pathlib import Path

from websockets.asyncio.client import connect

from paddock_agent import wire

FACTS = wire.Facts(
    os="linux", os_version="12", os_name="Debian GNU/Linux 12", arch="x64", cores=8, memory=32 * 1024**3,
    disk_total=400 * 1024**3, disk_free=200 * 1024**3, work_folder="/var/lib/paddock-agent/work", agent_version="0.1.0",
    kept_by="paddock-agent.service", boot="b1",
)  # fmt: skip
AT_ONCE = 50


def beat() -> str:
    """A heartbeat as the agent sends it."""
    return wire.encode(
        wire.Heartbeat(
            at=time.time(), load=1.25, memory_free=12e9, disk_free=2e11, system_free=9e10, open_files=41,
            uptime=864_000.5, agent_memory=4e7,
        )
    ).decode()  # fmt: skip


async def agent(url: str, key: str, every: float, place: float, is_echo: bool, gate: asyncio.Semaphore, ready) -> None:
    """One light agent. ``place``, from 0 to 1, is when in the interval its heartbeats fall."""
    async with gate:
        socket = await connect(
            url, additional_headers={"Authorization": f"Bearer {key}"}, compression=None, ping_interval=None,
            open_timeout=120, user_agent_header=None,
        )  # fmt: skip
        if not is_echo:
            await socket.send(wire.encode(wire.Hello(protocol=wire.VERSION, facts=FACTS, attempts=[])).decode())
            await socket.recv()
    ready()

    async def listen() -> None:
        async for _ in socket:
            pass

    listening = asyncio.create_task(listen())
    began = asyncio.get_running_loop().time()
    number = 0
    while not listening.done():
        await asyncio.sleep(max(0.0, began + (number + place) * every - asyncio.get_running_loop().time()))
        await socket.send(beat())
        number += 1
    listening.result()


async def all_agents(url: str, keys: list[str], every: float, is_echo: bool) -> None:
    """All of them; says when the last has connected."""
    left = len(keys)

    def ready() -> None:
        nonlocal left
        left -= 1
        if not left:
            print("connected", flush=True)

    gate = asyncio.Semaphore(AT_ONCE)
    async with asyncio.TaskGroup() as group:
        for i, key in enumerate(keys):
            group.create_task(agent(url, key, every, i / len(keys), is_echo, gate, ready))


if __name__ == "__main__":
    address, file, seconds, *echo = sys.argv[1:]
    asyncio.run(all_agents(address, Path(file).read_text().split(), float(seconds), bool(echo)))
