"""What the host itself is, asked of the machine in its own way."""

from __future__ import annotations

import hashlib
import re

from . import __version__
from .errors import CommandFailed
from .system import System
from .wire import Facts

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


async def gather_facts(system: System, work_folder: str) -> Facts:
    """The facts of the host. What cannot be learnt is left empty; nothing is raised."""
    name, version = await _os(system)
    hardware = system.hardware()
    disk = system.disk(work_folder)
    return Facts(
        os=system.family,
        os_version=version[:200],
        os_name=name[:200],
        arch=await _arch(system),
        hostname=system.hostname()[:200],
        user=system.account()[:200],
        cores=hardware.cores,
        memory=hardware.memory,
        disk_total=disk.total,
        disk_free=disk.free,
        work_folder=work_folder[:2000],
        agent_version=__version__,
        kept_by=system.kept_by()[:200],
        machine=await _machine(system),
    )


async def _os(system: System) -> tuple[str, str]:
    """The system's name as its maker writes it, and its version."""
    match system.family:
        case "linux":
            said = dict(re.findall(r'^(\w+)="?(.*?)"?$', system.read_text("/etc/os-release") or "", re.MULTILINE))
            return said.get("PRETTY_NAME", "Linux"), said.get("VERSION_ID", "")
        case "macos":
            version = await _answer(system, ["sw_vers", "-productVersion"])
            return f"macOS {version}", version
        case "windows":
            found = re.search(r"(\d+(?:\.\d+)+)", await _answer(system, ["cmd", "/c", "ver"]))
            version = found.group(1) if found else ""
            return f"Windows {version}", version


async def _arch(system: System) -> str:
    if system.family == "windows":
        said = system.environment().get("PROCESSOR_ARCHITECTURE", "")
    else:
        said = await _answer(system, ["uname", "-m"])
    return _ARCH.get(said.lower(), said.lower()[:200])


async def _machine(system: System) -> str:
    """A hash of the system's machine id. The id itself may be a secret to other programs, so it stays on the host."""
    match system.family:
        case "linux":
            said = system.read_text("/etc/machine-id") or ""
        case "macos":
            listed = await _answer(system, ["ioreg", "-rd1", "-c", "IOPlatformExpertDevice"])
            found = re.search(r'"IOPlatformUUID" = "([^"]+)"', listed)
            said = found.group(1) if found else ""
        case "windows":
            key = r"HKLM\SOFTWARE\Microsoft\Cryptography"
            found = re.search(
                r"MachineGuid\s+REG_SZ\s+(\S+)", await _answer(system, ["reg", "query", key, "/v", "MachineGuid"])
            )
            said = found.group(1) if found else ""
    said = said.strip()
    return hashlib.sha256(f"yellow-paddock {said}".encode()).hexdigest()[:32] if said else ""


async def _answer(system: System, command: list[str]) -> str:
    try:
        return (await system.run(command, PATIENCE)).stdout.strip()
    except CommandFailed:
        return ""
