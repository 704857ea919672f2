"""The packages that hosts install, from the folder where they were gathered at build time."""

from __future__ import annotations

import hashlib
import re
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from django.conf import settings

AGENT = "yellow-paddock-agent"

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


def wheels() -> tuple[Wheel, ...]:
    """All that there are."""
    folder = Path(settings.WHEELS)
    files = tuple(sorted(folder.glob("*.whl"))) if folder.is_dir() else ()
    return tuple(_wheel(file, file.stat().st_mtime_ns) for file in files)


@lru_cache(maxsize=1000)
def _wheel(file: Path, changed: int) -> Wheel:
    """Read once, and again only after the file has changed."""
    match = _WHEEL.fullmatch(file.name)
    name, version = (match["name"], match["version"]) if match else (file.stem, "")
    return Wheel(normalized(name), version, file, hashlib.sha256(file.read_bytes()).hexdigest())


def agent_version() -> str:
    """The version of the agent that hosts get; "" where nothing was gathered."""
    return next((wheel.version for wheel in wheels() if wheel.name == AGENT), "")
