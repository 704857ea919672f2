"""What the parts of a simulated system, as its service manager and its shell, need of it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from paddock_agent.system.port import System

from .answer import Answer


class SimulatedParts(System, Protocol):
    """A system, with what only a simulated one has."""

    repeated: dict[str, tuple[str, ...]]
    repositories: dict[str, tuple[str, str]]

    def repeat(self, name: str, command: Sequence[str]) -> None:
        """A program that the machine runs again and again, from now on."""

    def written_below(self, folder: str) -> list[tuple[str, str]]:
        """The files that were written below a folder, with their text."""

    def find(self, command: str, path_variable: str = "") -> str | None:
        """The full path of a command."""

    def install(self, line: str) -> None:
        """Puts a tool onto the disk."""

    def answer(self, path: str, arguments: Sequence[str]) -> Answer:
        """What a command says to its arguments."""
