"""Installing the service again: running jobs end first, and the agent takes no new ones."""

import asyncio
import os
import time

import pytest

from paddock_agent import replacing


@pytest.fixture(autouse=True)
def _hurried(monkeypatch):
    monkeypatch.setattr(replacing, "TOUCH_SECONDS", 0.01)


def test_it_waits_until_the_last_job_has_ended(tmp_path):
    notes = tmp_path / "running"
    notes.mkdir()
    note = notes / "12-1.json"
    note.write_text("{}")
    messages = []

    async def run():
        waiting = asyncio.create_task(replacing.wait_for_jobs(tmp_path, messages.append))
        while not messages:
            await asyncio.sleep(0)
        assert replacing.is_being_replaced(tmp_path)
        note.unlink()
        await waiting

    asyncio.run(run())
    assert messages == [replacing.waiting_for(["12-1"])]
    assert replacing.is_being_replaced(tmp_path), "until the new agent is there"
    replacing.no_longer_replaced(tmp_path)
    assert not replacing.is_being_replaced(tmp_path)


def test_who_stops_waiting_leaves_the_agent_as_it_was(tmp_path):
    (tmp_path / "running").mkdir()
    (tmp_path / "running" / "12-1.json").write_text("{}")

    async def run():
        waiting = asyncio.create_task(replacing.wait_for_jobs(tmp_path, lambda text: waiting.cancel()))
        with pytest.raises(asyncio.CancelledError):
            await waiting

    asyncio.run(run())
    assert not replacing.is_being_replaced(tmp_path)


@pytest.mark.parametrize(
    ("age", "holds"), [(replacing.FRESH_SECONDS - 5, True), (replacing.FRESH_SECONDS + 5, False), (-10_000, False)]
)
def test_a_mark_that_is_not_kept_fresh_holds_nothing_up(tmp_path, age, holds):
    mark = tmp_path / replacing.MARK
    mark.touch()
    os.utime(mark, (time.time() - age,) * 2)
    assert replacing.is_being_replaced(tmp_path) is holds


def test_what_is_waited_for_is_named_and_bounded():
    assert "This agent runs job 12. Waiting until it ends" in replacing.waiting_for(["12-1"])
    assert "3 jobs (1, 2, 3)" in replacing.waiting_for(["1-1", "2-1", "3-2"])
    assert "and 40 more" in replacing.waiting_for([f"{n}-1" for n in range(50)])


def test_a_link_in_place_of_the_mark_leads_root_nowhere(tmp_path):
    (tmp_path / replacing.MARK).symlink_to(tmp_path / "made-by-root")
    asyncio.run(replacing.wait_for_jobs(tmp_path, print))
    assert not (tmp_path / "made-by-root").exists()
    assert replacing.is_being_replaced(tmp_path)
