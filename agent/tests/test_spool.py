"""The spool tells everything in each attempt's order, over lost connections, kills and full disks."""

import os
import shutil
import sqlite3

import msgspec
import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from paddock_agent import wire
from paddock_agent.errors import AgentError
from paddock_agent.spool import Sending, Spool, segments, sending

ATTEMPTS = ["1-1", "2-1", "a/../b"]


def piece(attempt, offset, data, step=0):
    return wire.LogChunk(attempt=attempt, offset=offset, data=data, at=5.0, step=step)


def files_in(home):
    return list((home / "logs").iterdir())


def heard_from(connection):
    """All that may go over a connection now, read as the server reads it."""
    found = []
    while frame := connection.next():
        found.append(wire.read_log_frame(frame) if isinstance(frame, bytes) else wire.from_agent(frame))
    return found


def test_the_spool_keeps_what_it_has_over_a_restart_until_it_is_acknowledged(tmp_path):
    spool = Spool(tmp_path)
    spool.add(piece("1-1", 0, b"hello"))
    spool.add(wire.AttemptEnded(attempt="1-1", outcome="exited", exit_code=0))
    spool.close()
    spool = Spool(tmp_path)
    frame, ended = heard_from(Sending(spool))
    assert (frame.pieces, ended.seq, spool.unsent_ends()) == ([piece("1-1", 0, b"hello")], 1, ["1-1"])
    spool.forget(wire.LogAck(attempt="1-1", size=5))
    spool.forget(wire.Ack(seq=1))
    assert spool.is_empty
    spool.close()
    spool = Spool(tmp_path)
    assert (spool.is_empty, files_in(tmp_path)) == (True, [])
    spool.close()


def test_two_agents_cannot_share_a_home(tmp_path):
    first = Spool(tmp_path)
    with pytest.raises(AgentError, match="Another agent is running"):
        Spool(tmp_path)
    first.close()


def test_what_an_agent_of_an_earlier_version_left_is_told_too(tmp_path):
    db = sqlite3.connect(tmp_path / "spool.sqlite3")
    db.execute("CREATE TABLE message (seq INTEGER PRIMARY KEY, ended TEXT NOT NULL, body BLOB NOT NULL)")
    ended = wire.AttemptEnded(attempt="1-1", outcome="exited", exit_code=0)
    for seq, message in [(7, piece("1-1", 0, b"one\n")), (8, piece("1-1", 4, b"two\n")), (9, ended)]:
        body = wire.encode(msgspec.structs.replace(message, seq=seq))
        db.execute("INSERT INTO message VALUES (?, '', ?)", (seq, body))
    db.execute("INSERT INTO message VALUES (10, '', '{')")
    db.commit()
    db.close()
    for _ in range(2):
        spool = Spool(tmp_path)
        log, end = heard_from(Sending(spool))
        assert b"".join(one.data for one in log.pieces) == b"one\ntwo\n"
        assert end == msgspec.structs.replace(ended, seq=end.seq)
        spool.close()


def test_many_small_pieces_go_in_few_frames_and_a_long_log_in_several_segments(tmp_path, monkeypatch):
    monkeypatch.setattr(segments, "SEGMENT", 50_000)
    spool = Spool(tmp_path)
    for number in range(2000):
        spool.add(piece("1-1", number * 50, b"x" * 50))
    assert 2 < len(files_in(tmp_path)) < 6
    frames = heard_from(Sending(spool))
    assert len(frames) < 6
    assert b"".join(one.data for frame in frames for one in frame.pieces) == b"x" * 100_000
    before = len(files_in(tmp_path))
    spool.forget(wire.LogAck(attempt="1-1", size=60_000))
    assert len(files_in(tmp_path)) < before, "what is taken in is dropped"
    spool.close()


