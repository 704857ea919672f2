import contextlib
import json
import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st
from offers import script_offer

from paddock_agent import wire
from paddock_agent.errors import BadMessage
from paddock_agent.wire import log_frames

FACTS = wire.Facts(os="linux", os_version="12", cores=8)


@pytest.mark.parametrize(
    "message",
    [
        wire.Hello(protocol=wire.VERSION, facts=FACTS, attempts=["1-1"]),
        wire.Heartbeat(disk_free=5),
        wire.SurveyReport(seq=3, facts=FACTS, installations=[wire.FoundInstallation("git", "2.39.5", "/usr/bin/git")]),
        wire.LogChunk(seq=4, attempt="1-1", offset=0, data=bytes(range(256))),
        wire.AttemptEnded(seq=5, attempt="1-1", outcome="exited", exit_code=0),
        wire.Goodbye(),
    ],
)
def test_messages_of_the_agent_come_out_as_they_went_in(message):
    assert wire.from_agent(wire.encode(message)) == message


@pytest.mark.parametrize(
    "message",
    [
        wire.Welcome(host="avocet-01", admitted=True, slots=2, heartbeat=15.0),
        script_offer("make\n"),
        wire.Slots(slots=3),
        wire.Dismiss(why="turned away"),
    ],
)
def test_messages_of_the_server_come_out_as_they_went_in(message):
    assert wire.from_server(wire.encode(message)) == message


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"not json",
        b"[]",
        b'{"type":"unheard of"}',
        b'{"type":"heartbeat","seq":-1}',
        b'{"type":"heartbeat","disk_free":NaN}',
        b'{"type":"log","attempt":"1-1","offset":0,"data":"not base64!"}',
        b'{"type":"hello","protocol":1,"facts":{"os":5},"attempts":[]}',
        json.dumps({"type": "started", "attempt": "x" * 300, "account": "a", "folder": "f"}).encode(),
        json.dumps({"type": "survey", "facts": {"os": "linux"}, "installations": [{}] * 3000}).encode(),
        b'{"type":"survey","facts":' + b"[" * 100_000,
        b" " * (wire.MAX_MESSAGE_BYTES + 1),
    ],
)
def test_what_is_no_message_is_refused_by_name(data):
    with pytest.raises(BadMessage):
        wire.from_agent(data)


@given(st.binary(max_size=400))
def test_no_bytes_do_more_than_be_refused(data):
    with pytest.raises(BadMessage):
        wire.from_agent(data)


PIECES = st.lists(
    st.builds(
        wire.LogChunk,
        attempt=st.just("5-1-ä"),
        offset=st.integers(0, 2**53),
        data=st.binary(min_size=1, max_size=40),
        at=st.floats(0, 1e12),
        step=st.integers(0, 2**32 - 1),
    ),
    min_size=1,
    max_size=20,
)


@given(PIECES, st.integers(0, 400))
def test_pieces_of_a_log_come_out_as_they_went_in_and_a_frame_that_is_cut_is_refused(pieces, cut):
    frame = wire.log_frame("5-1-ä", b"".join(map(log_frames.record, pieces)))
    assert wire.read_log_frame(frame) == wire.LogFrame("5-1-ä", pieces)
    ends = {len(frame) - len(b"".join(map(log_frames.record, pieces[at:]))) for at in range(1, len(pieces) + 1)}
    if cut not in ends and cut < len(frame):
        with pytest.raises(BadMessage):
            wire.read_log_frame(frame[:cut])


def record(offset=0, at=1.0, step=0, data=b"x", length=None):
    return struct.pack("<QdII", offset, at, step, len(data) if length is None else length) + data


@pytest.mark.parametrize(
    ("frame", "why"),
    [
        (b"", "no name"),
        (b"\x03\x00", "no name"),
        (b"\x03\x005-1", "nothing after it"),
        (b"\x02\x00\xff\xff" + record(), "not UTF-8"),
        (b"\x03\x005-1" + record(data=b""), "24 bytes at its end"),
        (b"\x03\x005-1" + record(length=5), "25 bytes at its end"),
        (b"\x03\x005-1" + record(offset=2**53 + 1), "claims the offset"),
        (b"\x03\x005-1" + record(at=float("nan")), "claims the offset"),
        (b"\x03\x005-1" + record(at=float("inf")), "claims the offset"),
        (b"\x03\x005-1" + record(data=bytes(wire.MAX_CHUNK_BYTES + 1)), "at its end"),
        (b"\x03\x005-1" + record() + b"more", "4 bytes at its end"),
        (bytes(wire.MAX_MESSAGE_BYTES + 1), "over the limit"),
    ],
)
def test_what_is_no_frame_of_log_is_refused_by_what_is_wrong(frame, why):
    with pytest.raises(BadMessage, match=why):
        wire.read_log_frame(frame)


@given(st.binary(max_size=400))
def test_no_bytes_do_more_than_be_refused_as_a_frame(data):
    with contextlib.suppress(BadMessage):
        assert wire.read_log_frame(data).pieces


def test_the_name_of_an_attempt_has_room_in_a_frame():
    longest = "\U0001f6a2" * 200  # as many characters as a word may have, of four bytes each
    assert wire.read_log_frame(wire.log_frame(longest, record())).attempt == longest
    with pytest.raises(BadMessage, match="1001 bytes"):
        wire.log_frame("x" * 1001, record())


def test_a_message_over_the_limit_is_not_sent():
    with pytest.raises(BadMessage, match="over the limit"):
        wire.encode(wire.Dismiss(why="x" * (wire.MAX_MESSAGE_BYTES + 1)))
