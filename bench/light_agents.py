"""Light agents for the benchmarks: the real protocol over real sockets, without a machine behind it.

``python bench/light_agents.py URL KEYS SECONDS [--echo|--work]`` connects one agent for each line of the file KEYS,
prints ``connected``, and sends heartbeats, every SECONDS from each, until it is stopped. With ``--echo`` the far end
answers each message, without a hello. With ``--work`` offers are taken and at once reported as ended, with a line
``offer JOB MOMENT``; and the first agent tells of bare round trips, ``ping SECONDS``.
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


async def agent(url: str, key: str, every: float, place: float, mode: str, gate: asyncio.Semaphore, ready) -> None:
    """One light agent. ``place``, from 0 to 1, is when in the interval its heartbeats fall."""
    is_echo, works = mode == "--echo", mode == "--work"
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
        sent = 0
        async for text in socket:
            message = wire.from_server(text) if works else None
            if not isinstance(message, wire.Offer):
                continue
            print("offer", message.job, time.time(), flush=True)
            for report in (
                wire.AttemptStarted(seq=sent + 1, attempt=message.attempt, account="bench", folder="/work"),
                wire.AttemptEnded(seq=sent + 2, attempt=message.attempt, outcome="exited", exit_code=0),
            ):
                await socket.send(wire.encode(report).decode())
            sent += 2

    async def ping() -> None:
        while True:
            began = time.perf_counter()
            await (await socket.ping())
            print("ping", time.perf_counter() - began, flush=True)
            await asyncio.sleep(0.1)

    listening = asyncio.create_task(listen())
    pinging = asyncio.create_task(ping()) if works and place == 0 else None
    began = asyncio.get_running_loop().time()
    number = 0
    while not listening.done():
        await asyncio.sleep(max(0.0, began + (number + place) * every - asyncio.get_running_loop().time()))
        await socket.send(beat())
        number += 1
    if pinging:
        pinging.cancel()
    listening.result()


async def all_agents(url: str, keys: list[str], every: float, mode: str) -> None:
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
            group.create_task(agent(url, key, every, i / len(keys), mode, gate, ready))


if __name__ == "__main__":
    address, file, seconds, *modes = sys.argv[1:]
    asyncio.run(all_agents(address, Path(file).read_text().split(), float(seconds), modes[0] if modes else ""))
