"""Patterns of names in fences: as a regular expression says, and never slow."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_server.patterns import matches_any


@given(st.text("abAB*", max_size=10), st.text("abAB", max_size=12))
def test_a_star_is_anything(pattern, name):
    expression = ".*".join(re.escape(part) for part in re.split(r"\*+", pattern))
    assert matches_any(name, [pattern]) is bool(re.fullmatch(expression, name, re.IGNORECASE | re.DOTALL))


@pytest.mark.parametrize(("pattern", "is_so"), [("*a" * 50 + "*b", False), ("*a" * 50 + "*", True)])
def test_a_hostile_pattern_is_done_with(pattern, is_so):
    assert matches_any("a" * 100_000, [pattern]) is is_so
