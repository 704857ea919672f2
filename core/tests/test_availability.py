"""Availability: time connected of the time that it should have been."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.availability import availability, together
from paddock_core.link_state import Link

CONNECTED, LOST, STOPPED = Link.CONNECTED, Link.LOST, Link.STOPPED


@pytest.mark.parametrize(
    ("links", "holds", "share", "losses", "repairs"),
    [
        ([(0, CONNECTED)], [], 1.0, 0, ()),
        ([(0, CONNECTED), (80, LOST)], [], 0.8, 1, ()),
        ([(0, CONNECTED), (40, LOST), (60, CONNECTED)], [], 0.8, 1, (20,)),
        ([(0, CONNECTED), (40, LOST), (60, CONNECTED)], [(30, 70)], 1.0, 0, ()),
        ([(0, CONNECTED), (40, LOST), (50, STOPPED), (60, CONNECTED)], [], 0.8, 1, (20,)),
        ([(50, CONNECTED)], [], 1.0, 0, ()),
        ([(0, CONNECTED)], [(0, 100)], None, 0, ()),
        ([], [], None, 0, ()),
        ([(-50, LOST), (50, CONNECTED)], [], 0.5, 0, ()),
        ([(0, Link.NEVER_SEEN), (50, CONNECTED)], [], 1.0, 0, ()),
    ],
)
def test_cases(links, holds, share, losses, repairs):
    found = availability(0, 100, links, holds)
    assert (found.share, found.losses, found.repairs) == (share, losses, repairs)


def test_times_between_losses_and_to_repair():
    links = [(0, CONNECTED), (30, LOST), (40, CONNECTED), (70, LOST), (90, CONNECTED)]
    found = availability(0, 100, links, [])
    assert (found.between_losses, found.to_repair) == (35, 15)
    both = together([found, availability(0, 100, [(0, CONNECTED)], [])])
    assert (both.share, both.losses, both.between_losses, both.to_repair) == (0.85, 2, 85, 15)


changes = st.lists(st.tuples(st.floats(-50, 150), st.sampled_from(list(Link))), max_size=12).map(
    lambda given_: sorted(given_, key=lambda change: change[0])
)


@given(changes, st.lists(st.floats(0, 100), max_size=6))
def test_no_more_than_was_wanted_and_no_more_than_there_is(links, marks):
    marks = sorted(marks)
    holds = list(zip(marks[::2], marks[1::2], strict=False))
    found = availability(0, 100, links, holds)
    assert -1e-9 <= found.connected <= found.wanted + 1e-9 <= 100 + 1e-6
    assert len(found.repairs) <= found.losses
