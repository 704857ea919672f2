"""The named errors of the agent. Each carries a sentence that a person can act on."""

from __future__ import annotations


class AgentError(Exception):
    """Anything that stops the agent, or what it was asked to do. ``remedy`` are commands for the machine."""

    def __init__(self, sentence: str, *remedy: str) -> None:
        self.remedy = remedy
        super().__init__(sentence)


class JoinRefused(AgentError):
    """The server would not let the agent join; the sentence is the server's."""


class Unreachable(AgentError):
    """No server answered at the address."""


class Untrusted(Unreachable):
    """This machine does not trust the server's certificate."""


class NotJoined(AgentError):
    """This machine has no key yet."""


class Dismissed(AgentError):
    """The server knows the key no longer: the host was turned away or retired."""


class BadMessage(AgentError):
    """A message that is not one of ours, is too large, or has a field out of its bounds."""


class CommandFailed(AgentError):
    """A command could not be run at all: not there, not allowed, or past its time."""


class BadPattern(AgentError):
    """A pattern of files that is too long, or has too many stars."""


class BadReading(AgentError):
    """A reading of the catalogue that cannot be used. ``column`` counts characters from 1."""

    def __init__(self, column: int, message: str) -> None:
        self.column = column
        super().__init__(f"column {column}: {message}")


class BadTool(AgentError):
    """A tool's definition that cannot be used: the field, and what is wrong with it."""
