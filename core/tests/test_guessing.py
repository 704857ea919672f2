"""How long the next try has to wait."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from paddock_core.guessing import MAX_WAIT_SECONDS, wait_after


@given(st.integers(0, 10**9), st.integers(0, 100))
def test_waits_grow_and_end_at_the_longest(tries, free):
    assert 0 <= wait_after(tries, free) <= wait_after(tries + 1, free) <= MAX_WAIT_SECONDS
    assert (wait_after(tries, free) == 0) is (tries < free)


def test_the_last_free_try_and_those_after_it():
    assert [wait_after(tries, 5) for tries in (4, 5, 6, 13, 14)] == [0, 2, 4, 512, 900]
