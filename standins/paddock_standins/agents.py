"""The versions of the agent on a stand-in's disk, and what the commands say that install another one. All of them are
the code of this package: they differ in the version that they name, and in whether they start here."""

from __future__ import annotations

import asyncio
import json
import re
from collections.abc import Sequence

from paddock_agent.preflight.plan import PREFIXES
from paddock_agent.system.port import Completed, Family

INSTALL_SECONDS = 4.0
DISK_FULL = "ERROR: Could not install packages due to an OSError: [Errno 28] No space left on device"


class SimulatedAgents:
    """One host's. ``fails`` says how every other version than ``version``, the first, fails here: install or start; ""
    for none."""

    def __init__(self, family: Family, version: str, fails: str = "") -> None:
        self.prefix = PREFIXES[family]
        self._separator = "\\" if family == "windows" else "/"
        self._fails = fails
        self.first = version
        self.pointer = self._below("current")
        self.folders = {self._below(f"agent-{version}")}
        self.current = self._below(f"agent-{version}")

    def _below(self, name: str) -> str:
        return f"{self.prefix}{self._separator}{name}"

    @property
    def version(self) -> str:
        """The version that the pointer leads to."""
        return self.current.rpartition("agent-")[2]

    @property
    def starts(self) -> bool:
        """Whether the version that the pointer leads to can start."""
        return self._fails != "start" or self.version == self.first

    def point(self, target: str) -> None:
        """Leads the pointer elsewhere."""
        self.current = target
        self.folders.add(target)

    def names(self) -> list[str]:
        """The names of the versions' folders."""
        return [folder.rpartition(self._separator)[2] for folder in sorted(self.folders)]

    def has_program(self, path: str) -> bool:
        """Whether the Python of one of the versions is at a path."""
        program = "\\Scripts\\python.exe" if self._separator == "\\" else "/bin/python"
        return path in {folder + program for folder in self.folders}

    async def answer(self, command: Sequence[str]) -> Completed | None:
        """What a command says that belongs to an upgrade; None for all others."""
        words = list(command)
        if "-c" in words and words[-1] == "--json":
            return Completed(0, json.dumps({"checks": []}), "")
        if words[1:3] == ["-m", "venv"]:
            self.folders.add(words[-1])
            return Completed(0, "", "")
        if "install" in words and "--require-hashes" in words:
            await asyncio.sleep(INSTALL_SECONDS)
            return Completed(1, "", DISK_FULL) if self._fails == "install" else Completed(0, "", "")
        if words[0] == "chmod" and words[-1] in self.folders:
            return Completed(0, "", "")
        if words[1:4] == ["-m", "paddock_agent", "--version"] and (found := re.search(r"agent-([^/\\]+)", words[0])):
            return Completed(0, f"{found[1]}\n", "")
        if words[1:5] == ["-m", "paddock_agent", "watch", "renew"]:
            return Completed(0, "", "")
        return None
