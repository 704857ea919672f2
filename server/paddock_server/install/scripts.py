"""The bring-up scripts, with this server's address and a sheet's choices at their head."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote

from .index import AGENT, agent_version, agent_wheel
from .versions import pip_wheel

SCRIPTS = {
    "paddock.sh": Path(__file__).with_name("paddock.sh"),
    "paddock.ps1": Path(__file__).with_name("paddock.ps1"),
}
NOT_QUOTABLE = set("'\"\n\r`$")


@dataclass(frozen=True)
class Script:
    """One script as it is handed out."""

    address: str
    text: str

    @property
    def sha256(self) -> str:
        """The checksum that the command compares."""
        return hashlib.sha256(self.text.encode()).hexdigest()


def file_for(system: str) -> str:
    """Which script a system runs."""
    return "paddock.ps1" if system == "windows" else "paddock.sh"


def script_for(server: str, system: str, code: str = "", choices: dict[str, str] | None = None) -> Script:
    """The script for a machine. ``choices`` are environment variables that its head sets."""
    file = file_for(system)
    files = {wheel.name: wheel for wheel in (agent_wheel(), pip_wheel()) if wheel}
    head = {"PADDOCK_SERVER": server, "PADDOCK_VERSION": agent_version()}
    for variable, name in (("PADDOCK_WHEEL", AGENT), ("PADDOCK_PIP", "pip")):
        if found := files.get(name):
            head |= {variable: found.file.name, f"{variable}_SHA256": found.sha256}
    head |= {"PADDOCK_SHEET": code} if code else {}
    head |= {name: value for name, value in (choices or {}).items() if value}
    address = f"{server}/install/{file}" + (f"?sheet={quote(code)}" if code else "")
    return Script(address, SCRIPTS[file].read_text(encoding="utf-8").replace("#@HEAD@", _head(head, file)))


def _head(variables: dict[str, str], file: str) -> str:
    """The assignments. What goes in was checked where it came in; a value that could end its quotes ends here."""
    for name, value in variables.items():
        if NOT_QUOTABLE & set(value):
            raise ValueError(f"{name} cannot stand in a script: {value!r}")
    if file == "paddock.ps1":
        return "\n".join(f"$env:{name} = '{value}'" for name, value in variables.items())
    return "\n".join([*(f"{name}='{value}'" for name, value in variables.items()), f"export {' '.join(variables)}"])
