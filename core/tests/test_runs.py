"""What is computed of a run: its log as text, its tests, its differences."""

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.runs.compare import Evidence, differences
from paddock_core.runs.junit import Case, UnreadableTests, newly_failing, read_junit
from paddock_core.runs.log_text import MAX_LINE_LENGTH, Style, plain_line, shown_line


@pytest.mark.parametrize(
    ("raw", "text"),
    [
        (b"plain", "plain"),
        (b"10%\r55%\r100%", "100%"),
        (b"long line\rshort", "shortline"),
        (b"long line\r\x1b[Kshort", "short"),
        (b"abc\x08\x08X", "aXc"),
        (b"done\r", "done"),
        (b"\x1b]0;a title\x07text", "text"),
        (b"\x1b]8;;https://evil.example\x1b\\link\x1b]8;;\x1b\\", "link"),
        (b"\x1b[2J\x1b[Htop\x1b[10Bdown", "topdown"),
        (b"\x1bPq#0;2\x1b\\picture", "picture"),
        (b"\xff\xfe", "\ufffd\ufffd"),
        (b"a\x00b\x0bc\x7fd", "abcd"),
        ("\u00e9\u4e2d".encode(), "\u00e9\u4e2d"),
        (b"tab\there", "tab\there"),
        (b"\x1b[5G!", "!"),
        (b"\x1b]never ends", ""),
    ],
)
def test_a_line_is_what_a_screen_would_show(raw, text):
    assert plain_line(raw) == text


def styles(raw):
    return [(span.text, span.styles) for span in shown_line(raw)[0]]


def test_colours_come_down_to_names():
    assert styles(b"\x1b[1;31mbad\x1b[0m fine") == [("bad", ("bold", "red")), (" fine", ())]
    assert styles(b"\x1b[92mgreen\x1b[39m") == [("green", ("green",))]
    assert styles(b"\x1b[38;5;196mred\x1b[m") == [("red", ("red",))]
    assert styles(b"\x1b[38;2;0;0;250;4mblue") == [("blue", ("underlined", "blue"))]
    assert styles(b"\x1b[97;44mon blue") == [("on blue", ("white", "on-blue"))]
    assert styles(b"\x1b[999;;38mstill") == [("still", ())]


def test_a_style_goes_on_to_the_next_line():
    _, style = shown_line(b"\x1b[33mwarning:")
    assert style == Style("yellow")
    assert shown_line(b"more of it", style)[0][0].styles == ("yellow",)


@given(st.binary(max_size=300))
def test_whatever_was_printed_nothing_but_text_is_left(raw):
    text = plain_line(raw.replace(b"\n", b""))
    assert not re.search(r"[\x00-\x08\x0a-\x1f\x7f-\x9f]", text)


@given(st.text(st.characters(blacklist_categories=["Cc", "Cs"]), max_size=100))
def test_text_stays_as_it_is(text):
    assert plain_line(text.encode()) == text


def test_a_line_without_end_is_cut_with_a_mark():
    for raw in (b"x" * 100_000, b"\x1b[31m" + b"x" * 100_000):
        assert (
            plain_line(raw) == "x" * MAX_LINE_LENGTH + " … the line goes on …"
            or len(plain_line(raw)) < MAX_LINE_LENGTH + 30
        )


# ---- tests ---------------------------------------------------------------------------------------------------------


def test_nested_suites_times_and_messages():
    found = read_junit(
        b"""<testsuites><testsuite name="a"><testsuite name="b"><testcase name="one" time="1,200.5"/></testsuite>
        <testcase classname="C" name="two" time="x"><error message="boom">at line 3</error><system-out>x</system-out>
        </testcase></testsuite></testsuites>"""
    )
    assert found == [Case("b", "one", "passed", 1200.5), Case("C", "two", "error", 0.0, "boom\nat line 3")]


@pytest.mark.parametrize(
    "data",
    [
        b"", b"<", b"<html/>", b"\xff" * 10, b"<testsuite>" * 60,
        b'<!DOCTYPE x SYSTEM "file:///etc/passwd"><testsuite/>',
        b'<!DOCTYPE a [<!ENTITY b "c">]><testsuite name="&b;"/>', "<!DOCTYPE a []><testsuite/>".encode("utf-16"),
        b"<testsuite>" + b"<testcase/>" * 20_001 + b"</testsuite>",
    ],
)  # fmt: skip
def test_what_is_no_report_is_said_and_never_obeyed(data):
    with pytest.raises(UnreadableTests):
        read_junit(data)


@given(st.binary(max_size=200))
def test_any_bytes_are_read_or_refused(data):
    try:
        read_junit(data)
    except UnreadableTests as error:
        assert str(error)


def test_newly_failing_is_what_did_not_fail_before():
    now = [Case("s", "old", "failed"), Case("s", "new", "failed"), Case("s", "broken", "error"), Case("s", "fine")]
    before = [Case("s", "old", "failed"), Case("s", "new"), Case("s", "fine", "failed")]
    assert newly_failing(now, before) == {("s", "new"), ("s", "broken")}
    assert newly_failing(now, None) == set()


# ---- two runs ------------------------------------------------------------------------------------------------------


def test_the_cause_that_is_likeliest_stands_in_front():
    survey = {("tool", "jq", "/usr/bin/jq"): {"version": "1.6"}, ("tool", "jdk", "/opt/a"): {"version": "17"}}
    other = {("tool", "jq", "/usr/bin/jq"): {"version": "1.7"}, ("tool", "jdk", "/opt/b"): {"version": "21"}}
    first = Evidence(
        {"commit": "a"}, {"host": "knot-01"}, {"jdk": "17"}, {"TIDE": "low"}, {"test": "exit code 0"}, survey
    )
    second = Evidence(
        {"commit": "a"}, {"host": "knot-02"}, {"jdk": "21"}, {"TIDE": "low"}, {"test": "exit code 1"}, other
    )
    found = [(one.group, one.name, one.used) for one in differences(first, second)]
    assert found == [
        ("steps", "test", False), ("bound tools", "jdk", False), ("host", "host", False), ("tools", "jdk", True),
        ("tools", "jq", False),
    ]  # fmt: skip
    assert differences(first, first) == []


values = st.dictionaries(st.sampled_from("abc"), st.sampled_from(["1", "2"]))


@given(values, values, values, values)
def test_what_is_told_differs_and_what_differs_is_told(job, host, job2, host2):
    found = differences(Evidence(job, host), Evidence(job2, host2))
    assert all(one.first != one.second for one in found)
    names = {(one.group, one.name) for one in found}
    assert names == {("job", name) for name in {*job, *job2} if job.get(name) != job2.get(name)} | {
        ("host", name) for name in {*host, *host2} if host.get(name) != host2.get(name)
    }


@pytest.mark.parametrize("mark", ["\u202e", "\u202a", "\u2066", "\u2069", "\u200e", "\u200f", "\u061c"])
def test_marks_that_reorder_text_are_shown_as_marks(mark):
    spans, _ = shown_line(f"user{mark}txt.exe".encode())
    assert "".join(span.text for span in spans) == f"user<U+{ord(mark):04X}>txt.exe"
    spans, _ = shown_line(f"\x1b[31mred{mark}\x1b[0m".encode())
    assert spans[0].text == f"red<U+{ord(mark):04X}>"
