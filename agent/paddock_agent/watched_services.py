"""The services that builds need: reports changes of their state, and starts and stops them on request."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Sequence

from .errors import AgentError
from .services import ServiceManager, ServiceState, manager_of
from .system import System
from .wire import ServiceTried, WatchedServices, WatchedState

log = logging.getLogger("paddock.agent")

VERBS = ("start", "stop")


class Watched:
    """The watched services of one host. Only these are ever started or stopped, whoever asks."""

    def __init__(self, system: System) -> None:
        self._system = system
        self._names: tuple[str, ...] = ()
        self._last_report: WatchedServices | None = None
        self._asked: list[tuple[str, str]] = []
        self._wanted = asyncio.Event()

    def watch(self, names: Sequence[str]) -> None:
        """From now on these."""
        self._names = tuple(dict.fromkeys(names))
        self._wanted.set()

    def try_soon(self, name: str, verb: str) -> None:
        """Starts or stops one of them; the next report has the result."""
        self._asked.append((name, verb))
        self._wanted.set()

    def forget_last_report(self) -> None:
        """The server is new or has forgotten: the next report repeats everything."""
        self._last_report = None
        self._wanted.set()

    async def news(self, every: float) -> list[WatchedServices | ServiceTried]:
        """Waits, ``every`` seconds at most, and looks; what there is to tell, often nothing."""
        if self._names or self._asked:
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(max(1.0, every)):
                    await self._wanted.wait()
        else:
            await self._wanted.wait()
        self._wanted.clear()
        asked, self._asked = self._asked, []
        found: list[WatchedServices | ServiceTried] = [await self._try(name, verb) for name, verb in asked]
        now = WatchedServices(states=await self._look())
        if now != self._last_report and (now.states or self._last_report):
            self._last_report = now
            found.append(now)
        return found

    async def _look(self) -> list[WatchedState]:
        if not self._names:
            return []
        try:
            states = await manager_of(self._system).states(self._names)
        except AgentError as error:
            return [WatchedState(name=name, running="unknown", detail=str(error)[:500]) for name in self._names]
        return [WatchedState(name=one.name, running=one.running, detail=_detail_of(one)) for one in states]

    async def _try(self, name: str, verb: str) -> ServiceTried:
        if name not in self._names or verb not in VERBS:
            return ServiceTried(name=name, verb=verb, why=f"{name} is not watched here, so it is left alone")
        manager = manager_of(self._system)
        try:
            await self._do(manager, name, verb)
        except AgentError as error:
            log.warning("The service %s could not be asked to %s: %s", name, verb, error)
            letting = manager.letting(self._system.account(), name)
            return ServiceTried(name=name, verb=verb, why=str(error)[:1000], remedy=[*letting][:10])
        log.info("Asked the service %s to %s.", name, verb)
        return ServiceTried(name=name, verb=verb)

    async def _do(self, manager: ServiceManager, name: str, verb: str) -> None:
        unit = f"{name}.service" if self._system.family == "linux" and "." not in name else name
        await (manager.start(unit) if verb == "start" else manager.stop(unit))


def _detail_of(state: ServiceState) -> str:
    code = f", {state.code}" if state.code else ""
    return f"{state.start_type or 'not started by itself'}{code}"[:500]
