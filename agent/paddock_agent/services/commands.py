"""Commands that the adapters have in common."""

from __future__ import annotations

from collections.abc import Sequence

from ..errors import CommandFailed
from ..system import System

PATIENCE = 60.0
"""Seconds for each command."""


async def run_or_fail(system: System, command: Sequence[str]) -> str:
    """The output of a preparation command. Raises CommandFailed with its error output."""
    done = await system.run(command, PATIENCE)
    if done.exit_code:
        raise CommandFailed(f"{' '.join(command[:2])}: {done.stderr.strip() or done.stdout.strip()}")
    return done.stdout


async def prove_program(system: System, become: Sequence[str], account: str, program: Sequence[str]) -> None:
    """The account must be able to run the program: it is often in a private folder. Raises CommandFailed."""
    tried = await system.run([*become, *program, "--version"], PATIENCE)
    if tried.exit_code:
        lines = (tried.stderr.strip() or tried.stdout.strip()).splitlines()
        raise CommandFailed(
            f"The account {account} cannot run {program[0]}: {lines[-1] if lines else 'it ended at once'}. "
            "Install the agent where every account can read it, such as /opt, or name another account with --user."
        )
