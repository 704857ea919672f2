"""The logbook as syslog messages (RFC 5424)."""

import re
from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.syslog import MAX_MESSAGE_BYTES, LogbookLine, framed, message

AT = datetime(2031, 5, 4, 3, 2, 1, 90_000, tzinfo=UTC)
NAME = r"[!-~]{1,32}"
VALUE = r'"(?:[^"\\\]]|\\["\\\]])*"'
ELEMENT = rf"\[{NAME}(?: {NAME}={VALUE})*\]"
WHOLE = re.compile(
    rf"<(\d{{1,3}})>1 \d{{4}}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{{3}}Z [!-~]{{1,255}} [!-~]{{1,48}} - {NAME} "
    rf"(?:{ELEMENT})+ \ufeff[^\x00-\x1f\x7f]*",
    re.DOTALL,
)


def line(**more):
    values = {
        "number": 7, "at": AT, "who": "harbourmaster", "verb": "admitted", "noun": "host", "thing": "avocet-01",
        "paddock": "shoreline", "details": {},
    }  # fmt: skip
    return LogbookLine(**{**values, **more})


def test_a_line():
    assert message(line(), "paddock.saltmarsh.example").decode() == (
        "<109>1 2031-05-04T03:02:01.090Z paddock.saltmarsh.example yellow-paddock - host "
        '[logbook@32473 entry="7" who="harbourmaster" verb="admitted" noun="host" thing="avocet-01" '
        'paddock="shoreline"]'
        " \ufeffharbourmaster admitted host avocet-01 in shoreline"
    )


@pytest.mark.parametrize(("verb", "priority"), [("refused to log in", 108), ("declined", 108), ("granted", 109)])
def test_refusals_are_warnings(verb, priority):
    assert message(line(verb=verb), "h").startswith(f"<{priority}>".encode())


@given(
    st.text(max_size=200),
    st.text(max_size=200),
    st.dictionaries(st.text(max_size=40), st.text(max_size=60), max_size=5),
)
def test_no_line_can_forge_another(who, thing, details):
    data = message(line(who=who, thing=thing, details=details), "h").decode()
    assert WHOLE.fullmatch(data), data


def test_what_is_too_long_loses_its_details_and_says_so():
    data = message(line(details={f"k{n}": "x" * 900 for n in range(20)}), "h")
    assert len(data) <= MAX_MESSAGE_BYTES
    assert b'cut="details"' in data


def test_frames_have_their_length_in_bytes():
    assert framed("é".encode()) == b"2 \xc3\xa9"
