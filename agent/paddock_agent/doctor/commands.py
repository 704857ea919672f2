"""Commands of remedies, made from facts of the host. All are for a POSIX shell, run as root; each word that comes from
a host is quoted."""

from __future__ import annotations

import shlex
from collections.abc import Sequence


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
    """Starts a service anew, whatever its limit of starts says."""
    return (words("systemctl", "reset-failed", service), words("systemctl", "restart", service))


def without_line(file: str, line_number: int) -> str:
    """Takes one line out of a file; a copy without it is what stays."""
    return words("sed", "-i", f"{line_number}d", file)


def with_sudo(commands: Sequence[str]) -> tuple[str, ...]:
    """The same commands for somebody who is not root. A redirection needs a shell of root's own."""
    return tuple(f"sudo sh -c {shlex.quote(one)}" if ">" in one or "&&" in one else f"sudo {one}" for one in commands)
