"""The recorded past, and what is counted from it, against sums written in the plainest way."""

import math
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.fleet import Host
from paddock_core.planning.kinds import arrivals_by_hour_of_week, failures, kinds_of_work
from paddock_core.planning.past import Ask, Run, joined, past_of
from paddock_core.planning.speed import host_speeds
from paddock_core.planning.use import (
    busy_by_hour_of_week,
    hour_edges,
    integral,
    longest_queue,
    over_time,
    quantiles,
    slot_hours,
)
from paddock_core.terms import parse_terms

MONDAY = datetime(2026, 10, 5, tzinfo=UTC).timestamp()
ASKS = [Ask(("os linux",)), Ask(("os linux", "tool jdk 17+")), Ask(("label rig",), slots=2)]


def run(job, sent, wait=0.0, length=60.0, host="knot-01", **more):
    given = {"pipeline": "almanac-docs", "name": "build", "person": "Ada", "paddock": "shoreline", "system": "linux"}
    start = sent + wait
    return Run(job, sent, sent, start, start + 1.0, start + 1.0 + length, host=host, **given | more)


runs = st.lists(
    st.builds(
        run,
        st.integers(1, 10**6),
        st.integers(0, 14 * 86_400).map(lambda second: MONDAY + second),
        st.integers(0, 5_000).map(float),
        st.integers(0, 90_000).map(float),
        st.sampled_from(["knot-01", "knot-02", "curlew-01"]),
        pipeline=st.sampled_from(["almanac-docs", "buoy-telemetry"]),
        ask=st.sampled_from(ASKS),
        after=st.lists(st.integers(1, 9), max_size=2).map(tuple),
    ),
    max_size=20,
    unique_by=lambda one: one.job,
)


@given(runs, st.integers(0, 20))
def test_a_past_is_the_same_divided_and_joined(some, cut):
    past, left_out = past_of(some)
    assert not left_out and len(past) == len(some)

    def rows(one):
        return [
            (
                one.job[at], one.sent[at], one.ended[at], one.pipelines[one.pipeline[at]], one.hosts[one.host[at]],
                one.asks[one.ask[at]], sorted(one.after_job[one.after_run == at].tolist()),
            )
            for at in range(len(one))
        ]  # fmt: skip

    first, _ = past_of(some[:cut])
    second, _ = past_of(some[cut:])
    assert rows(joined([first, second])) == rows(past)


def test_runs_whose_times_contradict_each_other_are_left_out_and_counted():
    good = run(1, MONDAY)
    back = Run(2, MONDAY, MONDAY, MONDAY + 5, MONDAY + 4, MONDAY + 9, "p", "n", "h")
    long = run(3, MONDAY, length=91 * 86_400)
    missing = Run(4, MONDAY, MONDAY, math.nan, MONDAY, MONDAY, "p", "n", "h")
    past, left_out = past_of([good, back, long, missing])
    assert len(past) == 1
    assert sorted(left_out.numbers.values()) == [1, 1, 1]
    assert "a clock was set" in left_out.sentence


@given(runs, st.integers(0, 15 * 86_400), st.integers(0, 15 * 86_400))
def test_slot_hours_are_the_sum_of_the_overlaps(some, one, other):
    since, until = sorted((MONDAY + one, MONDAY + other))
    past, _ = past_of(some)
    wanted = dict.fromkeys(past.hosts, 0.0)
    for each in some:
        wanted[each.host] += max(0.0, min(each.ended, until) - max(each.placed, since)) * each.ask.slots / 3600
    assert dict(zip(past.hosts, slot_hours(past, "host", since, until), strict=True)) == pytest.approx(wanted, abs=1e-6)


@given(runs, st.sampled_from([UTC, ZoneInfo("Europe/Berlin"), ZoneInfo("Asia/Kathmandu")]))
def test_the_busy_share_of_the_week_holds_all_the_work(some, zone):
    past, _ = past_of(some)
    until = MONDAY + 40 * 86_400  # the clock goes back in Berlin on 25 October
    share = busy_by_hour_of_week(past, 4, MONDAY, until, zone)
    edges, hours = hour_edges(MONDAY, until, zone)
    seconds = np.bincount(hours, np.diff(edges), 168).reshape(7, 24)
    inside = sum((min(each.ended, until) - each.placed) * each.ask.slots for each in some)
    assert np.nansum(share * seconds * 4) == pytest.approx(inside, abs=1e-3)


def test_an_hour_of_the_week_is_that_of_the_clock_on_the_wall():
    ten_in_berlin = datetime(2026, 10, 26, 10, tzinfo=ZoneInfo("Europe/Berlin")).timestamp()  # after the change
    past, _ = past_of([run(1, ten_in_berlin, length=3599)])
    share = busy_by_hour_of_week(past, 1, MONDAY, MONDAY + 28 * 86_400, ZoneInfo("Europe/Berlin"))
    assert share[0, 10] == pytest.approx(0.25)
    assert np.nansum(share) == pytest.approx(0.25)


@given(runs)
def test_queue_and_waits_over_time(some):
    past, _ = past_of(some)
    edges = MONDAY + np.arange(0, 20) * 86_400.0
    steps = over_time(past, edges)
    for step in steps:
        waited = sum(max(0.0, min(e.placed, step.until) - max(e.released, step.since)) for e in some)
        assert step.waiting * 86_400 == pytest.approx(waited, abs=1e-3)
        here = [e.placed - e.released for e in some if step.since <= e.placed < step.until]
        assert step.runs == len(here)
        assert step.longest == (max(here) if here else None)
    moments = [e.released for e in some]
    assert longest_queue(past) == max(
        (sum(e.released <= moment < e.placed for e in some) for moment in moments), default=0
    )


