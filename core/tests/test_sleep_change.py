"""A standby policy, rehearsed: what it costs in waiting, and how long hosts sleep."""

import math
import random
from dataclasses import replace
from datetime import UTC, datetime, time
from zoneinfo import ZoneInfo

import numpy as np
import pytest

from paddock_core.fleet import Host
from paddock_core.planning.changes import ChangeError, apply_all, change_of, written
from paddock_core.planning.past import Ask, Run, past_of
from paddock_core.planning.question import Question, answer
from paddock_core.planning.rehearsal import Closure, Setting, rehearse
from paddock_core.planning.sleep_change import SleepWhenIdle
from paddock_core.planning.standby_play import SleepRule
from paddock_core.standby.decide import SleepHours
from paddock_core.terms import parse_terms

START = datetime(2026, 10, 5, tzinfo=UTC).timestamp()
HOUR = 3600.0


def host(name, *labels, slots=1):
    return Host(name, "shoreline", "linux", "12", "x64", frozenset(labels), (), slots=slots)


def run(job, sent, length=600, host="knot-01", terms=()):
    start = START + sent
    return Run(job, start, start, start, start, start + length, "almanac-docs", "build", host, ask=Ask(terms, (), 1))


def play(runs, hosts, *rules, **more):
    return rehearse(Setting(past_of(runs)[0], tuple(hosts), sleep=rules, **more), parse_terms)


def rule(*hosts, idle=1800.0, wake=90.0, **more):
    return SleepRule(hosts, idle, wakes=dict.fromkeys(hosts, wake), **more)


def test_a_job_waits_for_the_wake_and_the_next_one_finds_the_host_on():
    runs = [run(1, 0), run(2, 6 * HOUR), run(3, 6 * HOUR + 1200)]
    found = play(runs, [host("knot-01")], rule("knot-01"))
    assert found.waits.tolist() == [0.0, 90.0, 0.0]
    # From half an hour after the first job's end to the second job.
    assert found.slept.wakes == 1
    assert found.slept.hours == pytest.approx(6 - (600 + 1800) / HOUR, abs=0.01)


def test_a_host_stays_on_for_an_hour_after_it_woke():
    runs = [run(1, 0), run(2, 6 * HOUR), run(3, 6 * HOUR + 3000), run(4, 6 * HOUR + 3000 + 9000)]
    found = play(runs, [host("knot-01")], rule("knot-01", idle=60.0))
    assert found.waits.tolist() == [0.0, 90.0, 0.0, 90.0]


def test_hosts_sleep_only_within_their_hours_by_their_zone():
    zone = ZoneInfo("Europe/Berlin")
    nights = rule("knot-01", hours=SleepHours(time(20), time(6)), zone=zone)
    # Monday: noon, 19:30 and 23:00 by the clock of the zone, which is two hours ahead.
    noon, evening, night = 10 * HOUR, 17.5 * HOUR, 21 * HOUR
    found = play([run(1, 0), run(2, noon), run(3, evening), run(4, night)], [host("knot-01")], nights)
    assert found.waits.tolist() == [0.0, 90.0, 0.0, 90.0], "asleep since the night before; on from noon to 20:00"
    assert found.slept.hours == pytest.approx((noon - 2400 + night - 18 * HOUR) / HOUR, abs=0.3)


def test_the_host_that_serves_the_waiting_jobs_wakes_and_others_sleep_on():
    hosts = [host("knot-01", "a"), host("knot-02", "b", slots=2)]
    runs = [run(1, 0, terms=("label a",))] + [run(n, 6 * HOUR, terms=("label b",)) for n in (2, 3)]
    found = play(runs, hosts, rule("knot-01", "knot-02"))
    assert (found.waits.tolist(), found.slept.wakes) == ([0.0, 90.0, 90.0], 1)


def test_a_host_that_is_closed_for_good_ends_the_play():
    closed = Closure("knot-01", START + 7 * HOUR, math.inf)
    found = play([run(1, 0), run(2, 9 * HOUR)], [host("knot-01")], rule("knot-01"), closures=(closed,))
    assert math.isnan(found.waits[1])


@pytest.mark.parametrize("seed", range(12))
def test_random_days_lose_no_job_and_a_rule_that_never_holds_changes_nothing(seed):
    rng = random.Random(seed)
    hosts = [host(f"knot-{n:02}", *"ab"[n % 2], slots=rng.randint(1, 2)) for n in range(4)]
    terms = [(), ("label a",), ("label b",)]
    runs = [
        run(n, rng.uniform(0, 3 * 86_400), rng.uniform(30, 5400), f"knot-{rng.randrange(4):02}", rng.choice(terms))
        for n in range(rng.randint(1, 80))
    ]
    names = [one.name for one in hosts]
    awake = play(runs, hosts)
    sleeping = play(runs, hosts, rule(*names, idle=rng.choice([60.0, 1800.0]), wake=rng.uniform(20, 400)))
    assert not np.isnan(sleeping.placed).any()
    assert sleeping.slept.hours <= 4 * 3 * 24
    assert sleeping.slept.wakes <= 4 * 3 * 24, "at most once an hour and host"
    never = play(runs, hosts, rule(*names, idle=30 * 86_400.0))
    assert never.placed.tolist() == awake.placed.tolist()
    assert never.slept.hours == 0


# ---- as a change ---------------------------------------------------------------------------------------------------


def test_it_is_read_written_and_answered():
    given = {"kind": "sleep when idle", "hosts": ["knot-01"], "idle_minutes": 30, "begins": 19, "ends": 7}
    change = change_of(given)
    assert (written(change), change.sentence) == (given, "knot-01 asleep after 30 min idle, from 19:00 to 7:00")
    runs = [run(n, n * 7 * HOUR) for n in range(1, 30)]
    always = replace(change, begins=0, ends=0, wakes=(("knot-01", 90.0),))
    asked = Question(Setting(past_of(runs)[0], (host("knot-01"),)), (always,), {(): ()}, START, START + 9 * 86_400)
    found = answer(asked, lambda share: None)
    assert (found["slept"]["wakes"], found["slept"]["waited"]) == (28, pytest.approx(28 * 1.5))
    assert found["slept"]["hours"] == pytest.approx(28 * 6, abs=2), "seven hours, less the hour that it stays on"
    assert "slept" not in answer(replace(asked, changes=()), lambda share: None)


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ([SleepWhenIdle(("knot-01",), 0)], "number of minutes"),
        ([SleepWhenIdle(("knot-01",), 30, begins=24)], "between 0 and 23"),
        ([SleepWhenIdle(("gone-01",), 30)], "not in the fleet"),
        ([SleepWhenIdle(("knot-01",), 30), SleepWhenIdle(("knot-01",), 10)], "another standby policy"),
    ],
)
def test_a_policy_that_cannot_be_is_refused(changes, says):
    with pytest.raises(ChangeError, match=says):
        apply_all(Setting(past_of([run(1, 0)])[0], (host("knot-01"),)), changes)


def test_a_job_that_runs_longer_than_expected_does_not_hold_the_next_one_up():
    """Its length was expected to be that of the last ones, which were short: a sleeper is woken all the same."""
    short = [run(n, n * 300.0, 60) for n in range(20)]
    long, waits = run(30, 12_000, 20_000), run(31, 12_600, 60)
    hosts = [host("knot-01"), host("knot-02")]
    found = play([*short, long, waits], hosts, rule("knot-02", idle=600.0))
    assert found.waits[-1] < 600
