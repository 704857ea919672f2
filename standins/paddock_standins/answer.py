"""What a stand-in's command says."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Answer:
    """What a command says, and how long it takes over it, in seconds."""

    stdout: str = ""
    stderr: str = ""
    exit: int = 0
    seconds: float = 0.0
