"""A machine that is not there: the agent's System port, answered from a description."""

from __future__ import annotations

import asyncio
import fnmatch
from collections.abc import Mapping, Sequence

from paddock_agent.errors import CommandFailed
from paddock_agent.survey.places import path_folders, paths_of
from paddock_agent.system.port import Completed, Disk, Hardware, ScriptProcess, System

from .description import Answer, Description
from .shell import Shell

SHELLS = {"linux": ("bash", "sh"), "macos": ("zsh", "bash", "sh"), "windows": ("powershell", "cmd")}


class SimulatedSystem(System):
    """One stand-in host."""

    def __init__(self, description: Description) -> None:
        self.description = description
        self.family = description.family
        self._written: dict[str, str] = {}

    async def run(self, command: Sequence[str], time_limit: float) -> Completed:
        """See the port."""
        path = self.find(command[0])
        if path is None:
            raise CommandFailed(f"{command[0]} could not be started: No such file or directory")
        answer = self.answer(path, command[1:])
        if answer.seconds > time_limit:
            await asyncio.sleep(time_limit)
            raise CommandFailed(f"{command[0]} did not answer within {time_limit:g} s")
        await asyncio.sleep(answer.seconds)
        return Completed(answer.exit, answer.stdout, answer.stderr)

    def find(self, command: str) -> str | None:
        """The full path of a command: as it stands, or found on PATH."""
        paths = paths_of(self)
        if paths.isabs(command):
            return command if self.real_path(command) in self.description.commands else None
        endings = ("", ".exe", ".cmd", ".bat") if self.family == "windows" else ("",)
        for folder in path_folders(self):
            for ending in endings:
                path: str = paths.join(folder, command + ending)
                if self.real_path(path) in self.description.commands:
                    return path
        return None

    def answer(self, path: str, arguments: Sequence[str]) -> Answer:
        """What the command says to these arguments."""
        answers = self.description.commands[self.real_path(path)]
        given = " ".join(arguments)
        for asked, answer in answers.items():
            if asked == given or (asked.endswith("*") and given.startswith(asked[:-1])):
                return answer
        return Answer(stderr=f"{paths_of(self).basename(path)}: the stand-in has no answer to: {given}\n", exit=1)

    def read_text(self, path: str) -> str | None:
        """See the port."""
        return self._written.get(path, self.description.files.get(path))

    def write_text(self, path: str, text: str, mode: int) -> None:
        """See the port."""
        self._written[path] = text

    def remove_file(self, path: str) -> None:
        """See the port."""
        self._written.pop(path, None)

    def is_privileged(self) -> bool:
        """See the port."""
        return False

    def environment(self) -> Mapping[str, str]:
        """See the port."""
        return self.description.environment

    def executables(self, pattern: str) -> list[str]:
        """See the port."""
        known = [*self.description.commands, *self.description.links]
        return sorted(path for path in known if self._matches(path, pattern) and self.find(path))

    def _matches(self, path: str, pattern: str) -> bool:
        """Part for part, so that ``*`` stays inside one name, as in a file system."""
        separators = str.maketrans("\\", "/") if self.family == "windows" else {}
        parts, patterns = path.translate(separators).split("/"), pattern.translate(separators).split("/")
        if self.family == "windows":
            parts, patterns = [p.lower() for p in parts], [p.lower() for p in patterns]
        return len(parts) == len(patterns) and all(
            fnmatch.fnmatchcase(part, wanted) for part, wanted in zip(parts, patterns, strict=True)
        )

    def real_path(self, path: str) -> str:
        """See the port."""
        seen = set()
        while path in self.description.links and path not in seen:
            seen.add(path)
            path = self.description.links[path]
        return path

    def disk(self, folder: str) -> Disk:
        """See the port."""
        return Disk(self.description.disk_total, self.description.disk_free)

    def hardware(self) -> Hardware:
        """See the port."""
        return Hardware(self.description.cores, self.description.memory)

    def hostname(self) -> str:
        """See the port."""
        return self.description.name

    def account(self) -> str:
        """See the port."""
        return self.description.account

    def kept_by(self) -> str:
        """See the port."""
        return self.description.kept_by

    def default_shell(self) -> str:
        """See the port."""
        return SHELLS[self.family][0]

    def fresh_folder(self, parent: str, name: str) -> str:
        """See the port; there is no disk to make it on."""
        folder: str = paths_of(self).join(parent, name)
        return folder

    def remove_folder(self, path: str) -> None:
        """See the port."""

    async def start_script(self, script: str, shell: str, folder: str, variables: Mapping[str, str]) -> ScriptProcess:
        """See the port."""
        if shell not in SHELLS[self.family]:
            raise CommandFailed(
                f'there is no shell "{shell}" on {self.family}; there is {" and ".join(SHELLS[self.family])}'
            )
        return SimulatedScript(Shell(self, folder, {**self.environment(), **variables}), script)


class SimulatedScript(ScriptProcess):
    """A script that the stand-in's small shell works through."""

    pid = 0

    def __init__(self, shell: Shell, script: str) -> None:
        self._printed: asyncio.Queue[bytes] = asyncio.Queue()
        self._work = asyncio.create_task(shell.run(script, self._printed.put_nowait))
        self._work.add_done_callback(lambda _: self._printed.put_nowait(b""))

    async def read(self) -> bytes:
        """See the port."""
        return await self._printed.get()

    async def wait(self) -> int:
        """See the port."""
        try:
            return await asyncio.shield(self._work)
        except asyncio.CancelledError:
            if self._work.cancelled():
                return -15
            raise

    async def stop(self, patience: float) -> None:
        """See the port."""
        self._work.cancel()
        await asyncio.wait([self._work])

    def close(self) -> None:
        """See the port."""
        self._printed.put_nowait(b"")
