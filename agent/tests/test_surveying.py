"""When a survey follows by itself: after changes, during a survey too, and never deaf to a folder for good."""

import asyncio

import pytest

from paddock_agent import surveying, wire
from paddock_agent.surveying import Surveying


class Machine:
    """A system with one folder that tools lie in."""

    family = "linux"

    def __init__(self):
        self.time, self.names = 1.0, {"git"}
        self.looks = 0

    def changed_at(self, path):
        return self.time

    def names_in(self, path):
        self.looks += 1
        return frozenset(self.names)

    async def fresh_environment(self):
        return {}


class Yard:
    """Surveys that find what was put there, and their reports."""

    def __init__(self, monkeypatch):
        self.machine = Machine()
        self.surveys = []
        self.during = lambda: None
        self.found = ["git"]
        self.shortage = ""
        self.shortages = []
        monkeypatch.setattr(surveying, "survey", self.survey)
        monkeypatch.setattr(surveying, "gather_details", self.details)
        monkeypatch.setattr(surveying, "gather_facts", self.facts)
        monkeypatch.setattr(surveying, "watched_folders", lambda system, tools: ["/opt"])
        monkeypatch.setattr(surveying, "differences", lambda *_: [])
        monkeypatch.setattr(surveying, "CHECK_INTERVAL_SECONDS", 0.02)
        probes = type("Probes", (), {"tools": (), "number": 0, "refused": ""})()
        self.one = Surveying(self.machine, probes, "/work", self.tell, self.shortages.append)

    def tell(self, report):
        self.surveys.append(report.because)

    async def survey(self, system, tools):
        self.during()
        self.during = lambda: None
        found = [wire.FoundInstallation(name, "1", f"/opt/{name}") for name in self.found]
        shown = {"installations": found, "broken": [], "took": 0.0, "looked_for": [], "shortage": self.shortage}
        return type("Result", (), shown)()

    async def details(self, *_):
        return wire.Details()

    async def facts(self, *_):
        return wire.Facts(os="linux")

    async def see(self, number):
        async with asyncio.timeout(5):
            while len(self.surveys) < number:
                await asyncio.sleep(0.01)

    async def look(self, times):
        """Waits until the folder was looked at so many times more."""
        until = self.machine.looks + times
        async with asyncio.timeout(5):
            while self.machine.looks < until:
                await asyncio.sleep(0.01)


@pytest.fixture
async def yard(monkeypatch):
    made = Yard(monkeypatch)
    keeping = asyncio.create_task(made.one.survey_loop())
    yield made
    keeping.cancel()


async def test_what_is_installed_during_a_survey_starts_another(monkeypatch):
    yard = Yard(monkeypatch)
    yard.during = lambda: yard.machine.names.add("cmake")
    keeping = asyncio.create_task(yard.one.survey_loop())
    await yard.see(2)
    assert yard.surveys[:2] == ["start", "folders"]
    keeping.cancel()


async def test_a_folder_that_changed_for_nothing_is_still_compared_by_its_names(yard):
    await yard.see(1)
    yard.machine.time = 2.0
    await yard.see(2)
    yard.machine.time = 3.0
    await yard.look(4)
    assert len(yard.surveys) == 2, "its time alone means nothing any more"
    yard.machine.names.add("jdk-21")
    yard.found = ["git", "jdk"]
    await yard.see(3)
    assert yard.surveys == ["start", "folders", "folders"]


async def test_names_that_come_and_go_for_nothing_are_looked_at_ever_less_often(yard, monkeypatch):
    await yard.see(1)
    for number in (2, 3):
        yard.machine.names.add(f"scratch-{number}")
        await yard.see(number)
    yard.machine.names.add("scratch-4")
    await yard.look(4)
    assert len(yard.surveys) == 3
    yard.one._quiet_until["/opt"] = 0.0
    await yard.see(4)


async def test_what_came_into_a_quiet_folder_during_a_survey_is_found_once_the_folder_is_due(yard):
    await yard.see(1)
    yard.machine.names.add("scratch-2")
    await yard.see(2)
    yard.during = lambda: yard.machine.names.add("jdk-21")
    yard.machine.names.add("scratch-3")
    await yard.see(3)
    await yard.look(4)
    assert len(yard.surveys) == 3
    yard.one._quiet_until["/opt"] = 0.0
    await yard.see(4)


async def test_a_survey_that_was_cut_short_is_not_told_and_made_again(monkeypatch):
    monkeypatch.setattr(surveying, "AFTER_SHORTAGE", 0.02)
    yard = Yard(monkeypatch)
    yard.shortage = "git could not be started: Too many open files (EMFILE)"
    keeping = asyncio.create_task(yard.one.survey_loop())
    async with asyncio.timeout(5):
        while len(yard.shortages) < 2:
            await asyncio.sleep(0.01)
    assert yard.surveys == []
    yard.shortage = ""
    await yard.see(1)
    assert (yard.surveys, yard.shortages[-1]) == (["start"], "")
    keeping.cancel()
