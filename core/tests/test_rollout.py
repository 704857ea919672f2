"""Rollouts: the canaries, the waves, the limits, the stop, and that every host comes to an end."""

import random
from dataclasses import replace
from datetime import datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.rollout import (
    AT_WORK,
    CANARIES,
    Candidate,
    HostStep,
    Hours,
    RolloutHost,
    RolloutInvalid,
    Rules,
    is_over,
    next_step,
    plan,
    wave_size,
    why_stopped,
)

NOON = datetime(2026, 11, 30, 12, 0)  # a Monday
MANY = Rules(per_paddock=9, per_kind=9)


def named(*names, paddock="shoreline", group="linux", **more):
    return [Candidate(name, paddock, group, **more) for name in names]


def rolling(*steps, **more):
    """Hosts a, b, … of one wave, past their canary."""
    done = [RolloutHost("canary", "orchard", CANARIES, HostStep.PROVEN)]
    return done + [RolloutHost("abcdefgh"[i], "shoreline", 1, step, **more) for i, step in enumerate(steps)]


def begins(rules, hosts, kinds=None, now=0.0, local=NOON, **more):
    return next_step(rules, hosts, kinds or {}, now, local, **more).begin


@pytest.mark.parametrize(
    ("text", "hosts", "size"), [("1", 9, 1), ("12", 9, 12), ("1%", 9, 1), ("34%", 3, 2), ("100%", 7, 7), (" 5 ", 1, 5)]
)
def test_a_size_is_a_number_or_a_share_rounded_up(text, hosts, size):
    assert wave_size(text, hosts) == size


@pytest.mark.parametrize("text", ["", "0", "0%", "101%", "-1", "5 %", "ten", "1.5", "100000"])
def test_a_size_that_is_none_is_refused(text):
    with pytest.raises(RolloutInvalid):
        wave_size(text, 10)


def test_the_canaries_are_one_connected_host_of_each_group():
    hosts = [
        *named("avocet-01", is_there=False), *named("curlew-01", "curlew-02"),
        *named("russet-01", group="macos launchd"), *named("ketch-01", group="windows", unfit="no Python"),
    ]  # fmt: skip
    assert plan(Rules(), hosts) == [["curlew-01", "russet-01"], ["avocet-01", "curlew-02"]]
    assert plan(Rules(canaries=False), hosts)[0] == []
    assert plan(Rules(), named("curlew-01")) == [[], ["curlew-01"]], "one host alone needs none"
    assert plan(Rules(), named("curlew-01", unfit="no")) == [[]]


def test_neighbours_in_a_wave_come_from_different_paddocks():
    hosts = [*named("a1", "a2", "a3"), *named("b1", "b2", paddock="workshop")]
    assert plan(Rules(waves=("2", "2"), canaries=False), hosts) == [[], ["a1", "b1"], ["a2", "b2", "a3"]]


@given(
    st.lists(st.tuples(st.sampled_from("pqr"), st.sampled_from("xyz"), st.booleans(), st.booleans()), max_size=40),
    st.lists(st.one_of(st.integers(1, 50).map(str), st.integers(1, 100).map("{}%".format)), min_size=1, max_size=5),
    st.booleans(),
)
def test_a_plan_has_each_fit_host_once(made, waves, canaries):
    hosts = [
        Candidate(f"host-{i}", paddock, group, there, "" if fit else "unfit")
        for i, (paddock, group, there, fit) in enumerate(made)
    ]
    found = plan(Rules(waves=tuple(waves), canaries=canaries), hosts)
    assert sorted(name for wave in found for name in wave) == sorted(one.name for one in hosts if not one.unfit)
    assert all(found[1:])
    groups = {one.group for one in hosts if not one.unfit}
    if canaries and sum(not one.unfit for one in hosts) > 1:
        assert len(found[CANARIES]) == len(groups)


