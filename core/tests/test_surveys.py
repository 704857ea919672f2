from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from paddock_core.surveys import Change, What, changes, differing, undone

things = st.tuples(st.sampled_from(["tool", "system"]), st.sampled_from("abc"), st.sampled_from(["", "/x", "/y"]))
properties = st.dictionaries(st.sampled_from(["version", "why"]), st.sampled_from(["", "1", "2"]), max_size=2)
snapshots = st.dictionaries(things, properties, max_size=6)


@given(st.lists(snapshots, min_size=1, max_size=6))
def test_any_earlier_moment_is_had_by_undoing_what_came_later(history):
    steps = [changes(before, after) for before, after in pairwise(history)]
    for moment, then in enumerate(history):
        later = [change for step in reversed(steps[moment:]) for change in step]
        assert undone(history[-1], later) == then


@given(snapshots)
def test_what_is_the_same_has_not_changed(snapshot):
    assert changes(snapshot, dict(snapshot)) == []


def test_what_has_happened_is_said():
    works, broken = {"version": "17"}, {"why": "exit code 1"}
    cases = [(None, works), (works, None), (works, {"version": "21"}), (works, broken), (broken, works), (None, broken)]
    found = [Change(("tool", "jdk", "/x"), before, after).what for before, after in cases]
    assert found == [What.CAME, What.WENT, What.CHANGED, What.BROKE, What.MENDED, What.CAME]


def test_hosts_side_by_side_show_only_what_differs_wherever_a_tool_lies():
    one = {("tool", "jdk", "/a"): {"version": "17", "plain": "yes"}, ("tool", "git", "/a"): {"version": "2"}}
    other = {("tool", "jdk", "/b"): {"version": "17", "plain": "yes"}, ("system", "cores", ""): {"value": "8"}}
    rows = differing({"knot-01": one, "knot-02": other})
    assert rows == [
        (("system", "cores", ""), {"knot-01": None, "knot-02": {"value": "8"}}),
        (("tool", "git", ""), {"knot-01": {"version": "2"}, "knot-02": None}),
    ]


def test_the_plain_version_comes_first_and_a_broken_one_is_said():
    one = {("tool", "jdk", "/a"): {"version": "21"}, ("tool", "jdk", "/b"): {"version": "17", "plain": "yes"}}
    other = {("tool", "jdk", "/a"): {"why": "exit code 1"}}
    ((_, properties),) = differing({"a": one, "b": other})
    assert properties == {"a": {"version": "17, 21"}, "b": {"version": "broken: exit code 1"}}
