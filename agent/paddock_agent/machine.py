"""Which system and processor a machine has, asked in its own way. Needs no package: the preflight asks too."""

from __future__ import annotations

import re

from .errors import CommandFailed
from .system import System

PATIENCE = 10.0
"""Seconds for each command."""

_ARCH = {
    "x86_64": "x64",
    "amd64": "x64",
    "x64": "x64",
    "aarch64": "arm64",
    "arm64": "arm64",
    "i386": "x86",
    "i686": "x86",
    "x86": "x86",
    "armv7l": "armv7",
    "riscv64": "riscv64",
    "ppc64le": "ppc64le",
    "s390x": "s390x",
}


async def system_of(system: System) -> tuple[str, str]:
    """The system's name as its maker writes it, and its version."""
    match system.family:
        case "linux":
            answer = dict(re.findall(r'^(\w+)="?(.*?)"?$', system.read_text("/etc/os-release") or "", re.MULTILINE))
            return answer.get("PRETTY_NAME", "Linux"), answer.get("VERSION_ID", "")
        case "macos":
            version = await answer_of(system, ["sw_vers", "-productVersion"])
            return f"macOS {version}", version
        case "windows":
            found = re.search(r"(\d+(?:\.\d+)+)", await answer_of(system, ["cmd", "/c", "ver"]))
            version = found.group(1) if found else ""
            return f"Windows {version}", version


async def processor_of(system: System) -> str:
    """The processor in the words of the terms, as x64 or arm64; what is not known there as the system says it."""
    if system.family == "windows":
        answer = system.environment().get("PROCESSOR_ARCHITECTURE", "")
    else:
        answer = await answer_of(system, ["uname", "-m"])
    return _ARCH.get(answer.lower(), answer.lower()[:200])


async def answer_of(system: System, command: list[str]) -> str:
    """What a command printed, without space round it; "" where it cannot be run."""
    try:
        return (await system.run(command, PATIENCE)).stdout.strip()
    except CommandFailed:
        return ""
