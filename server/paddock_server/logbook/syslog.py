"""Sends the logbook out as syslog (RFC 5424), in order, from the line at which it was switched on.

Over TCP a line counts as sent when the system has taken it: a receiver that dies at that moment may miss some, and one
that comes back may get some twice. Each has the number of its line.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import socket
from collections.abc import Iterator
from urllib.parse import SplitResult, urlsplit

from channels.db import database_sync_to_async
from django.conf import settings

from paddock_core.syslog import LogbookLine, framed, message

from ..storage import action
from ..tls import trusting_context
from .models import Entry, SyslogPosition

INTERVAL_SECONDS = 1.0
MAX_BATCH = 200
TIMEOUT_SECONDS = 5.0
DEFAULT_PORTS = {"udp": 514, "tcp": 601, "tls": 6514}
log = logging.getLogger("paddock.syslog")


class NoReceiver(Exception):
    """The receiver cannot be reached; the text says why."""


def receiver(address: str) -> SplitResult:
    """The receiver of an address such as ``tls://log.saltmarsh.example``. Raises ValueError."""
    parts = urlsplit(address)
    if parts.scheme not in DEFAULT_PORTS or not parts.hostname or parts.path not in ("", "/"):
        raise ValueError(f"PADDOCK_SYSLOG is {address!r}. It is udp://, tcp:// or tls://HOST[:PORT].")
    return parts


async def syslog_loop() -> None:
    """For ever, where a receiver is set. While it is away, lines wait in the logbook."""
    if not settings.SYSLOG:
        return
    try:
        target = receiver(settings.SYSLOG)
    except ValueError as error:
        log.error("%s The logbook is not sent out.", error)
        return
    while True:
        try:
            sent = await database_sync_to_async(send_next)(target)
        except Exception:
            log.exception("The logbook could not be sent out. It is tried again.")
            sent = 0
        await asyncio.sleep(0 if sent == MAX_BATCH else INTERVAL_SECONDS)


def send_next(target: SplitResult) -> int:
    """Sends the lines that are next; returns how many. A receiver that is away is noted once."""
    position = SyslogPosition.objects.first()
    if position is None:
        newest = Entry.objects.order_by("-pk").values_list("pk", flat=True).first() or 0
        _move(newest, "")
        return 0
    lines = list(Entry.objects.filter(pk__gt=position.entry).order_by("pk")[:MAX_BATCH])
    if not lines:
        return 0
    try:
        _send(target, [message(_line(entry), socket.gethostname()) for entry in lines])
    except (OSError, NoReceiver) as error:
        trouble = f"{target.hostname} does not take the logbook: {error}"[:300]
        if trouble != position.trouble:
            log.warning("%s. Lines wait and are sent later.", trouble)
            _move(position.entry, trouble)
        return 0
    _move(lines[-1].pk, "")
    return len(lines)


def _line(entry: Entry) -> LogbookLine:
    return LogbookLine(
        entry.pk, entry.at, entry.who, entry.verb, entry.noun, entry.thing, entry.paddock, entry.details
    )  # fmt: skip


def _send(target: SplitResult, messages: list[bytes]) -> None:
    with _connection(target) as there:
        for data in messages:
            there.sendall(data if target.scheme == "udp" else framed(data))


@contextlib.contextmanager
def _connection(target: SplitResult) -> Iterator[socket.socket]:
    place = (target.hostname or "", target.port or DEFAULT_PORTS[target.scheme])
    if target.scheme == "udp":
        family, kind, protocol, _, address = socket.getaddrinfo(*place, type=socket.SOCK_DGRAM)[0]
        with socket.socket(family, kind, protocol) as plain:
            plain.connect(address)
            yield plain
        return
    with socket.create_connection(place, TIMEOUT_SECONDS) as plain:
        if target.scheme == "tcp":
            yield plain
            return
        with trusting_context().wrap_socket(plain, server_hostname=place[0]) as secured:
            yield secured


@action
def _move(entry: int, trouble: str) -> None:
    SyslogPosition.objects.update_or_create(pk=1, defaults={"entry": entry, "trouble": trouble})
