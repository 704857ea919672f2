"""Scripts really run: in a fresh folder, with their tools, to their end or until they are stopped."""

import asyncio
from pathlib import Path

import psutil
import pytest
from offers import able, recording, script_offer
from waiting import soon

from paddock_agent import wire
from paddock_agent.attempts import Attempts
from paddock_agent.attempts import attempt as module
from paddock_agent.attempts import slots as slots_module
from paddock_agent.attempts.folders import FRESH_KEPT
from paddock_agent.catalogue import built_in
from paddock_agent.system.real import RealSystem


def definition(tool):
    return next((one for one in built_in() if one.name == tool), None)


class Slots:
    """The slots of a host in a folder of its own, and the messages that they sent."""

    def __init__(self, folder: Path, slots: int = 1, try_work=able) -> None:
        self.sent: list[wire.FromAgent] = []
        self.work = folder / "work"
        home = folder / "home"
        self.attempts = Attempts(RealSystem(), str(self.work), home, *recording(self.sent), definition, try_work)
        self.attempts.slots = slots

    def offer(self, script: str, attempt: str = "1-1", **more: object) -> None:
        self.attempts.accept(script_offer(script, attempt, **more))

    def all(self, kind):
        return [one for one in self.sent if isinstance(one, kind)]

    async def ended(self, number: int = 1) -> wire.AttemptEnded:
        await soon(lambda: len(self.all(wire.AttemptEnded)) >= number, "the end of the attempt")
        return self.all(wire.AttemptEnded)[-1]

    def log(self) -> bytes:
        return b"".join(one.data for one in self.all(wire.LogChunk))


@pytest.fixture
def slots(tmp_path):
    return Slots(tmp_path)


async def test_a_script_runs_in_a_fresh_folder_and_its_end_is_told_last(slots):
    slots.work.mkdir()
    (slots.work / "fresh").mkdir()
    (slots.work / "fresh" / "1-1").mkdir()
    (slots.work / "fresh" / "1-1" / "old").touch()
    slots.offer("pwd; ls; echo $PADDOCK_PIPELINE; exit 3")
    ended = await slots.ended()
    assert (ended.outcome, ended.exit_code) == ("exited", 3)
    assert slots.log().decode().split() == [str(slots.work / "fresh" / "1-1"), "almanac-docs"]
    (started,) = slots.all(wire.AttemptStarted)
    assert started.folder == str(slots.work / "fresh" / "1-1")
    assert slots.sent[0] is started
    assert slots.sent[-1] is ended


async def test_both_streams_and_any_bytes_reach_the_log(slots):
    slots.offer(r"printf 'a\0b\377' ; echo '<script>' >&2")
    await slots.ended()
    assert slots.log() == b"a\0b\xff<script>\n"


async def test_a_script_ends_at_its_first_failing_command(slots):
    slots.offer("false\necho not reached")
    assert (await slots.ended()).exit_code == 1
    assert slots.log() == b""


def has_ended(pid):
    """Whether a process is gone, or waits only to be asked how it ended."""
    try:
        return psutil.Process(pid).status() == psutil.STATUS_ZOMBIE
    except psutil.NoSuchProcess:
        return True


async def test_what_a_script_leaves_in_the_background_does_not_hold_its_slot(slots, monkeypatch):
    monkeypatch.setattr(module, "PIPE_PATIENCE", 0.1)
    slots.offer("sleep 600 & echo $!")
    assert (await slots.ended()).exit_code == 0
    await soon(lambda: has_ended(int(slots.log())), "what it left to end")


async def test_what_escapes_its_group_is_named_and_ended_too(slots, monkeypatch):
    monkeypatch.setattr(module, "PIPE_PATIENCE", 0.1)
    slots.offer("setsid sleep 600 & echo $!")
    ended = await slots.ended()
    pid = int(slots.log())
    assert (ended.exit_code, ended.leftover_processes) == (0, [wire.LeftoverProcess(pid, "sleep", ended=True)])
    await soon(lambda: has_ended(pid), "what it left to end")


async def test_where_the_paddock_leaves_processes_alone_they_are_only_named(slots, monkeypatch):
    monkeypatch.setattr(module, "PIPE_PATIENCE", 0.1)
    slots.offer("setsid sleep 600 & echo $!", leaves_processes=True)
    ended = await slots.ended()
    pid = int(slots.log())
    assert ended.leftover_processes == [wire.LeftoverProcess(pid, "sleep")]
    assert not has_ended(pid)
    psutil.Process(pid).kill()


@pytest.mark.parametrize("outcome", ["cancelled", "agent stopped"])
async def test_a_stopped_script_ends_with_all_it_started(slots, outcome):
    slots.offer("sleep 600 & echo $!; wait")
    pid = int(await soon(slots.log, "the script's first line"))
    slots.attempts.stop("1-1", outcome)
    ended = await slots.ended()
    assert (ended.outcome, ended.exit_code) == (outcome, None)
    await soon(lambda: has_ended(pid), "all that it started to end")


async def test_a_script_that_will_not_end_is_made_to(slots, monkeypatch):
    monkeypatch.setattr(module, "STOP_PATIENCE", 0.2)
    slots.offer("trap '' TERM; echo ready; while :; do sleep 0.05; done")
    await soon(slots.log)
    slots.attempts.stop("1-1", "cancelled")
    assert (await slots.ended()).outcome == "cancelled"


