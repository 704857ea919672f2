"""How pieces of logs come in: in order, acknowledged when they are written, and never when they could not be."""

import asyncio
import threading
from pathlib import Path

import pytest
from django.conf import settings
from django.test import override_settings
from hypothesis import given
from hypothesis import strategies as st
from waiting import soon

from paddock_agent import wire
from paddock_server.process.state import part
from paddock_server.runs import log_lane, log_store
from paddock_server.runs.log_lane import LogLane


@pytest.fixture
def lane(settings, tmp_path, monkeypatch):
    settings.LOGS = tmp_path
    monkeypatch.setattr(
        log_lane, "_looked_up", lambda host, name: None if host == 99 else log_lane._Place(5, log_file(name))
    )
    return Lane


def log_file(name):
    return Path(settings.LOGS) / f"{name}.log"


class Lane(LogLane):
    """A lane that records what it sends."""

    def __init__(self, host_id=1):
        self.sent = []
        super().__init__(host_id, self.sent.append)

    async def say(self, data, offset, attempt="5-1"):
        piece = wire.LogChunk(attempt=attempt, offset=offset, data=data)
        await self.append(wire.LogFrame(attempt, [piece]))


async def test_what_comes_together_is_written_together_in_its_order(lane, monkeypatch):
    batches = []
    append = log_store.append
    monkeypatch.setattr(log_store, "append", lambda *given: batches.append(len(given[1])) or append(*given))
    one = lane()
    for number in range(50):
        await one.say(b"%04d\n" % number, number * 5)
    await one.written()
    assert log_file("5-1").read_bytes() == b"".join(b"%04d\n" % number for number in range(50))
    assert one.sent[-1] == wire.LogAck(attempt="5-1", size=250)
    assert sum(batches) == 50
    assert len(batches) < 10, "each piece was written by itself"


async def test_two_attempts_of_a_host_and_one_of_another_keep_apart(lane):
    one, other = lane(), lane(99)
    for number in range(6):
        await one.say(b"x", number // 2, f"5-{number % 2 + 1}")
        await other.say(b"y", number)
    await one.written()
    await other.written()
    assert (log_file("5-1").read_bytes(), log_file("5-2").read_bytes()) == (b"xxx", b"xxx")
    assert one.sent[-2:] == [wire.LogAck(attempt="5-1", size=3), wire.LogAck(attempt="5-2", size=3)]
    assert wire.LogAck(attempt="5-1", size=6) in other.sent, "logs without an attempt are acknowledged and dropped"


async def test_an_agent_of_an_earlier_version_is_acknowledged_by_number(lane):
    one = lane()
    for number in range(3):
        await one.append(wire.LogChunk(attempt="5-1", offset=number, data=b"x", seq=number + 7))
    await one.written()
    assert one.sent[-1] == wire.Ack(seq=9)
    assert log_file("5-1").read_bytes() == b"xxx"


async def test_a_flood_is_held_up_until_it_is_written(lane, monkeypatch):
    go, at_work = threading.Event(), threading.Event()
    append = log_store.append

    def slow(*given):
        at_work.set()
        assert go.wait(30)
        append(*given)

    monkeypatch.setattr(log_store, "append", slow)
    monkeypatch.setattr(log_lane, "MAX_PENDING_BYTES", 1000)
    one = lane()
    flood = asyncio.create_task(_say_all(one, 40))
    await soon(at_work.is_set)
    assert not flood.done()
    assert one.sent == []
    go.set()
    await flood
    await one.written()
    assert log_file("5-1").stat().st_size == 40 * 100


async def _say_all(one, number):
    for at in range(number):
        await one.say(b"z" * 100, at * 100)


async def test_what_could_not_be_written_is_not_acknowledged_and_the_connection_is_given_up(lane, monkeypatch):
    one = lane()
    await one.say(b"good\n", 0)
    await one.written()

    def full(*given):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(log_store, "append", full)
    await one.say(b"lost\n", 5)
    await one.written()
    assert one.sent == [wire.LogAck(attempt="5-1", size=5), None]


@given(st.lists(st.binary(min_size=1, max_size=20), max_size=12), st.data())
def test_however_often_pieces_are_repeated_the_log_has_each_byte_once(tmp_path_factory, pieces, data):
    whole = b"".join(pieces)
    chunks = []
    for piece in pieces:
        at = sum(len(one.data) for one in chunks)
        chunks.append(wire.LogChunk(attempt="5-1", offset=at, data=piece))
    repeated = []
    for place in range(len(chunks)):
        back = data.draw(st.integers(0, place))
        repeated += [chunks[back:place], [chunks[place]]]
    with override_settings(LOGS=tmp_path_factory.mktemp("logs")):
        part(log_store._Ends).clear()
        written = sum(log_store.append(log_file("5-1"), batch) for batch in repeated)
        assert written == len(whole)
        if whole:
            assert log_file("5-1").read_bytes() == whole
