"""A script on a machine that is not there."""

from __future__ import annotations

import asyncio

from paddock_agent.system.port import ScriptProcess, Use

from .shell import Shell


class SimulatedScript(ScriptProcess):
    """A script that the stand-in's small shell works through."""

    pid = 0

    def __init__(self, shell: Shell, script: str) -> None:
        self._lines = script.count("\n") + 1
        self._printed: asyncio.Queue[bytes] = asyncio.Queue()
        self._work = asyncio.create_task(shell.run(script, self._printed.put_nowait))
        self._work.add_done_callback(lambda _: self._printed.put_nowait(b""))

    def use(self) -> Use:
        """See the port: a little for each line, so that there is something to see."""
        return Use(0.07 * self._lines, (60 + 9 * self._lines) * 1024**2)

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
