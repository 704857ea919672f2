"""The named errors of the core. Each carries a sentence that a person can act on."""

from __future__ import annotations

from collections.abc import Sequence


class CoreError(ValueError):
    """Anything that the core refuses."""


class VersionError(CoreError):
    """A version or a range of versions that cannot be read.

    ``column`` counts characters of ``text`` from 1.
    """

    def __init__(self, text: str, column: int, message: str) -> None:
        self.text = text
        self.column = column
        self.message = message
        super().__init__(f"column {column}: {message}")


class TermError(CoreError):
    """A term that cannot be read.

    ``column`` counts characters of ``text`` from 1; ``expected`` names what could have stood there;
    ``nearest`` is the known word closest to what did stand there, if one is close.
    """

    def __init__(
        self, text: str, column: int, message: str, expected: tuple[str, ...] = (), nearest: str | None = None
    ) -> None:
        self.text = text
        self.column = column
        self.message = message
        self.expected = expected
        self.nearest = nearest
        super().__init__(self.sentence())

    def sentence(self) -> str:
        """What is wrong, where, and what to do, in one line."""
        parts = [f"column {self.column}: {self.message}"]
        if self.nearest:
            parts.append(f'Did you mean "{self.nearest}"?')
        elif self.expected:
            parts.append(f"Expected {join_or(self.expected)}.")
        return " ".join(parts)


class RuleError(CoreError):
    """A rule of recurrence that is not understood, or that has no time."""


class ShellError(CoreError):
    """A shell that no agent runs. ``nearest`` is the one that was probably meant."""

    def __init__(self, shell: str, nearest: str | None, known: Sequence[str]) -> None:
        self.nearest = nearest
        hint = f' Did you mean "{nearest}"?' if nearest else ""
        super().__init__(f'Unknown shell "{shell[:40]}".{hint} Known shells: {", ".join(known)}.')


class ContradictionError(CoreError):
    """Two terms of one job that no host can meet together. ``first`` and ``second`` count from 0."""

    def __init__(self, first: int, second: int, message: str) -> None:
        self.first = first
        self.second = second
        super().__init__(message)


class TransitionError(CoreError):
    """An event that cannot happen in the present state."""


def join_or(words: tuple[str, ...] | list[str]) -> str:
    """``["a", "b", "c"]`` -> ``"a, b or c"``."""
    words = list(words)
    if len(words) < 2:
        return "".join(words)
    return f"{', '.join(words[:-1])} or {words[-1]}"
