"""What the agent keeps: its identity, bounded logs, notes of scripts at work."""

import stat
import subprocess
import sys

import psutil
import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_agent import identity
from paddock_agent.address import clean_address
from paddock_agent.attempts import leftovers
from paddock_agent.attempts.bounded_log import BoundedLog
from paddock_agent.errors import NotJoined, Unreachable
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


@given(st.lists(st.binary(max_size=200), max_size=30), st.integers(0, 500), st.integers(1, 300))
def test_a_log_is_told_whole_or_as_head_and_tail(pieces, head, tail):
    log = BoundedLog(head, tail)
    chunks = [chunk for i, piece in enumerate(pieces) for chunk in log.write(piece, float(i), i)] + list(log.end(99.0))
    sent = b"".join(one.data for one in chunks)
    assert [one.offset for one in chunks] == [sum(len(one.data) for one in chunks[:i]) for i in range(len(chunks))]
    assert [one.at for one in chunks] == sorted(one.at for one in chunks) or b"left out" in sent
    assert [one.step for one in chunks] == sorted(one.step for one in chunks)
    printed = b"".join(pieces)
    if len(printed) <= head + tail:
        assert sent == printed
    else:
        assert sent.startswith(printed[:head])
        assert sent.endswith(printed[-tail:])
        assert b"bytes are left out here" in sent


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
    "wrong", ["paddock:8200", "", "ftp://paddock", "http://", "http://pad dock", "http://paddock/yard?plate"]
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
