"""Manifests of backups, and which backups may go."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.backups import DATABASE, ManifestInvalid, differences, is_safe, manifest_of, superfluous

HASH = "0" * 64
FILE = {"name": DATABASE, "size": 5, "sha256": HASH}
LOG = {"name": "logs/0/1-1-ab.log.gz", "size": 9, "sha256": "1" * 64}
GOOD = {"format": 1, "made_at": "2031-05-04T03:02:01+00:00", "version": "0.1.0", "has_keys": True, "files": [FILE, LOG]}


def test_a_good_manifest():
    read = manifest_of(GOOD)
    assert [one.name for one in read.files] == [DATABASE, "logs/0/1-1-ab.log.gz"]
    assert differences(read, {one.name: (one.size, one.sha256) for one in read.files}) == []


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"format": 2}, "format 1"),
        ({"files": None}, "lists no files"),
        ({"files": [LOG]}, "lists no database"),
        ({"files": [FILE, FILE]}, "twice"),
        ({"files": [FILE, 7]}, "not a file"),
        ({"files": [FILE, {**LOG, "name": "../etc/passwd"}]}, "outside of the backup"),
        ({"files": [FILE, {**LOG, "size": -1}]}, "no size or hash"),
        ({"files": [FILE, {**LOG, "sha256": "x"}]}, "no size or hash"),
        ({"made_at": 7}, "does not say when"),
        ({"has_keys": "yes"}, "does not say when"),
    ],
)
def test_a_manifest_that_cannot_be_believed(change, says):
    with pytest.raises(ManifestInvalid, match=says):
        manifest_of({**GOOD, **change})


LEAVES = st.none() | st.integers() | st.text(max_size=5)
RUBBISH = st.recursive(LEAVES, lambda inner: st.lists(inner) | st.dictionaries(st.text(max_size=8), inner))


@given(RUBBISH)
def test_no_rubbish_is_a_manifest(read):
    with pytest.raises(ManifestInvalid):
        manifest_of(read)


@pytest.mark.parametrize(
    ("name", "safe"),
    [
        (DATABASE, True),
        ("keys.sealed", True),
        ("logs/a/b.gz", True),
        ("outputs/x", True),
        ("logs", False),
        ("", False),
        ("/logs/x", False),
        ("logs/../x", False),
        ("logs//x", False),
        ("logs/./x", False),
        ("secret-key", False),
        ("other/x", False),
        ("logs\\..\\x", False),
        ("logs/x\0y", False),
    ],
)
def test_names_within_a_backup(name, safe):
    assert is_safe(name) is safe


def test_what_differs_is_said():
    read = manifest_of(GOOD)
    there = {DATABASE: (5, "2" * 64), "logs/more": (1, HASH)}
    assert differences(read, there) == [
        "logs/0/1-1-ab.log.gz is missing.",
        "logs/more is not in the manifest.",
        "paddock.sqlite3 is not the same as when it was backed up.",
    ]
    assert differences(read, {DATABASE: (4, HASH), LOG["name"]: (9, "1" * 64)}) == [
        "paddock.sqlite3 is shorter than when it was backed up."
    ]


NAMES = [f"paddock-2031050{day}-030201" for day in range(1, 6)]


@pytest.mark.parametrize(("keep", "gone"), [(2, 3), (5, 0), (9, 0), (1, 4), (0, 4)])
def test_the_latest_backups_stay_and_at_least_one(keep, gone):
    assert superfluous(reversed(NAMES), keep, NAMES[-1]) == NAMES[:gone]


def test_the_new_backup_stays_though_the_clock_was_set_back():
    assert superfluous(NAMES, 2, NAMES[0]) == NAMES[1:4]


def test_what_is_no_backup_is_left_alone():
    assert superfluous([*NAMES, "paddock-mine", "photos", ".paddock-20310501-030201.part"], 5, NAMES[-1]) == []
