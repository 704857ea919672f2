"""Logs from agents to the browser's page, jobs of no length, and memory during a gigabyte of log: ``make bench``.

Real agents, a real server, a real browser. The bare pipe is the same bytes through one WebSocket of the same libraries
(websockets to Uvicorn), in frames of 32 KiB, and once in a frame for each line, as a pipe would that adds nothing.
"""

from __future__ import annotations

import asyncio
import os
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import suppress
from pathlib import Path

import psutil

HERE = Path(__file__).parent
sys.path[:0] = [str(HERE.parent / "tests" / "support"), str(HERE.parent / "tests" / "browser")]

import chromium  # noqa: E402
from page import Page  # noqa: E402
from processes import RealAgent, RealServer, free_port  # noqa: E402
from waiting import until  # noqa: E402
from websockets.asyncio.client import connect  # noqa: E402

LINE = "height %012.0f of the tide at the north mole, in tenths of a metre, as it was read"
BYTES = len(LINE % 1) + 1
LINES = 370_000
"""32 MB: just below what a log keeps as it comes, so that all of it has to arrive."""
MANY, LINES_OF_MANY = 50, 10_000
EMPTY_JOBS = 60
SINK = """
async def app(scope, receive, send):
    if scope["type"] != "websocket":
        return
    await receive()
    await send({"type": "websocket.accept"})
    left = int(scope["query_string"])
    while left > 0:
        event = await receive()
        if event["type"] == "websocket.disconnect":
            return
        left -= len(event["bytes"])
    await send({"type": "websocket.send", "text": "all"})
    await receive()
"""


def flood(folder: Path, lines: int) -> str:
    """A script that prints so many lines, faster than any of what is measured: `seq` alone makes a million a second."""
    file = folder / f"{lines}-lines"
    if not file.exists():
        file.write_text("".join(f"{LINE % number}\n" for number in range(1, lines + 1)))
    return f"cat {file}"


