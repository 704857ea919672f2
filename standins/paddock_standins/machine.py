"""A stand-in machine as a whole: its simulated system, and the real agent, kept by its simulated service manager."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import os
import time
from collections.abc import Awaitable, Callable, Mapping
from pathlib import Path

from paddock_agent import agent_service, identity, replacing, watch, wire
from paddock_agent.agent import Agent
from paddock_agent.environment import adopted
from paddock_agent.errors import AgentError, Dismissed
from paddock_agent.facts import gather_facts
from paddock_agent.identity import Identity
from paddock_agent.join import join
from paddock_agent.preflight.plan import HOMES
from paddock_agent.services import Diagnosis
from paddock_agent.system.paths import paths_of
from paddock_agent.upgrade.carry_out import Upgrade
from paddock_agent.upgrade.for_watch import unit_name
from paddock_agent.upgrade.nudge import FILE as NUDGE

from .description import Description
from .simulated import SimulatedSystem

log = logging.getLogger("paddock.standins")

WATCH_INTERVAL_SECONDS = float(os.environ.get("PADDOCK_WATCH_SECONDS", "60"))
"""Seconds between the reports of a watch, as the server has it."""
DISMISSED = 6
"""The agent's exit code when the server knows its key no longer."""


class Machine:
    """One stand-in machine. ``home`` is where its agent's files really are."""

    def __init__(self, description: Description, home: Path) -> None:
        self.description = description
        self.home = home
        self.system = SimulatedSystem(description, self._start_service, self._stop_service)
        paths = paths_of(self.system)
        for name in (identity.FILE, replacing.MARK):
            self.system.real_files[paths.join(HOMES[description.family], name)] = home / name
        self._version = home / "agent-version"
        if self._version.exists():
            self.system.agents.point(paths.join(self.system.agents.prefix, f"agent-{self._version.read_text()}"))
        self._kept = home / "kept.json"
        self._is_on = True
        self._agent: Agent | None = None
        self._work: asyncio.Task[None] | None = None
        self._watches: dict[str, asyncio.Task[None]] = {}
        self._upgrade: asyncio.Task[None] | None = None
        self.system.repeats = self._repeat
        self.system.power_off = self._power_itself_off
        self._going: asyncio.Task[None] | None = None

    @property
    def has_joined(self) -> bool:
        """Whether its agent has a key."""
        return (self.home / identity.FILE).exists()

    async def join(self, server: str, secret: str, **asked: object) -> Identity:
        """Asks the server to let it in. Raises AgentError."""
        one = self.description
        facts = await gather_facts(self.system, one.work_folder)
        request = wire.JoinRequest(**{"secret": secret, "facts": facts, **asked})  # type: ignore[arg-type]
        answer = await asyncio.to_thread(join, server, request)
        known = Identity(server, answer.key, answer.host, answer.paddock, one.work_folder)
        identity.save(self.home, known)
        return known

    async def boot(self, server: str, passes: Mapping[str, str]) -> None:
        """What happens when the machine comes up: a bare one waits for its bring-up; the others run their agent."""
        one = self.description
        if not self.has_joined:
            if one.is_bare:
                return
            await self.join(
                server, passes.get(one.paddock, ""), name=one.name, labels=list(one.labels), slots=one.slots
            )
        known = identity.load(self.home)
        if known.server != server:
            identity.save(self.home, Identity(server, known.key, known.host, known.paddock, known.work_folder))
        if one.is_bare:
            # Service managers forget at a restart of the demo what the real ones keep; the machine's own file does not.
            if self._kept.exists():
                kept = json.loads(self._kept.read_text())
                await self.install_service(kept["account"], at_login=kept["at_login"], secret=kept["secret"])
        elif one.supervisor == "service":
            await self.install_service(one.account if one.family == "linux" else "")
        else:
            self.start_agent()
            await self._set_up_watch()

    async def install_service(self, account: str, *, at_login: bool = False, secret: str = "") -> Diagnosis:
        """Sets the agent up as a service, with its own code. Raises AgentError."""
        family = self.description.family
        found = await agent_service.install(
            self.system, identity.load(self.home), HOMES[family], account, at_login=at_login, secret=secret
        )
        self._kept.write_text(json.dumps({"account": account, "at_login": at_login, "secret": secret}))
        await self._set_up_watch()
        return found

    async def _set_up_watch(self) -> None:
        """The agent stands without its watch, as on a real machine: a host that was turned away gets none."""
        try:
            await agent_service.install_watch(self.system, identity.load(self.home), HOMES[self.description.family])
        except AgentError as error:
            log.warning("%s has no watch: %s", self.description.name, error)

    def _repeat(self, name: str) -> None:
        if name not in self._watches:
            self._watches[name] = asyncio.get_running_loop().create_task(self._watch_loop(name))

    async def _watch_loop(self, name: str) -> None:
        """What the machine's timer does: runs the watch now and then, for as long as it is set up and there is
        power."""
        while command := self.system.repeated.get(name):
            with contextlib.suppress(AgentError):
                await watch.report(self.system, command[-1])
            await self._nudged()
        del self._watches[name]

    async def _nudged(self) -> None:
        """Returns after the watch's interval, or as soon as the agent has touched the file that nudges the watch."""
        nudge, ends = self.home / NUDGE, time.monotonic() + WATCH_INTERVAL_SECONDS
        while time.monotonic() < ends:
            if nudge.exists():
                nudge.unlink()
                return
            await asyncio.sleep(min(1.0, WATCH_INTERVAL_SECONDS))

    def _stop_watches(self) -> None:
        if self._upgrade:
            self._upgrade.cancel()
        for task in self._watches.values():
            task.cancel()
        self._watches.clear()

    def running_attempts(self) -> list[str]:
        """The attempts that its agent runs."""
        return self._agent.running_attempts() if self._agent else []

    async def watch_report(self) -> str:
        """``paddock-agent watch report`` on that machine."""
        return await watch.report(self.system, agent_service.watch_folder(self.system, identity.load(self.home)))

    @property
    def is_on(self) -> bool:
        """Whether it has power."""
        return self._is_on

    def _power_itself_off(self) -> None:
        """What its own command for that does: everything is stopped in order, the agent with a goodbye."""
        self.system.shuts_down = True
        self._going = asyncio.get_running_loop().create_task(self._go_down())

    async def _go_down(self) -> None:
        await self.stop()

    async def power_off(self) -> None:
        """Pulls the plug: no goodbye is sent."""
        self._is_on = False
        self._stop_watches()
        if self._work:
            self._work.cancel()
            await asyncio.gather(self._work, return_exceptions=True)

    def power_on(self) -> None:
        """The machine comes up: what starts at boot does, and its timers run."""
        self._is_on, self._agent, self._work = True, None, None
        self.system.shuts_down = False
        self.system.start_again()
        self.system.running_service = ""
        match self.description.family:
            case "linux":
                self.system.systemd.boot()
            case "macos":
                self.system.launchd.boot()
            case "windows":
                self.system.control.boot()
        for name in self.system.repeated:
            self._repeat(name)

    def start_agent(self) -> None:
        """Starts the agent, by hand or by the service manager; after the one before has ended."""
        self._work = asyncio.get_running_loop().create_task(self._run(self._work))

    async def _run(self, before: asyncio.Task[None] | None) -> None:
        """The agent until it is stopped; one that is asked to restart does so, with a new environment."""
        if before:
            await asyncio.wait([before])
        while self._is_on:
            self.system.adopted = adopted(self.system, await self.system.fresh_environment()) if self._agent else {}
            self._agent = Agent(self.system, identity.load(self.home), self.home)
            try:
                await self._agent.run()
            except Dismissed as error:
                log.warning("The agent of %s stopped: %s", self.description.name, error)
                self._ended(DISMISSED)
                return
            except AgentError as error:
                log.warning("The agent of %s stopped: %s", self.description.name, error)
                self._ended(1)
                return
            if not self._agent.restarts:
                return

    def _ended(self, code: int) -> None:
        self.system.launchd.ended(self.system.running_service, code)
        self.system.control.ended(self.system.running_service, code)
        self.system.systemd.ended(self.system.running_service, code)

    def _start_service(self, name: str, account: str) -> int | None:
        if self._is_upgrade(name):
            self._upgrade = asyncio.get_running_loop().create_task(self._carry_out(name))
            return None
        if not self.has_joined:
            return 5
        if not self.system.agents.starts:
            return 1
        self.system.running_service, self.system.running_account = name, account
        self.start_agent()
        return None

    def _is_upgrade(self, name: str) -> bool:
        """Whether that is the unit that upgrades this machine's agent."""
        if not self.has_joined:
            return False
        service = agent_service.name_on(self.system, identity.load(self.home))
        return name.removesuffix(".service") == unit_name(service)

    async def _carry_out(self, unit: str) -> None:
        """What the machine's upgrade unit does."""
        folder = agent_service.watch_folder(self.system, identity.load(self.home))
        try:
            await Upgrade(self.system, folder, wait=self._wait_for_jobs).carry_out()
        except AgentError as error:
            log.warning("The upgrade of %s ended: %s", self.description.name, error)
        self._version.write_text(self.system.agents.version)
        self.system.launchd.ended(unit, 0)
        self.system.systemd.ended(unit, 0)
        self.system.tasks.ended(unit)

    async def _wait_for_jobs(self, _: Path, say: Callable[[str], None]) -> None:
        """Scripts of a stand-in have no process, so its agent has no notes of them: it is asked itself."""
        await replacing.wait_for_jobs(self.home, say, lambda _: self.running_attempts())

    def _stop_service(self, name: str) -> None:
        if self._is_upgrade(name):
            if self._upgrade:
                self._upgrade.cancel()
            return
        self.system.running_service = ""
        if self._agent:
            self._agent.stop()

    def stop(self) -> Awaitable[object]:
        """Powers the machine down; await it for the agent's goodbye."""
        self._is_on = False
        self._stop_watches()
        if self._agent:
            self._agent.stop()
        return asyncio.gather(self._work, return_exceptions=True) if self._work else asyncio.sleep(0)
