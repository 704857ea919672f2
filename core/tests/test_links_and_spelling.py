import doctest
import importlib
import pkgutil

import pytest
from hypothesis import given
from hypothesis import strategies as st

import paddock_core
from paddock_core.link_state import Link, LinkEvent, heartbeat_for, is_flapping, link_after
from paddock_core.spelling import distance, nearest
from paddock_core.trace import trace


@pytest.mark.parametrize(
    ("now", "seen", "then"),
    [
        (Link.NEVER_SEEN, LinkEvent.HELLO, Link.CONNECTED),
        (Link.CONNECTED, LinkEvent.HELLO, None),
        (Link.CONNECTED, LinkEvent.GOODBYE, Link.STOPPED),
        (Link.CONNECTED, LinkEvent.SOCKET_CLOSED, Link.LOST),
        (Link.CONNECTED, LinkEvent.SILENCE, Link.LOST),
        (Link.STOPPED, LinkEvent.SOCKET_CLOSED, None),
        (Link.STOPPED, LinkEvent.SILENCE, None),
        (Link.NEVER_SEEN, LinkEvent.SILENCE, None),
        (Link.LOST, LinkEvent.HELLO, Link.CONNECTED),
    ],
)
def test_the_link_changes_as_it_should(now, seen, then):
    change = link_after(now, seen)
    assert (change.state if change else None) is then
    if change:
        assert change.cause.endswith(".")


@given(st.lists(st.sampled_from(LinkEvent)))
def test_after_a_goodbye_only_a_hello_changes_the_link(seen):
    state = Link.STOPPED
    for one in seen:
        change = link_after(state, one)
        if change:
            assert one is LinkEvent.HELLO or state is not Link.STOPPED
            state = change.state


@pytest.mark.parametrize(
    ("word", "meant"),
    [
        ("mavne", "maven"),
        ("MAVEN", "maven"),
        ("gti", "git"),
        ("jkd", "jdk"),
        ("pyton", "python"),
        ("xyz", None),
        ("", None),
    ],
)
def test_the_nearest_word_is_the_one_that_was_meant(word, meant):
    assert nearest(word, ["maven", "git", "jdk", "python", "cmake"]) == meant


@given(st.text("abc", max_size=8), st.text("abc", max_size=8))
def test_distance_is_symmetric_and_zero_only_for_equal_words(a, b):
    assert distance(a, b, 20) == distance(b, a, 20)
    assert (distance(a, b, 20) == 0) == (a == b)


@given(
    st.lists(st.tuples(st.floats(-50, 100), st.sampled_from(Link)), max_size=6).map(lambda links: sorted(links)),
    st.lists(st.tuples(st.floats(-50, 150), st.floats(-50, 150)), max_size=6),
    st.integers(1, 60),
)
def test_a_trace_has_one_known_character_a_step(links, busy, steps):
    drawn = trace(0, 100, steps, links, busy, 2)
    assert len(drawn) == steps
    assert set(drawn) <= set("-.0123456789")


def test_the_examples_in_the_docstrings_are_true():
    for module in pkgutil.walk_packages(paddock_core.__path__, "paddock_core."):
        failed, _ = doctest.testmod(importlib.import_module(module.name))
        assert failed == 0


@pytest.mark.parametrize(
    ("losses", "flaps"),
    [
        ([], False),
        ([900, 930, 960, 990], True),
        ([900, 930, 960], False),
        ([100, 130, 160, 190], False),
        ([-5000, -4000, 950, 990], False),
        ([900, 930, 960, 990, 5000], True),
    ],
)
def test_a_link_that_comes_and_goes_flaps_until_it_is_steady(losses, flaps):
    assert is_flapping(losses, 1000) is flaps


@given(st.floats(0.1, 3600))
def test_a_grace_sees_three_heartbeats(grace):
    every = heartbeat_for(grace, 15)
    assert every <= 15
    assert every == 0.5 or 3 * every <= grace + 1e-9