async def bare(port: int, frame: int, whole: int) -> float:
    """Seconds for the same bytes through a bare pipe."""
    data = bytes(frame)
    async with connect(f"ws://127.0.0.1:{port}/?{whole}", compression=None, max_size=None) as pipe:
        began = time.perf_counter()
        for _ in range(whole // frame + 1):
            await pipe.send(data)
        await pipe.recv()
        return time.perf_counter() - began


def bare_pipe(folder: Path, frame: int) -> float:
    (folder / "sink.py").write_text(SINK)
    port = free_port()
    command = [sys.executable, "-m", "uvicorn", "sink:app", "--port", str(port), "--log-level", "error"]
    command += ["--ws-per-message-deflate", "false"]
    server = subprocess.Popen(command, cwd=folder)
    try:
        until(lambda: _listens(port), "the bare server")
        return asyncio.run(bare(port, frame, LINES * BYTES))
    finally:
        server.terminate()
        server.wait()


def _listens(port: int) -> bool:
    import socket

    with suppress(OSError), socket.create_connection(("127.0.0.1", port), 1):
        return True
    return False


def arrives(server: RealServer, jobs: list[int], lines: int, gates: list[Path]) -> float:
    """Seconds from when the gates are opened until the server has written all the lines of the jobs, which run already.
    Looks at the files, since asking the server so often would be most of its work; what the API says is compared at
    the end."""
    files = [log_of(server, job) for job in jobs]
    began = time.perf_counter()
    open_gates(gates)
    while any(not file.exists() or file.stat().st_size < lines * BYTES for file in files):
        time.sleep(0.005)
    took = time.perf_counter() - began
    for job in jobs:
        total = server.api.get(f"/api/v1/jobs/{job}/attempts/1/lines/?first=-1&count=1")["total"]
        assert total == lines, f"job {job} has {total} lines instead of {lines}"
    return took


def log_of(server: RealServer, job: int) -> Path:
    """The file that its first attempt is written to, once that runs."""
    until(lambda: server.job(job)["state"] == "running", "the job to run", 300)
    until(lambda: list(server._data.glob(f"logs/*/{job}-1-*.log")), "the first line", 300)
    return next(server._data.glob(f"logs/*/{job}-1-*.log"))


def waiting_flood(go: Path, lines: int) -> str:
    """A script that prints a first line, and the others as soon as something is written to the pipe ``go``."""
    os.mkfifo(go)
    return f"echo '{LINE % 0}'; read -r < {go}; {flood(go.parent, lines - 1)}"


def open_gates(gates: list[Path]) -> None:
    for gate in gates:
        gate.write_text("go\n")


def of_one(server: RealServer, agent: RealAgent, folder: Path) -> None:
    took = 1e9
    for i in range(3):
        go = folder / f"go-{i}"
        job = server.submit(waiting_flood(go, LINES), [f"label {agent.name}"], name=f"flood {i}")
        took = min(took, arrives(server, [job], LINES, [go]))
    browser = chromium.start(folder / "profile")
    try:
        page = Page(browser, server.url)
        page.log_in()
        page.one(".yard")
        job = server.submit(waiting_flood(folder / "go", LINES), [f"label {agent.name}"])
        until(lambda: server.job(job)["state"] == "running", "the job to run")
        browser.get(f"{server.url}/runs/{job}")
        page.one(".run-log")
        open_gates([folder / "go"])
        began = time.perf_counter()
        until(lambda: browser.find_elements("css selector", f".run-log[data-lines='{LINES}']"), "all lines", 300)
        shown = time.perf_counter() - began
    finally:
        browser.quit()
    frames, by_line = bare_pipe(folder, 32 * 1024), bare_pipe(folder, BYTES)
    print(f"one agent, {LINES:,} lines of {BYTES} bytes:")
    print(f"  to the API        {LINES / took:>12,.0f} lines/s")
    print(f"  to the page       {LINES / shown:>12,.0f} lines/s")
    print(f"  bare, 32 KiB      {LINES / frames:>12,.0f} lines/s   (ours is {frames / took:.2f} of it)")
    print(f"  bare, a line each {LINES / by_line:>12,.0f} lines/s   (ours is {by_line / took:.2f} of it)")


def of_many(server: RealServer, folder: Path) -> None:
    agents = [RealAgent(server, folder / f"agent-{i}", f"knot-{100 + i}") for i in range(MANY)]
    secret = server.make_pass(uses=MANY)
    try:
        for agent in agents:
            assert agent.join(secret, "--labels", "many").returncode == 0
            server.api.post(f"/api/v1/hosts/{agent.name}/admit/", {"as_asked": True})
            agent.start()
        until(lambda: all(server.host(agent.name)["surveyed_at"] for agent in agents), "all to be surveyed", 600)
        gates = [folder / f"gate-{i}" for i in range(MANY)]
        scripts = [waiting_flood(gate, LINES_OF_MANY) for gate in gates]
        jobs = [server.submit(script, ["label many"], name=f"flood {i}") for i, script in enumerate(scripts)]
        took = arrives(server, jobs, LINES_OF_MANY, gates)
        frames = bare_pipe(folder, 32 * 1024)
        ours, whole = MANY * LINES_OF_MANY / took, LINES / frames
        print(f"{MANY} agents, {LINES_OF_MANY:,} lines each: {ours:,.0f} lines/s together, {ours / whole:.2f} of bare")
    finally:
        for agent in agents:
            with suppress(Exception):
                agent.stop()


def of_nothing(server: RealServer, agent: RealAgent) -> None:
    whole, parts = [], {"submit": [], "waits": [], "offer to start": [], "runs": [], "reported": []}
    for _ in range(EMPTY_JOBS):
        began = time.perf_counter()
        job = server.submit("true", [f"label {agent.name}"])
        submitted = time.perf_counter()
        while not (found := server.job(job))["ended_at"]:
            time.sleep(0.002)
        whole.append(time.perf_counter() - began)
        (attempt,) = found["attempts"]
        moments = [found["submitted_at"], attempt["offered_at"], attempt["started_at"], attempt["ended_at"]]
        at = [time.mktime(time.strptime(one[:19], "%Y-%m-%dT%H:%M:%S")) + float("0." + one[20:26]) for one in moments]
        parts["submit"].append(submitted - began)
        for name, a, b in zip(("waits", "offer to start", "runs"), at, at[1:], strict=False):
            parts[name].append(b - a)
        parts["reported"].append(max(0.0, whole[-1] - (submitted - began) - (at[3] - at[0])))
    print(
        f"a job of no length, {EMPTY_JOBS} times, one after the other: {statistics.median(whole) * 1000:.0f} ms median"
    )
    print("  " + ", ".join(f"{name} {statistics.median(took) * 1000:.0f} ms" for name, took in parts.items()))


def of_a_gigabyte(server: RealServer, agent: RealAgent) -> None:
    watched = {"server": psutil.Process(server._process.pid), "agent": psutil.Process(agent._process.pid)}
    before = {name: process.memory_info().rss for name, process in watched.items()}
    most = dict(before)
    over = threading.Event()

    def look() -> None:
        while not over.wait(0.05):
            for name, process in watched.items():
                most[name] = max(most[name], process.memory_info().rss)

    looking = threading.Thread(target=look)
    looking.start()
    began = time.perf_counter()
    script = f"yes '{LINE % 1}' | head -c 1000000000"
    job = server.submit(script, [f"label {agent.name}"])
    until(lambda: server.job(job)["ended_at"], "the end", 600)
    took = time.perf_counter() - began
    over.set()
    looking.join()
    print(f"a gigabyte of log in {took:.0f} s; memory at most, and before:")
    for name in watched:
        print(f"  {name}: {most[name] / 1e6:.0f} MB, {before[name] / 1e6:.0f} MB")


def main() -> int:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "server").mkdir()
        server = RealServer(folder / "server")
        agent = RealAgent(server, folder / "agent", "curlew-01", all_tools=True)
        agent.come_in("--labels", agent.name)
        try:
            of_nothing(server, agent)
            of_a_gigabyte(server, agent)
            of_one(server, agent, folder)
            of_many(server, folder)
        finally:
            agent.stop()
            server.stop()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