def test_a_wave_waits_for_the_one_before_and_its_pause():
    rules = replace(MANY, pause=600)
    canary = RolloutHost("a", "p", CANARIES)
    later = RolloutHost("b", "p", 1)
    assert begins(rules, [canary, later]) == ("a",)
    for step in AT_WORK:
        found = next_step(rules, [replace(canary, step=step), later], {}, 0, NOON)
        assert (found.begin, found.waits["b"]) == ((), "It waits for the canaries.")
    proven = replace(canary, step=HostStep.PROVEN, ended_at=1000)
    assert begins(rules, [proven, later], now=1599) == ()
    assert "ends in a minute" in next_step(rules, [proven, later], {}, 1599, NOON).waits["b"]
    assert begins(rules, [proven, later], now=1600) == ("b",)
    begun = [proven, replace(later, step=HostStep.PROVEN, ended_at=1601), RolloutHost("c", "p", 1)]
    assert begins(rules, begun, now=1602) == ("c",), "a wave that has begun goes on"


def test_until_a_host_of_its_group_is_proven_one_goes_at_a_time():
    away = RolloutHost("a", "p", CANARIES, HostStep.UNREACHABLE, is_there=False, group="macos")
    others = [RolloutHost("b", "p", 1, group="macos"), RolloutHost("c", "p", 1, group="macos")]
    found = next_step(MANY, [away, *others], {}, 0, NOON)
    assert (found.begin, found.waits) == (("b",), {"c": "b has to prove the version first."})
    back = [away, replace(others[0], step=HostStep.WENT_BACK), others[1]]
    assert "b went back, the first host of its kind" in why_stopped(replace(MANY, stop_after=0), back)
    assert set(next_step(replace(MANY, stop_after=0), back, {}, 0, NOON).left_out) == {"a", "c"}
    proven = [RolloutHost("x", "p", CANARIES, HostStep.PROVEN, group="macos"), *back]
    assert why_stopped(replace(MANY, stop_after=2), proven) == ""


def test_after_so_many_that_went_back_the_rest_is_left_out():
    hosts = rolling(HostStep.WENT_BACK, HostStep.WENT_BACK, HostStep.SWITCHED, HostStep.WAITING)
    found = next_step(replace(MANY, stop_after=2), hosts, {}, 0, NOON)
    assert (found.begin, found.left_out, found.reason) == ((), ("d",), "2 hosts went back.")
    assert begins(replace(MANY, stop_after=3), hosts) == ("d",)
    assert begins(replace(MANY, stop_after=0), hosts) == ("d",)


def test_at_most_so_many_at_once_of_a_paddock_and_of_a_kind_of_work():
    hosts = rolling(HostStep.DRAINING, HostStep.WAITING, HostStep.WAITING, HostStep.WAITING)
    assert begins(replace(MANY, per_paddock=2), hosts) == ("b",)
    kinds = {"tool jdk": ["a", "c", "d", "e"]}
    assert begins(replace(MANY, per_kind=1), hosts, kinds) == ("b",)
    assert begins(replace(MANY, per_kind=2), hosts, kinds) == ("b", "c")


def test_the_last_two_ready_hosts_of_a_kind_of_work_never_go_at_once():
    hosts = rolling(HostStep.WAITING, HostStep.WAITING)
    assert begins(MANY, hosts, {"tool xcode": ["a", "b"]}) == ("a",)
    assert begins(MANY, hosts, {"tool xcode": ["a", "b", "elsewhere"]}) == ("a", "b")
    assert begins(MANY, hosts, {"tool xcode": ["a"]}) == ("a", "b"), "the only one there is cannot wait for another"
    unready = [replace(one, is_ready=one.name != "b") for one in hosts]
    found = next_step(MANY, unready, {"tool xcode": ["a", "b"]}, 0, NOON)
    assert found.begin == ("b",), "a host that takes no job costs nothing"
    assert found.waits == {"a": "It is the last ready host for tool xcode."}


