"""Uvicorn's protocols with bounds: on the size of a request's head, and on the time for its head, body and answer."""

from __future__ import annotations

import asyncio
from http import HTTPStatus
from typing import Any, ClassVar, cast

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol
from uvicorn.protocols.websockets.websockets_sansio_impl import WebSocketsSansIOProtocol
from websockets.exceptions import ProtocolError
from websockets.frames import CTRL_OPCODES, Frame

from .doors import Doors
from .refusal import refusal

MAX_HEAD_BYTES = 32 * 1024
"""Bytes of a request's line and headers together."""
MAX_HEADERS = 100
HEAD_PATIENCE = 15.0
"""Seconds from the connection's start, or from the first byte of a next request, to the end of the head."""
BODY_PATIENCE = 300.0
BODY_REST = 30.0
"""Seconds for a whole body, and between two pieces of it."""
MANY_CHUNKS = 1000
SMALLEST_CHUNK = 64
"""Bytes that the chunks of a body have on average, where there are many: reading each costs as much as reading more."""
TINY_FRAME = 16
MANY_TINY = 1000
TINY_WINDOW = 10.0
"""More than MANY_TINY frames of less than TINY_FRAME bytes, or pings, within TINY_WINDOW seconds end a WebSocket: no
message of an agent is as short, and browsers say nothing."""
UNREAD_PATIENCE = 120.0
"""Seconds for which a client may leave its answer unread."""


class _Chunks(h11.Connection):
    """Reads a connection, and refuses a body that comes in many tiny chunks."""

    _chunks = _in_chunks = 0

    def next_event(self) -> Any:
        event = super().next_event()
        if isinstance(event, h11.Data):
            self._chunks += event.chunk_start
            self._in_chunks += len(event.data)
            if self._chunks > MANY_CHUNKS and self._in_chunks < self._chunks * SMALLEST_CHUNK:
                raise h11.RemoteProtocolError("The body comes in too many tiny chunks.")
        elif isinstance(event, h11.Request):
            self._chunks = self._in_chunks = 0
        return event


class BoundedHttp(H11Protocol):
    """One HTTP connection. ``doors`` is set when the server is put together."""

    doors: ClassVar[Doors]

    def __init__(self, *given: Any, **named: Any) -> None:
        super().__init__(*given, **named)
        self.conn = _Chunks(h11.SERVER, 2 * MAX_HEAD_BYTES)
        self._timer: asyncio.TimerHandle | None = None
        self._unread: asyncio.TimerHandle | None = None
        self._body_ends_at = 0.0

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        opened = cast(asyncio.Transport, transport)
        super().connection_made(opened)
        if not self.doors.enter(opened, self.client[0] if self.client else ""):
            self._refuse(503, "There are too many connections, from here or in all. Try again in a moment.")
            return
        self._wait(HEAD_PATIENCE, "The request did not come in time.")

    def data_received(self, data: bytes) -> None:
        if self.transport.is_closing():
            return
        if self.conn.their_state is h11.IDLE and self._timer is None:
            self._wait(HEAD_PATIENCE, "The request did not come in time.")
        if self.conn.their_state is h11.IDLE and self._is_too_large(data):
            self._refuse(431, f"A request has at most {MAX_HEADERS} headers, of {MAX_HEAD_BYTES // 1024} KiB together.")
            return
        super().data_received(data)
        if self.transport.get_protocol() is not self or self.transport.is_closing():
            self._stop_timer()
        elif self.conn.their_state is h11.SEND_BODY:
            self._wait_for_body()
        elif self.conn.their_state is not h11.IDLE:
            self._stop_timer()

    def _is_too_large(self, data: bytes) -> bool:
        """Whether what has come of a head, with ``data``, is more than a head may be."""
        come = self.conn.trailing_data[0] + data
        end = come.find(b"\r\n\r\n")
        head = len(come) if end < 0 else end
        return head > MAX_HEAD_BYTES or come.count(b"\n", 0, head) > MAX_HEADERS

    def _wait_for_body(self) -> None:
        now = self.loop.time()
        if not self._body_ends_at:
            self._body_ends_at = now + BODY_PATIENCE
        # While the application is behind, it is not the client's fault that nothing is read.
        rest = BODY_PATIENCE if self.flow.read_paused else BODY_REST
        self._wait(max(0.0, min(rest, self._body_ends_at - now)), "The body of the request did not come in time.")

    def _wait(self, seconds: float, detail: str) -> None:
        self._stop_timer(keep_body=True)
        self._timer = self.loop.call_later(seconds, self._refuse, 408, detail)

    def _stop_timer(self, *, keep_body: bool = False) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
        if not keep_body:
            self._body_ends_at = 0.0
            self.doors.is_asking(self.transport)

    def _refuse(self, status: int, detail: str) -> None:
        """Says why, unless an answer has begun already, and closes."""
        if self.cycle is None or self.cycle.response_complete or not self.cycle.response_started:
            headers, body = refusal(status, detail)
            lines = [b"HTTP/1.1 %d %s" % (status, HTTPStatus(status).phrase.encode())]
            lines += [b": ".join(header) for header in headers]
            self.transport.write(b"\r\n".join([*lines, b"", body]))
        if self.cycle is not None and not self.cycle.response_complete:
            self.cycle.disconnected = True
            self.cycle.message_event.set()
        self.transport.close()

    def handle_websocket_upgrade(self, event: h11.Request) -> None:
        self._stop_timer()
        if not self.doors.becomes_socket(self.transport):
            self._refuse(503, "There are too many connections. Try again in a moment.")
            return
        super().handle_websocket_upgrade(event)

    def on_response_complete(self) -> None:
        self.doors.waits(self.transport)
        super().on_response_complete()

    def pause_writing(self) -> None:
        super().pause_writing()
        self._unread = self._unread or self.loop.call_later(UNREAD_PATIENCE, self.transport.abort)

    def resume_writing(self) -> None:
        super().resume_writing()
        self._forget_unread()

    def _forget_unread(self) -> None:
        if self._unread is not None:
            self._unread.cancel()
            self._unread = None

    def connection_lost(self, error: Exception | None) -> None:
        self._stop_timer()
        self._forget_unread()
        self.doors.leave(self.transport)
        super().connection_lost(error)


class BoundedSocket(WebSocketsSansIOProtocol):
    """One WebSocket, which leaves through the same doors, and ends where it is sent many tiny frames."""

    def __init__(self, *given: Any, **named: Any) -> None:
        super().__init__(*given, **named)
        self._tiny, self._tiny_since = 0, 0.0
        self._take_frame = self.conn.recv_frame
        self.conn.recv_frame = self._take_bounded  # type: ignore[method-assign]

    def _take_bounded(self, frame: Frame) -> None:
        if len(frame.data) < TINY_FRAME or frame.opcode in CTRL_OPCODES:
            now = self.loop.time()
            if now - self._tiny_since > TINY_WINDOW:
                self._tiny, self._tiny_since = 0, now
            self._tiny += 1
            if self._tiny > MANY_TINY:
                raise ProtocolError("too many tiny frames")
        self._take_frame(frame)

    def connection_lost(self, error: Exception | None) -> None:
        BoundedHttp.doors.leave(self.transport)
        super().connection_lost(error)