def test_a_segment_that_is_gone_or_damaged_holds_nothing_else_up(tmp_path):
    spool = Spool(tmp_path)
    spool.add(piece("1-1", 0, b"first"))
    spool.add(wire.AttemptEnded(attempt="1-1", outcome="exited", exit_code=0))
    spool.add(piece("2-1", 0, b"second"))
    next((tmp_path / "logs").glob("1-1.*")).unlink()
    assert [type(one) for one in heard_from(Sending(spool))] == [wire.LogFrame, wire.AttemptEnded]
    spool.forget(wire.Ack(seq=1))
    spool.forget(wire.LogAck(attempt="2-1", size=6))
    assert spool.is_empty
    spool.add(piece("2-1", 0, b"second"))
    spool.close()
    with next((tmp_path / "logs").glob("2-1.*")).open("ab") as file:
        file.write(b"\xff" * 40)
    (tmp_path / "logs" / "no number.x").write_bytes(b"what is this")
    spool = Spool(tmp_path)
    assert [one.pieces for one in heard_from(Sending(spool)) if isinstance(one, wire.LogFrame)] == [
        [piece("2-1", 0, b"second")]
    ]
    spool.close()


def test_a_file_that_could_not_be_deleted_is_overwritten(tmp_path):
    spool = Spool(tmp_path)
    spool.add(piece("1-1", 0, b"old"))
    (file,) = files_in(tmp_path)
    left = file.read_bytes()
    spool.forget(wire.LogAck(attempt="1-1", size=3))
    file.write_bytes(left)
    spool.add(piece("1-1", 3, b"new"))
    assert [one.pieces for one in heard_from(Sending(spool))] == [[piece("1-1", 3, b"new")]]
    spool.close()


def test_a_kill_during_the_takeover_of_an_older_spool_loses_nothing(tmp_path, monkeypatch):
    db = sqlite3.connect(tmp_path / "spool.sqlite3")
    db.execute("CREATE TABLE message (seq INTEGER PRIMARY KEY, ended TEXT NOT NULL, body BLOB NOT NULL)")
    ended = wire.AttemptEnded(seq=7, attempt="1-1", outcome="exited", exit_code=0)
    db.execute("INSERT INTO message VALUES (7, '1-1', ?)", (wire.encode(ended),))
    db.commit()
    db.close()
    killed = []

    def kill(spool, _):
        killed.append(spool)
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(Spool, "add", kill)
        with pytest.raises(KeyboardInterrupt):
            Spool(tmp_path)
    killed[0].close()
    spool = Spool(tmp_path)
    assert spool.unsent_ends() == ["1-1"]
    spool.close()


def test_a_message_does_not_wait_for_a_log_that_is_gone(tmp_path):
    spool = Spool(tmp_path)
    spool.add(piece("1-1", 0, b"gone"))
    spool.add(wire.AttemptEnded(attempt="1-1", outcome="exited", exit_code=0))
    shutil.rmtree(tmp_path / "logs")
    assert [type(one) for one in heard_from(Sending(spool))] == [wire.AttemptEnded]
    spool.close()


