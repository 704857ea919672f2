"""The settings file: its values, and each mistake with its line."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.settings_file import MAX_LENGTH, Kind, KnownSetting, read_settings

KNOWN = (
    KnownSetting("data", Kind.PATH),
    KnownSetting("port", Kind.PORT, "8200"),
    KnownSetting("hosts", Kind.TEXTS),
    KnownSetting("lease", Kind.NUMBER, "900"),
    KnownSetting("smtp", Kind.TEXT, is_secret=True),
)


def test_what_is_right_is_read_with_its_line():
    hosts = 'hosts = [\n  "a.example",\n  "b.example",\n]\n'
    text = f'# ours\ndata = "/srv/paddock"\n\nport = 443\n{hosts}lease = 1.5\nsmtp = ""\n'
    read = read_settings(text, KNOWN)
    assert read.mistakes == []
    assert read.values == {
        "data": "/srv/paddock",
        "port": "443",
        "hosts": "a.example,b.example",
        "lease": "1.5",
        "smtp": "",
    }
    assert read.lines == {"data": 2, "port": 4, "hosts": 5, "lease": 9, "smtp": 10}


@pytest.mark.parametrize(
    ("text", "line", "says"),
    [
        ("port = 1\nleese = 5\n", 2, "There is no setting leese. Is lease meant?"),
        ("\n\nwhatever = 1\n", 3, "Known are: data, hosts, lease, port, smtp."),
        ("port = 0\n", 1, "port is 0, but it has to be a port from 1 to 65535."),
        ("port = 65536\n", 1, "has to be a port"),
        ("port = 80.5\n", 1, "has to be a port"),
        ('port = "8200"\n', 1, "has to be a port"),
        ("port = true\n", 1, "has to be a port"),
        ("lease = -1\n", 1, "has to be a number above 0"),
        ("lease = nan\n", 1, "has to be a number above 0"),
        ("lease = inf\n", 1, "has to be a number above 0"),
        ('data = "relative"\n', 1, "has to be an absolute path"),
        ('hosts = "a.example"\n', 1, "has to be a list of texts"),
        ('hosts = ["a", 5]\n', 1, "has to be a list of texts"),
        ('hosts = ["a,b"]\n', 1, "has to be a list of texts"),
        ('smtp = "a\\nb"\n', 1, "has to be a text"),
        ("[smtp]\nhost = 1\n", 1, "smtp is a table"),
        ('port = 1\nsmtp = "open\n', 2, "This is not TOML"),
        ("port = 1\nport = 2\n", 2, "This is not TOML"),
        ("smtp = mail\n", 1, "This is not TOML"),
        ("x" * (MAX_LENGTH + 1), 0, "larger than"),
    ],
)
def test_a_mistake_is_said_with_its_line(text, line, says):
    (mistake,) = read_settings(text, KNOWN).mistakes
    assert (mistake.line, says in mistake.sentence) == (line, True), mistake


def test_all_mistakes_are_said_at_once_and_what_is_right_is_read():
    read = read_settings("prot = 1\nlease = 5\nhosts = 7\n", KNOWN)
    assert [one.line for one in read.mistakes] == [1, 3]
    assert read.values == {"lease": "5"}


@given(st.text(max_size=300))
def test_no_text_is_a_fault(text):
    read = read_settings(text, KNOWN)
    assert all(one.sentence for one in read.mistakes)


@given(st.text(st.characters(exclude_categories=["Cs"]), max_size=50))
def test_what_is_written_as_toml_is_read_as_it_was(value):
    read = read_settings(f"smtp = {json.dumps(value)}\n", KNOWN)
    assert read.values.get("smtp", value) == value
