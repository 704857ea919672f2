"""What the server signs, so that both sides build the same text."""

from __future__ import annotations

CONTEXT_OF_SET, CONTEXT_OF_TRIAL = b"yellow paddock probes\n", b"yellow paddock trial\n"
"""What is signed begins with its purpose, so that no signature can be used for another."""


def signed_text(number: int, tools: str) -> bytes:
    """What the signature of a set of probes is over."""
    return CONTEXT_OF_SET + f"{number}\n{tools}".encode()


def trial_text(trial: int, tool: str) -> bytes:
    """What the signature of a dry run is over."""
    return CONTEXT_OF_TRIAL + f"{trial}\n{tool}".encode()