class SpoolOfAHost(RuleBasedStateMachine):
    """A server that takes in what comes, and an agent that is killed, loses its connection, and has a full disk."""

    @initialize()
    def begin(self):
        self.home = self.new_home()
        self.is_full = False
        self.printed = dict.fromkeys(ATTEMPTS, b"")
        self.log = dict.fromkeys(ATTEMPTS, b"")
        self.sent_marks, self.log_before, self.received = [], {}, set()
        self.to_acknowledge = []
        self.start()

    def start(self):
        self.spool = Spool(self.home)
        self.connect()

    @rule()
    def connect(self):
        self.connection = Sending(self.spool)
        self.to_acknowledge = []

    @rule(attempt=st.sampled_from(ATTEMPTS), data=st.binary(min_size=1, max_size=300))
    def print(self, attempt, data):
        self.spool.add(piece(attempt, len(self.printed[attempt]), data))
        self.printed[attempt] += data

    @rule(attempt=st.sampled_from(["", *ATTEMPTS]))
    def say(self, attempt):
        mark = len(self.sent_marks)
        message = (
            wire.StepBegan(attempt=attempt, step=mark, at=1.0)
            if attempt
            else wire.ServiceTried(name=str(mark), verb="start")
        )
        self.spool.add(message)
        self.sent_marks.append((attempt, mark))
        self.log_before[mark] = len(self.printed.get(attempt, b""))

    @rule(most=st.integers(1, 6))
    def send(self, most):
        while most and (frame := self.connection.next()):
            self.accept(frame)
            most -= 1

    def accept(self, frame):
        if isinstance(frame, bytes):
            pieces = wire.read_log_frame(frame).pieces
            for one in pieces:
                assert one.offset <= len(self.log[one.attempt]), "a gap"
                self.log[one.attempt] += one.data[len(self.log[one.attempt]) - one.offset :]
            self.to_acknowledge.append(wire.LogAck(attempt=one.attempt, size=one.offset + len(one.data)))
            return
        message = wire.from_agent(frame)
        mark = int(message.name) if isinstance(message, wire.ServiceTried) else message.step
        attempt = getattr(message, "attempt", "")
        assert len(self.log.get(attempt, b"")) >= self.log_before[mark], "it came before its log"
        earlier = {at for of, at in self.sent_marks if of == attempt and at < mark}
        assert earlier <= self.received, "it overtook another of its attempt"
        self.received.add(mark)
        self.to_acknowledge.append(wire.Ack(seq=message.seq))

    @rule(most=st.integers(1, 6))
    def acknowledge(self, most):
        for one in self.to_acknowledge[:most]:
            self.spool.forget(one)
        del self.to_acknowledge[:most]

    @rule()
    def fill_or_clear_the_disk(self):
        self.is_full = not self.is_full
        self.set_full(self.is_full)

    @rule()
    def kill(self):
        if not self.is_full:
            self.spool.add(piece(ATTEMPTS[0], len(self.printed[ATTEMPTS[0]]), b"."))
            self.printed[ATTEMPTS[0]] += b"."
            for lane in self.spool.logs.values():
                lane.write()
            self.spool.messages.forget(-1)  # writes what waits
            self.spool.close()
            self.start()

    @invariant()
    def no_more_is_in_flight_than_may_be(self):
        assert sum(isinstance(one, wire.Ack) for one in self.to_acknowledge) <= sending.MESSAGES_IN_FLIGHT
        assert sum(lane.in_flight for lane in self.spool.logs.values()) < sending.LOG_IN_FLIGHT + 400

    def teardown(self):
        self.set_full(False)
        while not self.spool.is_empty:
            while frame := self.connection.next():
                self.accept(frame)
            assert self.to_acknowledge, "nothing is on its way and something is left"
            self.acknowledge(10_000)
        assert self.log == self.printed
        assert self.received == {mark for _, mark in self.sent_marks}
        assert files_in(self.home) == []
        self.spool.close()


def test_whatever_happens_everything_is_told_in_order(tmp_path_factory, monkeypatch):
    monkeypatch.setattr(segments, "SEGMENT", 700)
    monkeypatch.setattr(sending, "LOG_IN_FLIGHT", 900)
    monkeypatch.setattr("paddock_agent.wire.log_frames.MAX_FRAME_BYTES", 400)
    write = os.write

    def write_some(file, data):
        return write(file, data[: len(data) // 2]) if SpoolOfAHost.full else write(file, data)

    monkeypatch.setattr(os, "write", write_some)

    def set_full(machine, is_full):
        SpoolOfAHost.full = is_full
        machine.spool.messages._db.execute(f"PRAGMA max_page_count={1 if is_full else 100_000}")

    SpoolOfAHost.full = False
    SpoolOfAHost.new_home = lambda _: tmp_path_factory.mktemp("home")
    SpoolOfAHost.set_full = set_full
    SpoolOfAHost.TestCase.settings = settings(max_examples=60, stateful_step_count=60, deadline=None)
    SpoolOfAHost.TestCase().runTest()
