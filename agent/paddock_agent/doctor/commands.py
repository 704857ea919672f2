"""Commands of remedies, made from facts of the host. All are for a POSIX shell, run as root; each word that comes from
a host is quoted."""

from __future__ import annotations

import re
import shlex
from collections.abc import Iterable, Sequence


def words(*parts: str) -> str:
    """One command line, each word quoted as it needs.

    >>> words("chown", "-R", "paddock:", "/srv/my work")
    "chown -R paddock: '/srv/my work'"
    """
    return " ".join(shlex.quote(part) for part in parts)


def drop_in(service: str, section: str, lines: Sequence[str], name: str = "zz-paddock-doctor") -> tuple[str, ...]:
    """Overrides lines of a unit: in a file that is read last, followed by a reload."""
    folder = f"/etc/systemd/system/{service}.d"
    text = "\\n".join([f"[{section}]", *lines, ""])
    return (
        words("mkdir", "-p", folder),
        f"printf {shlex.quote(text)} > {shlex.quote(f'{folder}/{name}.conf')}",
        "systemctl daemon-reload",
    )


def restart(service: str) -> tuple[str, ...]:
    """Starts a service again, even past its limit of starts."""
    return (words("systemctl", "reset-failed", service), words("systemctl", "restart", service))


def without_line(file: str, line_number: int) -> str:
    """Deletes one line of a file."""
    return words("sed", "-i", f"{max(1, line_number)}d", file)


def without_lines(places: Iterable[tuple[str, int]]) -> list[str]:
    """Deletes lines, each a file and a number: from the last of each file up, so that the numbers stay right."""
    return [without_line(file, number) for file, number in sorted(places, key=lambda one: (one[0], -one[1]))]


def without_variable(name: str, files: Sequence[str]) -> tuple[str, ...]:
    """Deletes a variable from environment files. Does nothing for an invalid name: sed would interpret it."""
    if not re.fullmatch(r"[A-Za-z_]\w*", name, re.ASCII):
        return ()
    return tuple(words("sed", "-i", f"/^{name}=/d", file) for file in files)


def with_sudo(commands: Sequence[str]) -> tuple[str, ...]:
    """The same commands for a person who is not root. A redirection needs a shell that runs as root."""
    return tuple(f"sudo sh -c {shlex.quote(one)}" if ">" in one or "&&" in one else f"sudo {one}" for one in commands)
