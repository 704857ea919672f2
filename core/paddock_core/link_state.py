"""The state of a host's link, as a state machine: what the server saw goes in, a change with its cause comes out."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Link(StrEnum):
    CONNECTED = "connected"
    STOPPED = "stopped"
    LOST = "lost"
    NEVER_SEEN = "never seen"


class Seen(StrEnum):
    """What the server saw of the link."""

    HELLO = "hello"
    GOODBYE = "goodbye"
    SOCKET_CLOSED = "socket closed"
    SILENCE = "silence"
    KEY_REVOKED = "key revoked"


@dataclass(frozen=True)
class LinkChange:
    """The link went to ``state``; ``cause`` says why in a sentence."""

    state: Link
    cause: str


_CAUSES = {
    Seen.HELLO: (Link.CONNECTED, "The agent said hello."),
    Seen.GOODBYE: (Link.STOPPED, "The agent said goodbye: it was stopped."),
    Seen.SOCKET_CLOSED: (
        Link.LOST,
        "The connection closed without a goodbye: the agent was killed, or the network was cut.",
    ),
    Seen.SILENCE: (Link.LOST, "Nothing was heard past the grace."),
    Seen.KEY_REVOKED: (Link.STOPPED, "Its key was taken back."),
}


def link_after(now: Link, seen: Seen) -> LinkChange | None:
    """The change that ``seen`` makes to a link that is ``now``; None where nothing changes.

    A goodbye holds: the socket that closes after it, and the silence that follows, do not make the host lost.
    """
    state, cause = _CAUSES[seen]
    if state is now:
        return None
    if seen in (Seen.SOCKET_CLOSED, Seen.SILENCE) and now is not Link.CONNECTED:
        return None
    return LinkChange(state, cause)
