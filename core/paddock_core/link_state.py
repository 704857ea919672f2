"""The state of a host's link, as a state machine: what the server saw goes in, a change with its cause comes out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

FLAPPING_WINDOW = 1800.0
"""Seconds that are looked at for flapping."""
FLAPPING_LOSSES = 4
"""So many losses within the window are flapping: a restart, an upgrade and a reboot in a row are fewer."""
STEADY_AFTER = 600.0
"""Seconds without a loss after which a link no longer counts as flapping."""


class Link(StrEnum):
    CONNECTED = "connected"
    STOPPED = "stopped"
    LOST = "lost"
    NEVER_SEEN = "never seen"


class LinkEvent(StrEnum):
    """What the server saw of the link."""

    HELLO = "hello"
    GOODBYE = "goodbye"
    SHUTDOWN = "shutdown"
    SOCKET_CLOSED = "socket closed"
    SILENCE = "silence"
    SERVER_WAS_DOWN = "server was down"
    KEY_REVOKED = "key revoked"


@dataclass(frozen=True)
class LinkChange:
    """The link went to ``state``; ``cause`` says why in a sentence."""

    state: Link
    cause: str


_CAUSES = {
    LinkEvent.HELLO: (Link.CONNECTED, "The agent connected."),
    LinkEvent.GOODBYE: (Link.STOPPED, "The agent was stopped."),
    LinkEvent.SHUTDOWN: (Link.STOPPED, "The machine was shutting down, as its service manager reported."),
    LinkEvent.SOCKET_CLOSED: (
        Link.LOST,
        "The connection closed without a goodbye: the agent was killed, or the network was cut.",
    ),
    LinkEvent.SILENCE: (Link.LOST, "The agent was silent for longer than the grace, on an open connection."),
    LinkEvent.SERVER_WAS_DOWN: (Link.LOST, "It has not reconnected since the server restarted."),
    LinkEvent.KEY_REVOKED: (Link.STOPPED, "Its key was revoked."),
}
_ENDS_A_CONNECTION = {LinkEvent.SOCKET_CLOSED, LinkEvent.SILENCE, LinkEvent.SERVER_WAS_DOWN}
SHUT_DOWN = _CAUSES[LinkEvent.SHUTDOWN][1]
"""The cause that tells a machine that was shut down from an agent that was stopped."""
SILENT = _CAUSES[LinkEvent.SILENCE][1]
"""The cause that tells a silent connection from one that was closed."""


def link_after(now: Link, seen: LinkEvent) -> LinkChange | None:
    """The change that ``seen`` makes to a link that is ``now``; None where nothing changes.

    A goodbye holds: the socket that closes after it, and the silence that follows, do not make the host lost.
    """
    state, cause = _CAUSES[seen]
    if state is now:
        return None
    if seen in _ENDS_A_CONNECTION and now is not Link.CONNECTED:
        return None
    return LinkChange(state, cause)


def is_flapping(losses: Sequence[float], now: float) -> bool:
    """Whether a link that was lost at these moments (seconds since the epoch) comes and goes.

    It takes many losses within the window to start, and quiet for a while to end: a host that was mended is not called
    flapping for the rest of the window.
    """
    recent = [at for at in losses if now - FLAPPING_WINDOW <= at <= now]
    return len(recent) >= FLAPPING_LOSSES and now - max(recent) < STEADY_AFTER


def heartbeat_for(grace: float, usual: float) -> float:
    """Seconds between heartbeats so that a grace of ``grace`` seconds sees at least three of them."""
    return min(usual, max(0.5, grace / 3))
