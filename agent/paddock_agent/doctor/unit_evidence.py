"""Evidence about the unit: what systemd says of it, what was added to it, its environment, its process and its log."""

from __future__ import annotations

import os
import re
import subprocess
from pathlib import Path

from ..system.drop_ins import settings_in, split
from .evidence import MAX_LINES, Check, Override
from .files import text_of
from .unit_settings import NEEDS

PATIENCE = 15.0
UNIT_COPY = "unit.saved"
"""The unit as the agent wrote it, in the watch's folder."""
MAX_NEEDS = 40
PROPERTIES = [
    "LoadState",
    "LoadError",
    "ActiveState",
    "SubState",
    "UnitFileState",
    "Result",
    "ExecMainStatus",
    "ExecMainCode",
    "NRestarts",
    "User",
    "Group",
    "FragmentPath",
    "DropInPaths",
    "NeedDaemonReload",
    "ConditionResult",
    "AssertResult",
    "MainPID",
    "ExecMainStartTimestampMonotonic",
    "ActiveEnterTimestampMonotonic",
    "InactiveEnterTimestampMonotonic",
    "LimitNOFILE",
    "LimitNPROC",
    "TasksMax",
    "MemoryMax",
    "WorkingDirectory",
    "Environment",
    "EnvironmentFiles",
    "ExecStart",
    "Type",
    "TimeoutStartUSec",
    "Job",
    "StatusErrno",
    *NEEDS,
]


def _run(*command: str) -> tuple[int, str]:
    """Exit code and output of a command; 127 where it cannot be run."""
    try:
        done = subprocess.run(
            command,
            capture_output=True,
            text=True,
            errors="replace",
            timeout=PATIENCE,
            check=False,
            stdin=subprocess.DEVNULL,
            env={**os.environ, "LC_ALL": "C", "SYSTEMD_COLORS": "0", "PAGER": ""},
        )
    except (OSError, subprocess.TimeoutExpired) as error:
        return 127, str(error)
    return done.returncode, done.stdout or done.stderr


def unit_of(service: str) -> dict[str, str]:
    """The properties of the unit, where it is masked, and whether its own file still exists."""
    code, shown = _run("systemctl", "show", service, "--property=" + ",".join(PROPERTIES))
    if code:
        return {"LoadState": "", "LoadError": shown.strip()[:300]}
    unit = dict(line.split("=", 1) for line in shown.splitlines() if "=" in line)
    for name in ("/etc/systemd/system", "/run/systemd/system"):
        if os.path.realpath(f"{name}/{service}") == "/dev/null":
            unit["MaskedBy"] = f"{name}/{service}"
    unit["UnmetNeeds"] = " ".join(_unmet(" ".join(unit.pop(name, "") for name in NEEDS).split()))
    fragment = unit.get("FragmentPath", "")
    unit["FragmentExists"] = "yes" if fragment and Path(fragment).exists() else "no"
    return unit


def _unmet(names: list[str]) -> list[str]:
    """The units that cannot be started or have failed, each as ``NAME=how``."""
    if not names:
        return []
    _, shown = _run("systemctl", "show", "--property=Id,LoadState,ActiveState", *names[:MAX_NEEDS])
    found = []
    for block in shown.strip().split("\n\n"):
        one = dict(line.split("=", 1) for line in block.splitlines() if "=" in line)
        if (loaded := one.get("LoadState", "loaded")) != "loaded":
            found.append(f"{one.get('Id')}={loaded}")
        elif one.get("ActiveState") == "failed":
            found.append(f"{one.get('Id')}=failed")
    return found


def unit_check(unit: dict[str, str]) -> Check:
    """Whether systemd has loaded the unit."""
    loaded = unit.get("LoadState", "")
    return Check("unit", loaded == "loaded", unit.get("LoadError") or loaded)


def overrides_of(unit: dict[str, str], watch_folder: str) -> list[Override]:
    """The lines of drop-ins, and those of the unit's own file that are not as the agent wrote them."""
    found = []
    for file in unit.get("DropInPaths", "").split():
        found += _settings(file)
    copy = Path(watch_folder, UNIT_COPY)
    fragment = unit.get("FragmentPath", "")
    if copy.exists() and fragment and Path(fragment).is_file():
        ours = {(one.key, one.value) for one in _settings(str(copy))}
        found += [one for one in _settings(fragment) if (one.key, one.value) not in ours]
    return found


def _settings(file: str) -> list[Override]:
    return [Override(file, *setting) for setting in settings_in(text_of(file))]


def manager_environment() -> dict[str, str]:
    """What systemd gives to every service."""
    code, shown = _run("systemctl", "show-environment")
    pairs = (word.partition("=") for line in shown.splitlines() for word in split(line)[:1]) if not code else ()
    return {name: value for name, separator, value in pairs if separator and name.isidentifier()}


def environment_of(unit: dict[str, str], account: str, home: str, given: dict[str, str]) -> dict[str, str]:
    """What the service starts with: what systemd gives to all (``given``), its Environment lines and its files."""
    found = {"PATH": "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin", "USER": account, "LANG": "C.UTF-8"}
    found |= given
    if home:
        found["HOME"] = home
    for word in split(unit.get("Environment", "")):
        name, _, value = word.partition("=")
        found[name] = value
    for file in re.findall(r"(/\S+) \(", unit.get("EnvironmentFiles", "")):
        for line in text_of(file).splitlines():
            if line.strip() and not line.lstrip().startswith(("#", ";")) and "=" in line:
                name, _, value = line.partition("=")
                found[name.strip()] = "".join(split(value.strip())[:1])
    return found


def log_of(service: str) -> list[str]:
    """The end of what the service printed."""
    code, shown = _run("journalctl", "--unit", service, "--lines", str(MAX_LINES), "--output=cat", "--no-pager")
    return [] if code else [line for line in shown.splitlines() if not line.startswith("-- ")][-MAX_LINES:]


def process_of(unit: dict[str, str]) -> dict[str, str]:
    """The state of the service's process, its age in seconds, and its limit of open files."""
    pid = unit.get("MainPID", "0")
    found = {"pid": pid}
    after = text_of(f"/proc/{pid}/stat").rpartition(")")[2].split()
    if pid != "0" and len(after) > 19:
        found["state"] = after[0]
        uptime = float(text_of("/proc/uptime").split()[0] or 0)
        found["age"] = f"{max(0.0, uptime - int(after[19]) / os.sysconf('SC_CLK_TCK')):.0f}"
        for line in text_of(f"/proc/{pid}/limits").splitlines():
            if line.startswith("Max open files"):
                found["limit of open files"] = line.split()[3]
    return found