async def test_the_time_limit_is_kept(slots, monkeypatch):
    monkeypatch.setattr(module, "STOP_PATIENCE", 0.5)
    slots.offer("sleep 600", time_limit=1)
    ended = await slots.ended()
    assert ended.outcome == "timed out"
    assert "time limit of 1 s" in ended.why


async def test_an_offer_over_the_slots_is_refused_and_one_told_twice_is_taken_once(slots):
    slots.offer("sleep 600", "1-1")
    slots.offer("sleep 600", "1-1")
    slots.offer("true", "2-1")
    (refused,) = slots.all(wire.AttemptRefused)
    assert (refused.attempt, refused.why) == ("2-1", "1 of 1 slots are taken, and it asks for 1")
    assert slots.attempts.known() == ["1-1"]
    await slots.attempts.stop_all()
    assert (await slots.ended()).outcome == "agent stopped"


@pytest.mark.parametrize("name", ["../etc", "a/b", "", ".", "x" * 100])
async def test_a_name_that_leads_out_of_the_work_folder_is_refused(slots, name):
    slots.offer("true", name)
    assert len(slots.all(wire.AttemptRefused)) == 1


async def test_an_unknown_shell_says_which_there_are(slots):
    slots.offer("true", shell="fish")
    ended = await slots.ended()
    assert ended.outcome == "not started"
    assert "bash" in ended.why


async def test_a_work_folder_that_cannot_be_made_says_so(tmp_path):
    (tmp_path / "work").write_text("a file, not a folder")
    slots = Slots(tmp_path)
    slots.offer("true")
    await soon(lambda: slots.all(wire.AttemptRefused), "the refusal")
    (refused,) = slots.all(wire.AttemptRefused)
    assert "could not be made" in refused.why
    assert slots.attempts.known() == []


async def test_a_host_that_cannot_work_refuses_what_it_is_offered(tmp_path):
    async def unable():
        return [wire.FailedPart("work folder", "No space left on device (ENOSPC): /srv")]

    slots = Slots(tmp_path, try_work=unable)
    slots.offer("true")
    await soon(lambda: slots.all(wire.AttemptRefused), "the refusal")
    assert "No space left on device" in slots.all(wire.AttemptRefused)[0].why
    assert not slots.all(wire.AttemptEnded)
    assert not slots.work.exists()


async def test_the_tools_that_the_terms_are_bound_to_come_first_on_the_path(slots, tmp_path):
    tool = tmp_path / "jdk-17" / "bin" / "java"
    tool.parent.mkdir(parents=True)
    tool.write_text("#!/bin/sh\necho the bound one\n")
    tool.chmod(0o755)
    bound = wire.BoundTool("jdk", "17.0.9", str(tool), str(tmp_path / "jdk-17"))
    slots.offer("java; echo $JAVA_HOME $PADDOCK_TOOL_JDK_VERSION", tools=[bound])
    await slots.ended()
    assert slots.log().decode() == f"the bound one\n{tmp_path / 'jdk-17'} 17.0.9\n"


async def test_of_two_installations_of_a_tool_the_first_has_the_plain_names(slots, tmp_path):
    bound = []
    for version in ("17.0.9", "21.0.5"):
        tool = tmp_path / f"jdk-{version}" / "bin" / "java"
        tool.parent.mkdir(parents=True)
        tool.write_text(f"#!/bin/sh\necho {version}\n")
        tool.chmod(0o755)
        bound.append(wire.BoundTool("jdk", version, str(tool), str(tool.parent.parent)))
    slots.offer(
        "java; $PADDOCK_TOOL_JDK_2_HOME/bin/java; echo $TIDE $PADDOCK_JOB", tools=bound, variables={"TIDE": "low"}
    )
    await slots.ended()
    assert slots.log().decode() == "17.0.9\n21.0.5\nlow 1\n"


async def test_a_job_of_several_slots_takes_as_many(slots):
    slots.attempts.slots = 3
    slots.offer("sleep 600", "1-1", slots=2)
    slots.offer("sleep 600", "2-1", slots=2)
    slots.offer("sleep 600", "3-1")
    (refused,) = slots.all(wire.AttemptRefused)
    assert (refused.attempt, refused.why) == ("2-1", "2 of 3 slots are taken, and it asks for 2")
    assert slots.attempts.known() == ["1-1", "3-1"]
    await slots.attempts.stop_all()


async def test_only_the_newest_folders_of_ended_attempts_stay(slots, monkeypatch):
    monkeypatch.setattr(slots_module, "REPORT_INTERVAL_SECONDS", 0.0)
    keeping = asyncio.create_task(slots.attempts.folder_loop())
    for i in range(1, FRESH_KEPT + 4):
        slots.offer("true", f"{i}-1")
        await slots.ended(i)
        await soon(lambda: not slots.attempts.known())
    left = [f"{i}-1" for i in range(FRESH_KEPT + 3, 3, -1)]
    await soon(lambda: [one.attempt for one in slots.all(wire.WorkFolders)[-1].folders] == left, "the older ones to go")
    keeping.cancel()
    assert {one.name for one in (slots.work / "fresh").iterdir()} == set(left)
