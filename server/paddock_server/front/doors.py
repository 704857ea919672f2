"""Limits the connections, in all and per address, so that no client can use up the open files.

Agents and browsers that are connected are WebSockets; they are let alone. What is bounded tightly are connections that
ask by HTTP, which is all that a stranger can open and hold.
"""

from __future__ import annotations

import asyncio
import ipaddress
import resource
from collections import Counter
from collections.abc import Collection
from dataclasses import dataclass

FILES_WANTED = 65_536
FILES_OF_OUR_OWN = 100
"""Open files that the server needs beside connections: database, logs, its own sockets."""
MAX_HTTP_CONNECTIONS = 1_000
LEAST_HTTP = 20


@dataclass(frozen=True)
class Bounds:
    """How many connections there may be at most: HTTP in all, HTTP from one address, WebSockets in all."""

    http: int
    http_from_one: int
    sockets: int


def raise_file_limit() -> int:
    """Raises this process's limit of open files as far as it may be raised; the limit then."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = FILES_WANTED if hard == resource.RLIM_INFINITY else min(hard, FILES_WANTED)
    if soft == resource.RLIM_INFINITY or soft >= wanted:
        return FILES_WANTED if soft == resource.RLIM_INFINITY else soft
    resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
    return wanted


def bounds_for(files: int) -> Bounds:
    """A quarter of the open files is for HTTP, of which one address gets half; the rest is for WebSockets."""
    usable = max(2 * LEAST_HTTP, files - FILES_OF_OUR_OWN)
    http = max(LEAST_HTTP, min(MAX_HTTP_CONNECTIONS, usable // 4))
    return Bounds(http, max(LEAST_HTTP // 2, http // 2), usable - http)


class Doors:
    """The connections that are open now. Belongs to the server's loop. ``proxies`` are addresses and networks of
    reverse proxies: behind one stand many people."""

    def __init__(self, bounds: Bounds, proxies: Collection[str] = ()) -> None:
        self._bounds = bounds
        self._proxies = tuple(ipaddress.ip_network(one) for one in proxies)
        self._waiting: dict[asyncio.Transport, None] = {}
        self._http: dict[asyncio.Transport, str] = {}
        self._from: Counter[str] = Counter()
        self._sockets: set[asyncio.Transport] = set()
        self.refused = 0

    def enter(self, transport: asyncio.Transport, address: str) -> bool:
        """Whether a new connection may stay. Where there are as many as there may be, the one that has sent nothing for
        longest makes room."""
        if self._from[address] >= self._bounds.http_from_one and not self._is_proxy(address):
            self.refused += 1
            return False
        if len(self._http) >= self._bounds.http:
            oldest = next(iter(self._waiting), None)
            self.refused += 1
            if oldest is None:
                return False
            self.leave(oldest)
            oldest.abort()
        self._http[transport] = address
        self._from[address] += 1
        self._waiting[transport] = None
        return True

    def _is_proxy(self, address: str) -> bool:
        try:
            found = ipaddress.ip_address(address)
        except ValueError:
            return False
        return any(found in network for network in self._proxies)

    def is_asking(self, transport: asyncio.Transport) -> None:
        """It has sent a whole head: it is not one of those that only wait."""
        self._waiting.pop(transport, None)

    def waits(self, transport: asyncio.Transport) -> None:
        """It was answered, and waits for its next request."""
        if transport in self._http:
            self._waiting[transport] = None

    def becomes_socket(self, transport: asyncio.Transport) -> bool:
        """Whether a connection may become a WebSocket."""
        self.leave(transport)
        if len(self._sockets) >= self._bounds.sockets:
            self.refused += 1
            return False
        self._sockets.add(transport)
        return True

    def leave(self, transport: asyncio.Transport) -> None:
        """It is gone."""
        self._sockets.discard(transport)
        self._waiting.pop(transport, None)
        if (address := self._http.pop(transport, None)) is not None:
            self._from[address] -= 1
            if self._from[address] <= 0:
                del self._from[address]

    def number(self) -> tuple[int, int]:
        """How many HTTP connections and WebSockets there are."""
        return len(self._http), len(self._sockets)
