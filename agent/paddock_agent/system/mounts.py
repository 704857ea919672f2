"""Which mount holds a path, from the kernel's own table (proc(5), /proc/PID/mountinfo). None on other systems."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

TABLE = "/proc/self/mountinfo"


@dataclass(frozen=True)
class Mount:
    """One mount: where, of which type, from which device, with its options and those of its file system."""

    point: str
    kind: str
    source: str
    options: str

    @property
    def flags(self) -> frozenset[str]:
        return frozenset(self.options.split(","))


def read_mounts(table: str) -> list[Mount]:
    """Reads the table; lines that are not understood are left out."""
    found = []
    for line in table.splitlines():
        before, _, after = line.partition(" - ")
        fields, more = before.split(), after.split()
        if len(fields) < 6 or len(more) < 3:
            continue
        options = ",".join(dict.fromkeys([*fields[5].split(","), *more[2].split(",")]))
        found.append(Mount(_unescaped(fields[4]), more[0], _unescaped(more[1]), options))
    return found


def mount_of(path: str, table: str | None = None) -> Mount | None:
    """The mount that holds ``path``: the longest mount point above it, the last one where several are stacked."""
    if table is None:
        try:
            table = Path(TABLE).read_text(errors="replace")
        except OSError:
            return None
    best: Mount | None = None
    for mount in read_mounts(table):
        inside = mount.point == "/" or path == mount.point or path.startswith(mount.point + "/")
        if inside and (best is None or len(mount.point) >= len(best.point)):
            best = mount
    return best


def _unescaped(text: str) -> str:
    """The kernel writes spaces, tabs, line breaks and backslashes as octal numbers."""
    return re.sub(r"\\([0-7]{3})", lambda match: chr(int(match.group(1), 8)), text)
