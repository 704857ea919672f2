"""The prose check finds words where people read them, and the record can only fall."""

import importlib.util
from collections import Counter
from pathlib import Path

import pytest

SPEC = importlib.util.spec_from_file_location("prose", Path(__file__).parent.parent / "tools" / "prose.py")
prose = importlib.util.module_from_spec(SPEC)
SPEC.loader.exec_module(prose)


def found(file, text):
    return [(hit.line, hit.word) for hit in prose.hits(file, text)]


@pytest.mark.parametrize(
    ("file", "text", "expected"),
    [
        ("docs/a.md", "One line.\nThe host was told, and Nobody knew.\n", [(2, "told"), (2, "nobody")]),
        ("docs/a.md", "There is no host. It is no longer there. Untold retold.", []),
        ("docs/a.md", "It is no host.", [(1, "is no")]),
        ("core/a.py", 'def told():\n    """It is done anew."""\n    return told  # told\n', [(2, "anew")]),
        ("core/a.py", 'x = f"{said} was\\n said"\n', [(2, "said")]),
        (
            "web/src/A.vue",
            "<script>// told</script>\n<template>\n  <p>Start afresh</p>\n</template>\n",
            [(3, "afresh")],
        ),
    ],
)
def test_words_are_found_where_people_read_them(file, text, expected):
    assert found(file, text) == expected


def test_a_file_may_not_get_more_and_the_record_may_not_stay_too_high():
    counts = {"a.md": Counter(told=2), "b.md": Counter(said=1)}
    assert prose.compared(counts, {"a.md": {"told": 2}, "b.md": {"said": 1}}) == ([], False)
    assert prose.compared(counts, {"a.md": {"told": 1}, "b.md": {"said": 1}}) == ([("a.md", "told")], False)
    assert prose.compared(counts, {"a.md": {"told": 2}}) == ([("b.md", "said")], False)
    assert prose.compared(counts, {"a.md": {"told": 3}, "b.md": {"said": 1}}) == ([], True)
    assert prose.compared(counts, {"a.md": {"told": 2}, "b.md": {"said": 1}, "gone.md": {"told": 1}}) == ([], True)


def test_the_tree_keeps_to_its_record():
    everything = {file: prose.hits(file, (prose.ROOT / file).read_text()) for file in prose.files()}
    counts = {file: Counter(hit.word for hit in hits) for file, hits in everything.items()}
    assert len(counts) > 300
    assert prose.compared(counts, prose.json.loads(prose.RECORD.read_text()))[0] == []
