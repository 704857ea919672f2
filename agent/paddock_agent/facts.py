"""What the host itself is, asked of the machine in its own way."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Sequence

from .machine import answer_of, processor_of, system_of
from .system import System
from .wire import MAX_NETWORKS, Difference, Facts, Network


async def gather_facts(system: System, work_folder: str, differs: Sequence[Difference] = ()) -> Facts:
    """The facts of the host. Unknown facts stay empty; raises nothing. ``differs`` is passed on: to
    learn it takes a log-in, which is not to be had at once."""
    name, version = await system_of(system)
    hardware = system.hardware()
    disk = system.disk(work_folder)
    return Facts(
        os=system.family,
        os_version=version[:200],
        os_name=name[:200],
        arch=await processor_of(system),
        hostname=system.hostname()[:200],
        user=system.account()[:200],
        cores=hardware.cores,
        memory=hardware.memory,
        disk_total=disk.total,
        disk_free=disk.free,
        work_folder=work_folder[:2000],
        agent_version=system.agent_version(),
        kept_by=system.kept_by()[:200],
        machine=await _machine(system),
        differs=list(differs),
        boot=system.boot()[:200],
        python=".".join(map(str, system.python()[0])),
        networks=[Network(card.hardware, card.address, card.broadcast) for card in system.networks()[:MAX_NETWORKS]],
    )


async def _machine(system: System) -> str:
    """A hash of the system's machine id. The id itself may be a secret to other programs, so it stays on the host."""
    match system.family:
        case "linux":
            identity = system.read_text("/etc/machine-id") or ""
        case "macos":
            listed = await answer_of(system, ["ioreg", "-rd1", "-c", "IOPlatformExpertDevice"])
            found = re.search(r'"IOPlatformUUID" = "([^"]+)"', listed)
            identity = found.group(1) if found else ""
        case "windows":
            key = r"HKLM\SOFTWARE\Microsoft\Cryptography"
            found = re.search(
                r"MachineGuid\s+REG_SZ\s+(\S+)", await answer_of(system, ["reg", "query", key, "/v", "MachineGuid"])
            )
            identity = found.group(1) if found else ""
    identity = identity.strip()
    return hashlib.sha256(f"yellow-paddock {identity}".encode()).hexdigest()[:32] if identity else ""
