"""The lines that were added to the unit of the service in which this process runs: files that every account can read
(systemd.unit(5)). Nothing outside of a service, and nothing on other systems.
"""

from __future__ import annotations

import contextlib
import re
import shlex
from pathlib import Path

FOLDERS = ("/etc/systemd/system", "/etc/systemd/system.control", "/run/systemd/system", "/run/systemd/system.control")
MAX_LINES = 12


def own_service() -> str:
    """The name of the service that holds this process, by its control group; "" for none."""
    with contextlib.suppress(OSError):
        found = re.findall(r"/([^/\s]+\.service)", Path("/proc/self/cgroup").read_text(errors="replace"))
        return str(found[-1]) if found else ""
    return ""


def settings_in(text: str) -> list[tuple[int, str, str]]:
    """The settings in the text of a unit's file: line number, key, value. Variables lose their values, which may be
    secrets."""
    found = []
    for number, line in enumerate(text.splitlines(), 1):
        if one := re.match(r"\s*([A-Za-z]\w*)\s*=\s*(.*?)\s*$", line):
            key, value = one.groups()
            found.append((number, key, names_only(value) if key == "Environment" else value))
    return found


def names_only(environment: str) -> str:
    """The variables without their values."""
    return " ".join(f"{word.partition('=')[0]}=…" for word in split(environment) if "=" in word)


def split(text: str) -> list[str]:
    """The words of a line, with quotes as a shell has them where that is possible."""
    try:
        return shlex.split(text)
    except ValueError:
        return text.split()


def is_drop_in_of(file: str, service: str) -> bool:
    """Whether a file is where the service's drop-ins are: a host may name any file."""
    return any(
        re.fullmatch(rf"{re.escape(f'{folder}/{name}.d')}/[\w.@-]+\.conf", file, re.ASCII)
        for folder in FOLDERS
        for name in ("service", service)
        if re.fullmatch(r"[\w.@:-]+", name, re.ASCII)
    )


def lines_of(service: str, folders: tuple[str, ...] = FOLDERS) -> dict[str, str]:
    """Each added line as a fact: ``unit line 1`` is ``FILE:NUMBER:KEY=VALUE``."""
    found: list[str] = []
    names = ["service.d", f"{service}.d"] if service else []
    for file in sorted(one for folder in folders for name in names for one in Path(folder, name).glob("*.conf")):
        with contextlib.suppress(OSError):
            settings = settings_in(file.read_text(errors="replace"))
            found += [f"{file}:{number}:{key}={value}" for number, key, value in settings if value]
    return {f"unit line {number}": line for number, line in enumerate(found[:MAX_LINES], 1)}
