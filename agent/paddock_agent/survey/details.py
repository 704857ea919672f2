"""What a survey tells of the host itself: its system, processor, display, groups and environment.

Of environment variables only the names are reported, and the values of those in PLAIN_VALUES and of tools' homes: a
value may be a secret, and a secret never leaves the host."""

from __future__ import annotations

import datetime
import re
from collections.abc import Mapping, Sequence

from ..catalogue import Tool
from ..machine import answer_of
from ..system import System
from ..wire import Details

PLAIN_VALUES = ("PATH", "LANG", "LC_ALL", "TZ", "SHELL", "COMSPEC", "PATHEXT", "TMPDIR", "TEMP", "LD_LIBRARY_PATH")
TOLD_FEATURES = frozenset(
    [
        "aes",
        "avx",
        "avx2",
        "avx512f",
        "avx512vl",
        "bmi2",
        "fma",
        "sse4_2",
        "sha_ni",
        "vmx",
        "svm",
        "hypervisor",
        "asimd",
        "neon",
        "sve",
        "crc32",
        "sha2",
        "atomics",
    ]
)
_PENDING = {
    "linux": ("/run/reboot-required", "/var/run/reboot-required"),
    "windows": (
        r"HKLM\SOFTWARE\Microsoft\Windows\CurrentVersion\Component Based Servicing\RebootPending",
        r"HKLM\SOFTWARE\Microsoft\Windows\CurrentVersion\WindowsUpdate\Auto Update\RebootRequired",
    ),
}
_PACKAGES = {
    "linux": (
        "/var/lib/dpkg/status",
        "/var/lib/rpm/rpmdb.sqlite",
        "/usr/lib/sysimage/rpm/rpmdb.sqlite",
        "/lib/apk/db/installed",
    ),
    "macos": ("/Library/Receipts/InstallHistory.plist",),
}
_UPDATES = r"HKLM\SOFTWARE\Microsoft\Windows\CurrentVersion\WindowsUpdate\Auto Update\Results\Install"


async def gather_details(system: System, tools: Sequence[Tool]) -> Details:
    """The details of the host. Unknown details stay empty; raises nothing."""
    environment = {name: value for name, value in system.environment().items() if _is_word(name)}
    shown = {*PLAIN_VALUES, *(name for tool in tools for name in tool.home_variables)}
    values = {name: value[:2000] for name, value in environment.items() if name.upper() in shown and _is_line(value)}
    processor, features = await _processor(system)
    return Details(
        build=(await _build(system))[:200],
        processor=processor[:200],
        features=features,
        display=(await _display(system))[:200],
        groups=(await _groups(system))[:500],
        restart_pending=_restart_pending(system)[:200],
        packages_updated=_packages_updated(system),
        variables=sorted(environment)[:1000],
        values=dict(sorted(values.items())),
    )


def _is_word(text: str) -> bool:
    return 0 < len(text) <= 200 and text.isprintable()


def _is_line(text: str) -> bool:
    """Whether a value is text, and holds no address with a password in it."""
    return text.isprintable() and not re.search(r"://[^/\s]*:[^/\s]*@", text)


async def _build(system: System) -> str:
    match system.family:
        case "linux":
            return (system.read_text("/proc/sys/kernel/osrelease") or "").strip()
        case "macos":
            return await answer_of(system, ["sw_vers", "-buildVersion"])
        case "windows":
            found = _values(system, r"HKLM\SOFTWARE\Microsoft\Windows NT\CurrentVersion")
            return f"{found.get('CurrentBuild', '')}.{found.get('UBR', '')}".strip(".")


async def _processor(system: System) -> tuple[str, list[str]]:
    match system.family:
        case "linux":
            text = system.read_text("/proc/cpuinfo") or ""
            name = re.search(r"^(?:model name|Model|Hardware)\s*:\s*(.+)$", text, re.MULTILINE)
            flags = re.search(r"^(?:flags|Features)\s*:\s*(.+)$", text, re.MULTILINE)
            return name.group(1) if name else "", _known_features(flags.group(1).split() if flags else [])
        case "macos":
            name_text = await answer_of(system, ["sysctl", "-n", "machdep.cpu.brand_string"])
            flags_text = await answer_of(system, ["sysctl", "-n", "machdep.cpu.features"])
            return name_text, _known_features(flags_text.lower().replace(".", "_").split())
        case "windows":
            found = _values(system, r"HKLM\HARDWARE\DESCRIPTION\System\CentralProcessor\0")
            return found.get("ProcessorNameString", "").strip(), []


def _values(system: System, key: str) -> Mapping[str, str]:
    return next((found.values for found in system.registry(key)), {})


def _known_features(features: list[str]) -> list[str]:
    return sorted(TOLD_FEATURES & set(features))


async def _display(system: System) -> str:
    environment = system.environment()
    match system.family:
        case "linux":
            return environment.get("WAYLAND_DISPLAY") or environment.get("DISPLAY") or "none"
        case "macos":
            return "Aqua" if await answer_of(system, ["launchctl", "managername"]) == "Aqua" else "none"
        case "windows":
            return environment.get("SESSIONNAME") or "none"


async def _groups(system: System) -> list[str]:
    if system.family == "windows":
        text = await answer_of(system, ["whoami", "/groups", "/fo", "csv", "/nh"])
        names = re.findall(r'^"([^"]+)"', text, re.MULTILINE)
    else:
        names = (await answer_of(system, ["id", "-Gn"])).split()
    return sorted({name for name in names if _is_word(name)})


def _restart_pending(system: System) -> str:
    match system.family:
        case "linux":
            file = next((file for file in _PENDING["linux"] if system.changed_at(file) is not None), "")
            return f"{file} is there" if file else "no"
        case "windows":
            keys = [key for key in _PENDING["windows"] if system.registry(key)]
            return f"{keys[0]} is there"[:200] if keys else "no"
    return ""


def _packages_updated(system: System) -> float | None:
    if system.family == "windows":
        text = _values(system, _UPDATES).get("LastSuccessTime", "")
        try:
            return datetime.datetime.fromisoformat(text).replace(tzinfo=datetime.UTC).timestamp()
        except ValueError:
            return None
    times = [at for file in _PACKAGES[system.family] if (at := system.changed_at(file)) is not None]
    return max(times, default=None)
