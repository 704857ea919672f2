"""The lines that were added to the unit of the service in which this process runs: files that every account can read
(systemd.unit(5)). Nothing outside of a service, and nothing on other systems.
"""

from __future__ import annotations

import contextlib
import re
from pathlib import Path

FOLDERS = ("/etc/systemd/system", "/etc/systemd/system.control", "/run/systemd/system", "/run/systemd/system.control")
MAX_LINES = 12


def own_service() -> str:
    """The name of the service that holds this process, by its control group; "" for none."""
    with contextlib.suppress(OSError):
        found = re.findall(r"/([^/\s]+\.service)", Path("/proc/self/cgroup").read_text(errors="replace"))
        return str(found[-1]) if found else ""
    return ""


def lines_of(service: str, folders: tuple[str, ...] = FOLDERS) -> dict[str, str]:
    """Each added line as a fact: ``unit line 1`` is ``FILE:NUMBER:KEY=VALUE``. A variable's value, which may be a
    secret, is left out."""
    found: list[str] = []
    names = ["service.d", f"{service}.d"] if service else []
    for file in sorted(one for folder in folders for name in names for one in Path(folder, name).glob("*.conf")):
        with contextlib.suppress(OSError):
            for number, line in enumerate(file.read_text(errors="replace").splitlines(), 1):
                if one := re.match(r"\s*([A-Za-z]\w*)\s*=\s*(\S.*?)\s*$", line):
                    key, value = one.groups()
                    value = value.partition("=")[0] + "=…" if key == "Environment" else value
                    found.append(f"{file}:{number}:{key}={value}")
    return {f"unit line {number}": line for number, line in enumerate(found[:MAX_LINES], 1)}
