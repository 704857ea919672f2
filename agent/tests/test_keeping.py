"""What the agent keeps: its identity, its spool, bounded logs, notes of scripts at work."""

import stat
import subprocess
import sys

import psutil
import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_agent import identity, wire
from paddock_agent.address import clean_address
from paddock_agent.attempts import leftovers
from paddock_agent.attempts.bounded_log import BoundedLog
from paddock_agent.errors import AgentError, NotJoined, Unreachable
from paddock_agent.spool import Spool
from paddock_agent.system.real import RealSystem

KNOWN = identity.Identity("http://paddock:8200", "paddock-key-x", "avocet-01", "shoreline", "/work")


def test_the_identity_is_readable_by_its_user_alone(tmp_path):
    home = tmp_path / "agent"
    identity.save(home, KNOWN)
    assert identity.load(home) == KNOWN
    assert stat.S_IMODE((home / identity.FILE).stat().st_mode) == 0o600
    assert stat.S_IMODE(home.stat().st_mode) == 0o700
    identity.forget(home)
    with pytest.raises(NotJoined, match="paddock-agent join"):
        identity.load(home)


def test_a_spoilt_identity_says_so(tmp_path):
    (tmp_path / identity.FILE).write_text("{")
    with pytest.raises(NotJoined, match="cannot be read"):
        identity.load(tmp_path)


def test_the_spool_keeps_its_messages_over_a_restart_until_they_are_acknowledged(tmp_path):
    spool = Spool(tmp_path / "spool.sqlite3")
    spool.add(wire.LogChunk(attempt="1-1", offset=0, data=b"hello"))
    spool.add(wire.AttemptEnded(attempt="1-1", outcome="exited", exit_code=0))
    spool.close()
    spool = Spool(tmp_path / "spool.sqlite3")
    assert [seq for seq, _ in spool.after(0, 10)] == [1, 2]
    assert spool.untold_ends() == ["1-1"]
    assert wire.from_agent(spool.after(0, 1)[0][1]).seq == 1
    spool.forget(1)
    assert [seq for seq, _ in spool.after(0, 10)] == [2]
    assert spool.add(wire.Heartbeat()) == 3
    spool.forget(3)
    assert len(spool) == 0
    spool.close()


def test_on_a_full_disk_messages_wait_in_memory_in_their_order(tmp_path):
    spool = Spool(tmp_path / "spool.sqlite3")
    pages = spool._db.execute("PRAGMA page_count").fetchone()[0]
    spool._db.execute(f"PRAGMA max_page_count={pages + 4}")
    data = bytes(range(256)) * 100
    for number in range(8):
        spool.add(wire.LogChunk(attempt="1-1", offset=number * len(data), data=data))
    spool.add(wire.AttemptEnded(attempt="1-1", outcome="exited", exit_code=0))
    assert spool._db.execute("SELECT COUNT(*) FROM message").fetchone()[0] < 8, "the disk is not full"
    assert (len(spool), spool.untold_ends()) == (9, ["1-1"])
    assert [seq for seq, _ in spool.after(0, 4)] == [1, 2, 3, 4]
    assert [wire.from_agent(body).seq for _, body in spool.after(4, 99)] == [5, 6, 7, 8, 9]
    spool.forget(3)
    assert [seq for seq, _ in spool.after(0, 2)] == [4, 5]
    spool._db.execute("PRAGMA max_page_count=100000")
    spool.add(wire.Heartbeat())
    spool.close()
    again = Spool(tmp_path / "spool.sqlite3")
    assert [seq for seq, _ in again.after(0, 99)] == [4, 5, 6, 7, 8, 9, 10]
    again.close()


def test_two_agents_cannot_share_a_home(tmp_path):
    first = Spool(tmp_path / "spool.sqlite3")
    with pytest.raises(AgentError, match="Another agent is running"):
        Spool(tmp_path / "spool.sqlite3")
    first.close()


@given(st.lists(st.binary(max_size=200), max_size=30), st.integers(0, 500), st.integers(1, 300))
def test_a_log_is_told_whole_or_as_head_and_tail(pieces, head, tail):
    log = BoundedLog(head, tail)
    chunks = [chunk for i, piece in enumerate(pieces) for chunk in log.write(piece, float(i), i)] + list(log.end(99.0))
    told = b"".join(one.data for one in chunks)
    assert [one.offset for one in chunks] == [sum(len(one.data) for one in chunks[:i]) for i in range(len(chunks))]
    assert [one.at for one in chunks] == sorted(one.at for one in chunks) or b"left out" in told
    assert [one.step for one in chunks] == sorted(one.step for one in chunks)
    printed = b"".join(pieces)
    if len(printed) <= head + tail:
        assert told == printed
    else:
        assert told.startswith(printed[:head])
        assert told.endswith(printed[-tail:])
        assert b"bytes are left out here" in told


@pytest.mark.parametrize(
    ("given_address", "clean"),
    [
        ("http://paddock:8200", "http://paddock:8200"),
        ("  https://paddock.example/ ", "https://paddock.example"),
        ("http://[::1]:8200//", "http://[::1]:8200"),
    ],
)
def test_an_address_is_cleaned(given_address, clean):
    assert clean_address(given_address) == clean


@pytest.mark.parametrize(
    "wrong", ["paddock:8200", "", "ftp://paddock", "http://", "http://pad dock", "http://paddock/yard"]
)
def test_a_wrong_address_says_how_to_write_it(wrong):
    with pytest.raises(Unreachable, match="http"):
        clean_address(wrong)


def test_what_an_earlier_agent_left_running_is_ended_and_nothing_else(tmp_path):
    left, other = (
        subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE, start_new_session=True)
        for _ in range(2)
    )
    leftovers.note(tmp_path, "1-1", "PADDOCK_RUN=a1", left.pid)
    leftovers.note(tmp_path, "2-1", "PADDOCK_RUN=b2", other.pid)
    born_otherwise = (tmp_path / "2-1.json").read_text().replace(str(psutil.Process(other.pid).create_time()), "1.0")
    (tmp_path / "2-1.json").write_text(born_otherwise)
    (tmp_path / "3-1.json").write_text("rubbish")
    assert leftovers.end_all(RealSystem(), tmp_path) == ["1-1"]
    assert left.wait(10) < 0
    assert other.poll() is None
    assert list(tmp_path.iterdir()) == []
    other.kill()
    other.communicate()
