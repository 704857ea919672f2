"""The packages that hosts install: those that were gathered at build time, and those that the server has kept."""

from __future__ import annotations

import hashlib
import re
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from django.conf import settings

from paddock_core.errors import VersionError
from paddock_core.versions import Version, parse

AGENT = "yellow-paddock-agent"
KEPT = "agents"
"""The folder of the server's data with packages of earlier versions, and of those that an administrator has added."""

_WHEEL = re.compile(r"(?P<name>[A-Za-z0-9_.]+)-(?P<version>[^-]+)(-[^-]+)?-[^-]+-[^-]+-[^-]+\.whl")


@dataclass(frozen=True)
class Wheel:
    """One file: ``name`` is normalized as PEP 503 wants it."""

    name: str
    version: str
    file: Path
    sha256: str


def normalized(name: str) -> str:
    """PEP 503: lower case, with single hyphens."""
    return re.sub(r"[-_.]+", "-", name).lower()


def kept_folder() -> Path:
    """Where packages are kept that no longer come with the server."""
    return Path(settings.DATA) / KEPT


def wheels() -> tuple[Wheel, ...]:
    """All that there are. A file that came with the server goes before a kept one of the same name."""
    found: dict[str, Path] = {}
    for folder in (kept_folder(), Path(settings.WHEELS)):
        if folder.is_dir():
            found |= {file.name: file for file in folder.glob("*.whl")}
    files = [found[name] for name in sorted(found)]
    return tuple(_wheel(file, file.stat().st_mtime_ns) for file in files)


@lru_cache(maxsize=1000)
def _wheel(file: Path, changed: int) -> Wheel:
    """Read once, and again only after the file has changed."""
    name, version = name_and_version(file.name)
    return Wheel(name, version, file, hashlib.sha256(file.read_bytes()).hexdigest())


def name_and_version(file: str) -> tuple[str, str]:
    """What the name of a wheel says of it; of any other file its name, and no version."""
    match = _WHEEL.fullmatch(file)
    return (normalized(match["name"]), match["version"]) if match else (normalized(Path(file).stem), "")


def order_key(version: str) -> tuple[bool, Version | str]:
    """Sorts versions of Python packages (PEP 440). One that cannot be read comes before all others."""
    try:
        return True, parse(version, "pep440")
    except VersionError:
        return False, version


def agent_wheel() -> Wheel | None:
    """The package of the newest agent; None where nothing was gathered."""
    found = [wheel for wheel in wheels() if wheel.name == AGENT]
    return max(found, key=lambda wheel: order_key(wheel.version), default=None)


def agent_held_since() -> float:
    """When the newest package of the agent came to this server, in seconds since the epoch; 0 where there is none."""
    wheel = agent_wheel()
    return wheel.file.stat().st_mtime if wheel else 0.0


def agent_version() -> str:
    """The version of the agent that hosts get; "" where nothing was gathered."""
    wheel = agent_wheel()
    return wheel.version if wheel else ""
