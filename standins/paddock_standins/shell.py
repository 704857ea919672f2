"""As much of a shell as the demo needs: one command a line, variables, $(…), echo, sleep, and the host's own tools."""

from __future__ import annotations

import asyncio
import re
import shlex
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from paddock_agent.system.paths import paths_of

from .answer import Answer
from .git_commands import git_answer

if TYPE_CHECKING:
    from .parts_of_system import SimulatedParts

_COMMAND = re.compile(r"\$\(([^()]*)\)")
_VARIABLE = re.compile(r"\$env:(\w+)|\$\{(\w+)\}|\$(\w+)|%(\w+)%")


class Shell:
    """One script's shell on a stand-in host. Like the real agent's, it ends at the first command that fails."""

    def __init__(self, system: SimulatedParts, folder: str, variables: Mapping[str, str]) -> None:
        self._system = system
        self._folder = folder
        self._variables = variables

    async def run(self, script: str, tell: Callable[[bytes], None]) -> int:
        """Works through the script; returns its exit code."""
        for number, line in enumerate(script.splitlines(), 1):
            try:
                words = shlex.split(line, comments=True, posix=self._system.family != "windows")
            except ValueError as error:
                tell(f"line {number}: {error}\n".encode())
                return 2
            words = [self._filled_in(word.strip('"')) for word in words]
            if not words:
                continue
            if len(words) > 2 and words[-2] in (">", ">>"):
                self._write(words)
                continue
            if words[0] == "exit":
                return int(words[1]) if len(words) > 1 and words[1].isdecimal() else 0
            answer = self._answer(words, number)
            await asyncio.sleep(answer.seconds)
            if printed := answer.stdout + answer.stderr:
                tell(printed.encode())
            if answer.exit:
                return answer.exit
        return 0

    def _write(self, words: list[str]) -> None:
        """What a command prints goes into a file of the folder."""
        path = paths_of(self._system).join(self._folder, words[-1])
        before = (self._system.read_text(path) or "") if words[-2] == ">>" else ""
        self._system.write_text(path, before + self._answer(words[:-2], 0).stdout, 0o600)

    def _install(self, tool: str, version: str) -> Answer:
        """A made-up depot of tools: it installs below the folder that its file names."""
        depot = (self._system.read_text("/etc/tool-depot") or "/opt").strip()
        if depot.startswith("/mnt/"):
            return Answer(stderr=f"tool-depot: {depot} is a read-only file system\n", exit=30)
        folder = f"{depot}/{tool}-{version}/bin"
        try:
            self._system.install(f"{tool} {version} in {folder}")
        except ValueError as error:
            return Answer(stderr=f"tool-depot: {error}\n", exit=2)
        return Answer(stdout=f"{tool} {version} is in {folder}\n")

    def _filled_in(self, word: str) -> str:
        word = _COMMAND.sub(lambda found: self._answer(shlex.split(found.group(1)), 0).stdout.rstrip("\n"), word)
        return _VARIABLE.sub(lambda found: self._variables.get(next(filter(None, found.groups())), ""), word)

    def _answer(self, words: list[str], number: int) -> Answer:
        match words:
            case ["echo", *rest]:
                return Answer(stdout=" ".join(rest) + "\n")
            case ["sleep" | "Start-Sleep", seconds]:
                return Answer(seconds=float(seconds))
            case ["pwd" | "cd"]:
                return Answer(stdout=self._folder + "\n")
            case ["sudo", "-n", "tool-depot", "install", tool, version]:
                return self._install(tool, version)
            case ["tool-depot", "install", tool, version]:
                if self._system.family != "windows" and self._system.account() != "root":
                    return Answer(stderr="tool-depot: this needs superuser privilege. Are you root?\n", exit=100)
                return self._install(tool, version)
            case ["tool-depot", "clear"]:
                return Answer(stdout="cleared\n")
            case ["hostname"]:
                return Answer(stdout=self._system.hostname() + "\n")
            case ["whoami"] | ["id", "-un"]:
                return Answer(stdout=self._system.account() + "\n")
        path = self._system.find(words[0], self._variables.get("PATH", ""))
        if path is None:
            return Answer(stderr=f"line {number}: {words[0]}: command not found\n", exit=127)
        if words[0] == "git" and words[1:2] != ["--version"]:
            return git_answer(self._system.repositories, self._folder, words[1:])
        return self._system.answer(path, words[1:])
