"""Patterns of files: the same as a regular expression says, in a time that no pattern chooses."""

from __future__ import annotations

import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from paddock_agent.errors import BadPattern
from paddock_agent.file_pattern import MAX_LENGTH, MAX_WILDCARDS, file_pattern


def as_expression(pattern: str) -> re.Pattern[str]:
    """The same pattern as a regular expression, which may take for ever on a hostile one: only for short ones."""
    names = [name for name in pattern.strip("/").split("/") if name not in ("", ".")]
    ends_in_any = names[-1:] == ["**"]
    parts = []
    for name in names[:-1] if ends_in_any else names:
        one = "".join({"*": "[^/]*", "?": "[^/]"}.get(c, re.escape(c)) for c in re.sub(r"\*+", "*", name))
        parts.append("(?:[^/]+/)*" if name == "**" else one + "/")
    whole = "".join(parts)
    if ends_in_any:
        return re.compile(whole + "[^/]+(?:/.*)?", re.DOTALL)
    return re.compile(whole[:-1] + "(?:/.*)?" if whole.endswith("/") else whole + ".*", re.DOTALL)


PATTERNS = st.lists(st.sampled_from(["a", "b", "*", "?", "**", "/", ".", "ab", "\n"]), max_size=9).map("".join)
PATHS = st.lists(st.text("ab.\n", min_size=1, max_size=4), min_size=1, max_size=5).map("/".join)


@settings(max_examples=1500)
@given(PATTERNS, PATHS)
def test_it_is_what_a_regular_expression_says(pattern, path):
    if sum(pattern.count(star) for star in "*") > MAX_WILDCARDS:
        return
    assert file_pattern(pattern).matches(path) is bool(as_expression(pattern).fullmatch(path))


@pytest.mark.parametrize(
    ("pattern", "path", "is_so"),
    [
        ("**********b", "a" * 200_000, False),
        ("*a*a*a*a*a*a*a*a*a*b", "a" * 100_000, False),
        ("*a*a*a*a*a*a*a*a*a*a", "a" * 100_000, True),
        ("?a*?a*?a*?a*?a*?b", "a" * 20_000, False),
        ("**/a/**/a/**/a/**/a/**/b", "a/" * 50_000 + "c", False),
        ("**/*a/**/*a/**/*a/**/*b", "aa/" * 20_000 + "c", False),
    ],
)
def test_a_hostile_pattern_is_done_with(pattern, path, is_so):
    assert file_pattern(pattern).matches(path) is is_so


@pytest.mark.parametrize("pattern", ["*" * (MAX_WILDCARDS + 1), "a*" * (MAX_WILDCARDS + 1), "a" * (MAX_LENGTH + 1)])
def test_one_beyond_the_bounds_is_refused(pattern):
    with pytest.raises(BadPattern, match="at most"):
        file_pattern(pattern)


@pytest.mark.parametrize("pattern", ["a*" * MAX_WILDCARDS, "a" * MAX_LENGTH, "**/" * MAX_WILDCARDS + "a"])
def test_one_at_the_bounds_is_taken(pattern):
    assert file_pattern(pattern).matches("b") is False
