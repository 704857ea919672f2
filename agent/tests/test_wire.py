import json

import pytest
from hypothesis import given
from hypothesis import strategies as st
from offers import script_offer

from paddock_agent import wire
from paddock_agent.errors import BadMessage

FACTS = wire.Facts(os="linux", os_version="12", cores=8)


@pytest.mark.parametrize(
    "message",
    [
        wire.Hello(protocol=1, facts=FACTS, attempts=["1-1"]),
        wire.Heartbeat(disk_free=5),
        wire.SurveyReport(seq=3, facts=FACTS, installations=[wire.Installation("git", "2.39.5", "/usr/bin/git")]),
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
        b" " * (wire.LARGEST_MESSAGE + 1),
    ],
)
def test_what_is_no_message_is_refused_by_name(data):
    with pytest.raises(BadMessage):
        wire.from_agent(data)


@given(st.binary(max_size=400))
def test_no_bytes_do_more_than_be_refused(data):
    with pytest.raises(BadMessage):
        wire.from_agent(data)


def test_a_message_over_the_limit_is_not_sent():
    with pytest.raises(BadMessage, match="over the limit"):
        wire.encode(wire.Dismiss(why="x" * (wire.LARGEST_MESSAGE + 1)))