@given(st.lists(st.integers(0, 50), min_size=1), st.floats(0.01, 1))
def test_a_quantile_is_a_value_that_was_seen(values, share):
    (found,) = quantiles(np.array(values, float), (share,))
    assert found in values
    assert sum(value <= found for value in values) >= share * len(values) - 1e-9
    assert sum(value < found for value in values) < share * len(values) + 1e-9


def test_an_integral_far_from_the_epoch_keeps_its_digits():
    start = np.array([MONDAY + 0.25])
    found = integral(start, start + 10, np.ones(1), np.array([MONDAY, MONDAY + 1, MONDAY + 100.0]))
    assert found == pytest.approx([0, 0.75, 10], abs=1e-6)


# ---- how fast ------------------------------------------------------------------------------------------------------


def lengths(factors, jobs=6, each=40, wild=0.0, seed=3):
    """Runs on hosts of known factors; a share of them takes wildly long."""
    rng = np.random.default_rng(seed)
    some, number = [], 0
    for host, factor in factors.items():
        for job in range(jobs):
            for _ in range(each):
                number += 1
                length = (60.0 + 100 * job) * factor * rng.lognormal(0, 0.15)
                length *= 20 if rng.random() < wild else 1
                some.append(run(number, MONDAY + number * 1000.0, length=length, host=host, name=f"job-{job}"))
    return past_of(some)[0]


@pytest.mark.parametrize("wild", [0.0, 0.1])
def test_a_slow_host_is_found_whatever_a_few_wild_lengths_say(wild):
    factors = {"knot-01": 1.0, "knot-02": 1.0, "knot-03": 1.4, "knot-04": 0.8, "knot-05": 1.0}
    found = host_speeds(lengths(factors, wild=wild))
    for host, factor in factors.items():
        assert found[host].factor == pytest.approx(factor, rel=0.06)
        assert found[host].low <= found[host].factor <= found[host].high
    assert (found["knot-03"].is_certain and not found["knot-01"].is_certain) or wild
    assert found["knot-03"].runs == 240 and found["knot-03"].peers == 4


def test_the_interval_holds_the_truth_about_as_often_as_it_says():
    inside = 0
    for seed in range(60):
        speeds = host_speeds(lengths({"a": 1.0, "b": 1.0, "c": 1.5}, jobs=2, each=30, seed=seed))
        inside += speeds["c"].low <= 1.5 <= speeds["c"].high
    assert inside >= 50


def test_hosts_without_a_common_job_are_not_compared():
    some = [run(n, MONDAY + 100 * n, host=f"knot-0{n % 2}", name=f"only-{n % 2}") for n in range(100)]
    assert host_speeds(past_of(some)[0]) == {}
    assert host_speeds(past_of([])[0]) == {}
    assert host_speeds(lengths({"a": 1.0, "b": 1.0}, jobs=1, each=5)) == {}, "too few runs"


# ---- kinds of work -------------------------------------------------------------------------------------------------


def host(name, *labels, os="linux", slots=1, **more):
    return Host(name, "shoreline", os, "12", "x64", frozenset(labels), (), slots=slots, free_slots=slots, **more)


def test_kinds_are_folded_where_the_same_hosts_fit_and_the_thinnest_comes_first():
    asks = {
        "plain": Ask(("os linux",)), "rig": Ask(("label rig",)), "either": Ask(("cores 2+",)),
        "more": Ask(("cores 4+",)), "gone": Ask(("label gone",)), "pair": Ask(("label pair",)),
        "old": Ask(("nonsense here",)),
    }  # fmt: skip
    hosts = [
        host("knot-01", "rig", "pair", cores=8),
        host("knot-02", "pair", cores=8),
        host("russet-01", os="macos", cores=8),
    ]
    some = [
        run(10 * n + at, MONDAY + n * 3600, ask=ask, pipeline=f"of-{name}")
        for n in range(24 * 7)
        for at, (name, ask) in enumerate(asks.items())
    ]
    past, _ = past_of(some)
    kinds = kinds_of_work(past, hosts, parse_terms)
    named = {kind.name: kind for kind in kinds}
    assert len(kinds) == 6, "cores 2+ and cores 4+ are met by the same hosts"
    assert named["cores 2+"].runs == 2 * 24 * 7
    assert named["cores 2+"].pipelines == ("of-either", "of-more")
    assert named["nonsense here"].hosts == () and "column 1" in named["nonsense here"].unreadable
    assert [len(kind.hosts) for kind in kinds] == sorted(len(kind.hosts) for kind in kinds)
    assert named["label rig"].hosts == ("knot-01",)
    assert named["os linux"].runs_per_week == pytest.approx(168, rel=0.02)
    assert named["os linux"].slot_hours_per_week == pytest.approx(168 * 61 / 3600, rel=0.02)
    assert named["label rig"].thicken == "add the label rig to knot-02"
    assert named["os linux"].thicken == "", "no label makes a Mac a Linux host"
    one, two = failures(kinds)
    assert (one.hosts, one.pipelines) == (("knot-01",), ("of-rig",))
    assert (two.hosts, two.pipelines) == (("knot-01", "knot-02"), ("of-pair", "of-plain", "of-rig"))
    assert np.nansum(arrivals_by_hour_of_week(past, UTC)) == pytest.approx(len(asks) * 168, rel=0.02)