def test_a_host_that_is_away_blocks_nobody_and_begins_when_it_is_back():
    hosts = rolling(HostStep.WAITING, HostStep.WAITING)
    hosts[1] = replace(hosts[1], is_there=False)
    found = next_step(MANY, hosts, {}, 0, NOON)
    assert (found.away, found.begin) == (("a",), ("b",))
    ended = rolling(HostStep.UNREACHABLE, HostStep.PROVEN)
    assert is_over([one.step for one in ended])
    assert begins(MANY, ended) == ("a",)
    assert begins(replace(MANY, hours=Hours(60, 120)), ended) == ()
    assert begins(MANY, [replace(one, is_there=False) for one in ended]) == ()


@pytest.mark.parametrize(
    ("hours", "moment", "inside"),
    [
        (Hours(60, 120), (1, 0), True), (Hours(60, 120), (1, 59), True), (Hours(60, 120), (2, 0), False),
        (Hours(60, 120), (0, 59), False), (Hours(1320, 300), (22, 0), True), (Hours(1320, 300), (4, 59), True),
        (Hours(1320, 300), (5, 0), False), (Hours(1320, 300), (21, 59), False),
        (Hours(0, 0), (13, 0), True), (Hours(1320, 300, [6]), (4, 59), True), (Hours(1320, 300, [0]), (4, 59), False),
        (Hours(1320, 300, [0]), (23, 0), True), (Hours(60, 120, [1]), (1, 30), False),
    ],
)  # fmt: skip
def test_hours_may_last_over_midnight(hours, moment, inside):
    local = NOON.replace(hour=moment[0], minute=moment[1])
    assert hours.contains(local) is inside
    assert (begins(replace(MANY, hours=hours), rolling(HostStep.WAITING), local=local) == ("a",)) is inside


def test_a_pause_of_a_person_lets_nothing_begin():
    found = next_step(MANY, rolling(HostStep.WAITING, HostStep.UNREACHABLE), {}, 0, NOON, is_paused=True)
    assert (found.begin, found.waits) == ((), dict.fromkeys("ab", "The rollout is paused."))


rules_of_all_kinds = st.builds(
    Rules,
    waves=st.lists(st.sampled_from(["1", "3", "10%", "50%"]), min_size=1, max_size=4).map(tuple),
    pause=st.sampled_from([0.0, 5.0]),
    per_paddock=st.integers(1, 4),
    per_kind=st.integers(1, 4),
    stop_after=st.integers(0, 3),
    canaries=st.booleans(),
)


@given(
    rules_of_all_kinds,
    st.lists(st.tuples(st.sampled_from("pq"), st.sampled_from("xy")), min_size=1, max_size=16),
    st.integers(0, 10**6),
)
def test_whatever_happens_the_limits_hold_and_it_ends(rules, made, seed):
    chance = random.Random(seed)
    candidates = [Candidate(f"host-{i}", paddock, group) for i, (paddock, group) in enumerate(made)]
    about = {one.name: one for one in candidates}
    kinds = {"one": [one.name for one in candidates[::2]], "two": [one.name for one in candidates[:2]]}
    hosts = [
        RolloutHost(name, about[name].paddock, number, group=about[name].group)
        for number, wave in enumerate(plan(rules, candidates))
        for name in wave
    ]
    now = 0.0
    for _ in range(200):
        now += 1
        found = next_step(rules, hosts, kinds, now, NOON)
        assert not (set(found.begin) & set(found.left_out))
        for i, one in enumerate(hosts):
            if one.name in found.begin:
                hosts[i] = replace(one, step=HostStep.INSTALLING)
            elif one.name in found.left_out:
                hosts[i] = replace(one, step=HostStep.LEFT_OUT, ended_at=now)
            elif one.step in AT_WORK and chance.random() < 0.6:
                step = HostStep.WENT_BACK if chance.random() < 0.2 else HostStep.PROVEN
                hosts[i] = replace(one, step=step, ended_at=now)
        at_work = [one for one in hosts if one.step in AT_WORK]
        for paddock in "pq":
            assert sum(one.paddock == paddock for one in at_work) <= rules.per_paddock
        for able in kinds.values():
            busy = sum(one.name in able for one in at_work)
            assert busy <= rules.per_kind
            assert busy < max(2, len(able)), "one of them is always ready"
        if is_over([one.step for one in hosts]):
            break
    assert is_over([one.step for one in hosts])
