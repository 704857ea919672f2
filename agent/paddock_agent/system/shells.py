"""The shells of each system: how the file of a script is called, and which command runs it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from ..errors import CommandFailed
from .port import Family, Script

_PWSH = (".ps1", ["pwsh", "-NoProfile", "-NonInteractive", "-File"])
_SHELLS: dict[Family, dict[str, tuple[str, list[str]]]] = {
    "linux": {
        "bash": (".sh", ["bash", "-e"]),
        "zsh": (".sh", ["zsh", "-e"]),
        "sh": (".sh", ["sh", "-e"]),
        "python": (".py", ["python3", "-u"]),
        "powershell": _PWSH,
    },
    "macos": {
        "bash": (".sh", ["bash", "-e"]),
        "zsh": (".sh", ["zsh", "-e"]),
        "sh": (".sh", ["sh", "-e"]),
        "python": (".py", ["python3", "-u"]),
        "powershell": _PWSH,
    },
    "windows": {
        "powershell": (".ps1", ["powershell", "-NoProfile", "-NonInteractive", "-ExecutionPolicy", "Bypass", "-File"]),
        "cmd": (".cmd", ["cmd", "/d", "/c"]),
        "python": (".py", ["python", "-u"]),
        "bash": (".sh", ["bash", "-e"]),
    },
}


def written(family: Family, script: Script) -> Sequence[str]:
    """Writes the file of a script; returns the command that runs it. Raises CommandFailed."""
    known = _SHELLS[family]
    if script.shell not in known:
        raise CommandFailed(f'shell "{script.shell}" does not exist on {family}; known are {", ".join(known)}')
    ending, command = known[script.shell]
    file = Path(script.file + ending)
    try:
        file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        file.write_text(script.text, encoding="utf-8", newline="\r\n" if ending == ".cmd" else "\n")
        file.chmod(0o700)
    except OSError as error:
        raise CommandFailed(f"the script {file} could not be written: {error.strerror}") from None
    return [*command, str(file)]
