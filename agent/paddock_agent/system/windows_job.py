"""Scripts on Windows: each in a job object, which ends and measures the whole tree of its processes."""

from __future__ import annotations

import asyncio
import contextlib
import os
import signal
import subprocess
import sys
import threading
from collections.abc import Mapping, Sequence

from .port import ScriptProcess, Use

if sys.platform == "win32":
    import win32con
    import win32job

    TICKS = 1e7
    """Windows counts processor time in units of 100 ns."""

    class JobScript(ScriptProcess):
        """A script in a job object that ends all processes in it when it is closed: with the agent, at the latest.

        Two threads read its pipe and wait for its end: asyncio can do neither with plain handles on Windows.
        """

        def __init__(self, process: subprocess.Popen[bytes], job: int, reading_end: int) -> None:
            self.pid = process.pid
            self._process = process
            self._job = job
            self._reading_end = reading_end
            self._loop = asyncio.get_running_loop()
            self._printed: asyncio.Queue[bytes] = asyncio.Queue()
            self._room = threading.Semaphore(16)
            self._ended: asyncio.Future[int] = self._loop.create_future()
            for work in (self._read, self._wait):
                threading.Thread(target=work, daemon=True).start()

        def _read(self) -> None:
            with contextlib.suppress(OSError, RuntimeError):
                while data := os.read(self._reading_end, 64 * 1024):
                    self._room.acquire()
                    self._loop.call_soon_threadsafe(self._printed.put_nowait, data)
            with contextlib.suppress(RuntimeError):
                self._loop.call_soon_threadsafe(self._printed.put_nowait, b"")

        def _wait(self) -> None:
            code = self._process.wait()
            with contextlib.suppress(RuntimeError):
                self._loop.call_soon_threadsafe(self._ended.set_result, code)

        def use(self) -> Use:
            """See the port."""
            limits = win32job.QueryInformationJobObject(self._job, win32job.JobObjectExtendedLimitInformation)
            spent = win32job.QueryInformationJobObject(self._job, win32job.JobObjectBasicAccountingInformation)
            ticks = spent["TotalUserTime"] + spent["TotalKernelTime"]
            return Use(ticks / TICKS, int(limits["PeakJobMemoryUsed"]))

        async def read(self) -> bytes:
            """See the port."""
            data = await self._printed.get()
            self._room.release()
            return data

        async def wait(self) -> int:
            """See the port."""
            return await asyncio.shield(self._ended)

        async def stop(self, patience: float) -> None:
            """See the port. Asking is Ctrl-Break, which reaches what shares the console of the script."""
            if patience and not self._ended.done():
                with contextlib.suppress(OSError):
                    self._process.send_signal(signal.CTRL_BREAK_EVENT)
                await asyncio.wait([self._ended], timeout=patience)
            with contextlib.suppress(OSError):
                win32job.TerminateJobObject(self._job, 1)
            await self.wait()

        def close(self) -> None:
            """See the port. Reading ends with the tree, for nothing else has the other end of the pipe."""
            self._printed.put_nowait(b"")

    async def start_in_job(command: Sequence[str], folder: str, environment: Mapping[str, str]) -> ScriptProcess:
        """Raises OSError."""
        job = win32job.CreateJobObject(None, "")
        limits = win32job.QueryInformationJobObject(job, win32job.JobObjectExtendedLimitInformation)
        limits["BasicLimitInformation"]["LimitFlags"] |= win32job.JOB_OBJECT_LIMIT_KILL_ON_JOB_CLOSE
        win32job.SetInformationJobObject(job, win32job.JobObjectExtendedLimitInformation, limits)
        reading_end, writing_end = os.pipe()
        try:
            process = subprocess.Popen(  # noqa: ASYNC220 - asyncio cannot tell what it used
                command,
                cwd=folder,
                env=environment,
                stdin=subprocess.DEVNULL,
                stdout=writing_end,
                stderr=subprocess.STDOUT,
                creationflags=win32con.CREATE_NEW_PROCESS_GROUP,
            )
        except OSError:
            os.close(reading_end)
            raise
        finally:
            os.close(writing_end)
        win32job.AssignProcessToJobObject(job, int(process._handle))  # type: ignore[attr-defined]
        return JobScript(process, job, reading_end)
