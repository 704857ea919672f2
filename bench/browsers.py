"""What open pages cost the server while jobs run: ``make bench``, or ``python bench/browsers.py [FEEDS …]``.

A page is a feed: a WebSocket with a session that gets a note of every changed job and host. Four senders submit jobs,
and 200 light agents run them. Compare the processor time per job with the first row, which has no pages.
"""

from __future__ import annotations

import asyncio
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager

import httpx
from busy_yard import BusyYard, busy_yard, python_loop
from jobs_a_second import measure
from websockets.asyncio.client import connect

AGENTS, SENDERS, SECONDS = 200, 4, 15.0


def session(yard: BusyYard) -> str:
    """Logs in, and returns the cookies."""
    with httpx.Client(base_url=yard.url) as http:
        http.get("/api/v1/session/")
        token = http.cookies["paddock_csrf"]
        body = {"username": "meter", "password": "tide-gauge-bench"}
        http.post("/api/v1/session/", json=body, headers={"X-CSRFToken": token, "Referer": yard.url}).raise_for_status()
        return "; ".join(f"{name}={value}" for name, value in http.cookies.items())


@contextmanager
def open_pages(yard: BusyYard, number: int) -> Iterator[list[int]]:
    """Opens ``number`` feeds; yields a list of one element, the count of received notes."""
    heard, cookie, ready, over = [0], session(yard), threading.Event(), threading.Event()

    async def page(connected: list[None]) -> None:
        headers = {"Cookie": cookie, "Origin": yard.url}
        async with connect(f"{yard.url.replace('http', 'ws')}/api/v1/feed/", additional_headers=headers) as feed:
            connected.append(None)
            if len(connected) == number:
                ready.set()
            async for _ in feed:
                heard[0] += 1

    async def all_pages() -> None:
        connected: list[None] = []
        pages = [asyncio.create_task(page(connected)) for _ in range(number)]
        await asyncio.to_thread(over.wait)
        for one in pages:
            one.cancel()
        await asyncio.gather(*pages, return_exceptions=True)

    running = threading.Thread(target=asyncio.run, args=(all_pages(),))
    running.start()
    assert not number or ready.wait(60), "the pages did not connect"
    try:
        yield heard
    finally:
        over.set()
        running.join()


def main() -> int:
    numbers = [int(one) for one in sys.argv[1:]] or [0, 20, 100]
    print(f"5,000,000 additions in a Python loop: {python_loop():.2f} s")
    print(f"{'pages':>6} {'ended/s':>8} {'processor, ms/job':>18} {'notes a job and page':>21}")
    with busy_yard(AGENTS) as yard:
        for number in numbers:
            with open_pages(yard, number) as heard:
                _, done, cost = measure(yard, SENDERS, SECONDS)
            notes = heard[0] / max(1, number) / (done * SECONDS)
            print(f"{number:6} {done:8.1f} {cost:18.1f} {notes:21.1f}", flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
