"""Scripts of this machine at work: started, listened to, measured, and ended with all that they started."""

from __future__ import annotations

import asyncio
import contextlib
import os
import signal
import subprocess
import sys
import threading
from collections.abc import Collection, Iterator, Mapping, Sequence
from pathlib import Path

import psutil

if sys.platform == "linux":
    import fcntl

from .port import ScriptProcess, Survivor, Use

MAX_READ_BYTES = 256 * 1024
PIPE_SIZE = 1024 * 1024
"""Bytes that a script may be ahead of what is read: what it prints in a rush costs it no waits."""
ROUNDS = 20
"""Looks at what is left of processes that go on making new ones while they are ended."""


async def start(command: Sequence[str], folder: str, environment: Mapping[str, str]) -> ScriptProcess:
    """Starts a command, both its streams into one pipe. Raises OSError."""
    if sys.platform == "win32":
        from .windows_job import start_in_job

        return await start_in_job(command, folder, environment)
    return await GroupScript.start(command, folder, environment)


class GroupScript(ScriptProcess):
    """A script in a session and process group of its own.

    It prints into a pipe of ours: one of asyncio's would call the script unfinished for as long as anything that it
    left in the background holds it open. A thread waits for its end, which tells what it and its children used.
    """

    def __init__(self, process: subprocess.Popen[bytes], output: asyncio.StreamReader, pipe: asyncio.ReadTransport):
        self.pid = process.pid
        self._process = process
        self._output = output
        self._pipe = pipe
        self._used = Use()
        self._loop = asyncio.get_running_loop()
        self._ended: asyncio.Future[int] = self._loop.create_future()
        threading.Thread(target=self._wait, name=f"wait for {process.pid}", daemon=True).start()

    @classmethod
    async def start(cls, command: Sequence[str], folder: str, environment: Mapping[str, str]) -> GroupScript:
        """Raises OSError."""
        reading_end, writing_end = os.pipe()
        if sys.platform == "linux":
            with contextlib.suppress(OSError):  # an account may have used up what it is allowed
                fcntl.fcntl(writing_end, fcntl.F_SETPIPE_SZ, PIPE_SIZE)
        try:
            process = subprocess.Popen(  # noqa: ASYNC220 - asyncio cannot tell what it used
                command,
                cwd=folder,
                env=environment,
                stdin=subprocess.DEVNULL,
                stdout=writing_end,
                stderr=subprocess.STDOUT,
                start_new_session=True,
            )
        except OSError:
            os.close(reading_end)
            raise
        finally:
            os.close(writing_end)
        output = asyncio.StreamReader(MAX_READ_BYTES)
        pipe, _ = await asyncio.get_running_loop().connect_read_pipe(
            lambda: asyncio.StreamReaderProtocol(output), os.fdopen(reading_end, "rb", buffering=0)
        )
        return cls(process, output, pipe)

    def _wait(self) -> None:
        _, status, used = os.wait4(self.pid, 0)
        # What the kernel counts as the most memory is that of the largest process, in KiB on Linux, bytes on macOS.
        unit = 1024 if sys.platform == "linux" else 1
        self._process.returncode = code = os.waitstatus_to_exitcode(status)
        self._used = Use(used.ru_utime + used.ru_stime, max(self._used.memory, used.ru_maxrss * unit))
        with contextlib.suppress(RuntimeError):  # the loop may have ended with the agent
            self._loop.call_soon_threadsafe(self._ended.set_result, code)

    def use(self) -> Use:
        """See the port."""
        if not self._ended.done():
            seen = measured(self.pid)
            self._used = Use(max(self._used.processor, seen.processor), max(self._used.memory, seen.memory))
        return self._used

    async def read(self) -> bytes:
        """See the port."""
        return await self._output.read(MAX_READ_BYTES)

    async def wait(self) -> int:
        """See the port."""
        return await asyncio.shield(self._ended)

    async def stop(self, patience: float) -> None:
        """See the port."""
        if patience and not self._ended.done():
            self._signal(signal.SIGTERM)
            await asyncio.wait([self._ended], timeout=patience)
        self._signal(signal.SIGKILL)
        await self.wait()

    def _signal(self, number: signal.Signals) -> None:
        with contextlib.suppress(ProcessLookupError, PermissionError):
            os.killpg(self.pid, number)

    def close(self) -> None:
        """See the port."""
        self._pipe.close()


def measured(pid: int) -> Use:
    """What a process and its descendants use now."""
    processor, memory = 0.0, 0
    with contextlib.suppress(psutil.Error):
        first = psutil.Process(pid)
        for one in [first, *first.children(recursive=True)]:
            with contextlib.suppress(psutil.Error), one.oneshot():
                times = one.cpu_times()
                processor += times.user + times.system + times.children_user + times.children_system
                memory += one.memory_info().rss
    return Use(processor, memory)


def survivors(mark: str, groups: Collection[int]) -> list[Survivor]:
    """See the port."""
    found = []
    for pid in _marked(mark, frozenset(groups)):
        with contextlib.suppress(psutil.Error):
            process = psutil.Process(pid)
            if process.status() != psutil.STATUS_ZOMBIE:
                found.append(Survivor(pid, process.name()[:200], process.create_time()))
    return found


def _marked(mark: str, groups: frozenset[int]) -> Iterator[int]:
    if sys.platform != "linux":
        name, _, value = mark.partition("=")
        for process in psutil.process_iter():
            with contextlib.suppress(psutil.Error, OSError):
                if process.environ().get(name) == value:
                    yield process.pid
        return
    wanted = f"{mark}\0".encode()
    for entry in os.listdir("/proc"):  # noqa: PTH208 - thousands of processes, several times a minute
        if entry.isdecimal():
            with contextlib.suppress(OSError):
                if os.getpgid(int(entry)) in groups or wanted in Path(f"/proc/{entry}/environ").read_bytes():
                    yield int(entry)


def end(ending: Sequence[Survivor]) -> None:
    """See the port."""
    for one in ending:
        with contextlib.suppress(psutil.Error):
            process = psutil.Process(one.pid)
            if abs(process.create_time() - one.born) < 0.1:
                process.kill()


def end_all(mark: str, groups: Collection[int]) -> None:
    """Ends all leftover processes, and those that they start in the meantime."""
    for _ in range(ROUNDS):
        left = survivors(mark, groups)
        if not left:
            return
        end(left)
