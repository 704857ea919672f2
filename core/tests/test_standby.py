"""Standby: which hosts wake, which go down, and that none flaps; against brute force and in random days."""

from __future__ import annotations

import itertools
import random
from dataclasses import replace
from datetime import datetime, time

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from paddock_core.fit import Requirement
from paddock_core.fleet import Host, Readiness
from paddock_core.fleet_index import FleetIndex
from paddock_core.standby.decide import (
    SETTLE_SECONDS,
    KeepAwake,
    Mode,
    Policy,
    PowerDown,
    Sleeper,
    SleepHours,
    Wake,
    Wanted,
    decide,
)
from paddock_core.standby.power import (
    USUAL_WAKE_SECONDS,
    Power,
    PowerEvent,
    WakeRecord,
    power_after,
    usual_wake_seconds,
    wake_odds,
    wake_patience,
)
from paddock_core.standby.saved import Rates, Saved, saved, together
from paddock_core.terms import parse_terms

ON_DEMAND = Policy(Mode.ON_DEMAND, idle_seconds=600)
NOW = 1_000_000.0


def host(name, *labels, slots=1, readiness=Readiness.ASLEEP, free=None, **more):
    free = (slots if readiness is Readiness.FREE else 0) if free is None else free
    return Host(name, more.pop("paddock", "shoreline"), "linux", "12", "x64", frozenset(labels), (), readiness, free,
                slots=slots, **more)  # fmt: skip


def asleep(name, **more):
    return Sleeper(name, Power.ASLEEP, NOW - 9000, **{"policy": ON_DEMAND, **more})


def awake(name, up=9000.0, idle=700.0, **more):
    return Sleeper(name, Power.ON, NOW - up, **{"policy": ON_DEMAND, "idle_since": NOW - idle, **more})


def job(number, *terms, slots=1, **more):
    return Wanted(number, Requirement(tuple(parse_terms(terms)), slots, **more))


def woken(found):
    return {wake.host: wake.jobs for wake in found.wakes}


# ---- waking --------------------------------------------------------------------------------------------------------


def test_the_smallest_set_wakes_and_each_wake_names_its_jobs():
    index = FleetIndex([host("curlew-01", "a"), host("curlew-02", "a", "b", slots=2), host("curlew-03", "b")])
    sleepers = [asleep(one.name) for one in index]
    found = decide(NOW, index, sleepers, [job(1, "label a"), job(2, "label b")])
    assert woken(found) == {"curlew-02": (1, 2)}


def test_a_job_moves_to_another_sleeper_to_make_room():
    """The first job takes the surer host; the second fits only that one, so the first moves."""
    index = FleetIndex([host("curlew-01", "a", "b"), host("curlew-02", "a")])
    sleepers = [asleep("curlew-01", odds=0.9), asleep("curlew-02", odds=0.1)]
    found = decide(NOW, index, sleepers, [job(1, "label a"), job(2, "label b")])
    assert woken(found) == {"curlew-01": (2,), "curlew-02": (1,)}


def test_of_equals_the_surest_then_the_fastest():
    index = FleetIndex([host("curlew-01"), host("curlew-02"), host("curlew-03")])
    sleepers = [
        asleep("curlew-01", odds=0.5, wake_seconds=20),
        asleep("curlew-02", odds=0.9, wake_seconds=90),
        asleep("curlew-03", odds=0.9, wake_seconds=60),
    ]
    assert woken(decide(NOW, index, sleepers, [job(1)])) == {"curlew-03": (1,)}


@pytest.mark.parametrize(
    ("end", "wakes"), [(NOW + 69, {}), (NOW + 70, {}), (NOW + 71, {"curlew-01": (1,)}), (NOW - 500, {})]
)
def test_none_wakes_where_an_awake_one_is_free_before_the_sleeper_is_up(end, wakes):
    index = FleetIndex([host("curlew-01"), host("knot-01", readiness=Readiness.BUSY)])
    assert woken(decide(NOW, index, [asleep("curlew-01", wake_seconds=70)], [job(1)], [("knot-01", end)])) == wakes


def test_a_slot_that_comes_free_serves_one_job_and_a_waking_host_its_slots():
    index = FleetIndex(
        [host("curlew-01"), host("curlew-02", readiness=Readiness.WAKING), host("knot-01", readiness=Readiness.BUSY)]
    )
    sleepers = [asleep("curlew-01"), replace(asleep("curlew-02"), power=Power.WAKING)]
    ends = [("knot-01", NOW + 5)]
    assert woken(decide(NOW, index, sleepers, [job(1), job(2)], ends)) == {}
    assert woken(decide(NOW, index, sleepers, [job(1), job(2), job(3)], ends)) == {"curlew-01": (3,)}


@pytest.mark.parametrize(
    ("sleeper", "changes"),
    [
        (asleep("curlew-01", policy=Policy(Mode.BY_HAND)), {}),
        (asleep("curlew-01", policy=Policy(Mode.NEVER)), {}),
        (replace(asleep("curlew-01"), power=Power.NOT_WAKING), {}),
        (replace(asleep("curlew-01"), power=Power.OFF), {}),
        (asleep("curlew-01"), {"held": "deckhand"}),
        (asleep("curlew-01"), {"paddock": "annex"}),
    ],
)
def test_what_may_not_wake_stays_asleep(sleeper, changes):
    index = FleetIndex([host("curlew-01", **changes)])
    assert woken(decide(NOW, index, [sleeper], [job(1, reach=frozenset({"shoreline"}))])) == {}


def test_a_job_of_several_slots_wakes_one_host_that_has_them():
    index = FleetIndex([host("curlew-01"), host("curlew-02", slots=4), host("curlew-03", slots=2)])
    found = woken(decide(NOW, index, [asleep(one.name) for one in index], [job(1, slots=2), job(2, slots=2)]))
    assert found == {"curlew-02": (1, 2)}
    assert woken(decide(NOW, index, [asleep("curlew-01")], [job(1, slots=3)])) == {}


LABELS = st.sets(st.sampled_from("abc"), min_size=1)


@settings(deadline=None, max_examples=150)
@given(
    st.lists(st.tuples(LABELS, st.integers(1, 3)), min_size=1, max_size=5), st.lists(st.sampled_from("abc"), max_size=6)
)
def test_as_many_jobs_as_can_be_are_served_by_as_few_hosts_as_can_be(hosts, jobs):
    index = FleetIndex([host(f"curlew-{n}", *labels, slots=slots) for n, (labels, slots) in enumerate(hosts)])
    found = decide(
        NOW, index, [asleep(one.name) for one in index], [job(n, f"label {one}") for n, one in enumerate(jobs)]
    )

    def served(chosen):
        """By Kuhn's algorithm over the slots."""
        slots = [(n, s) for n in chosen for s in range(hosts[n][1])]
        of = {}

        def place(one, seen):
            for slot in slots:
                if jobs[one] in hosts[slot[0]][0] and slot not in seen:
                    seen.add(slot)
                    if slot not in of or place(of[slot], seen):
                        of[slot] = one
                        return True
            return False

        return sum(place(one, set()) for one in range(len(jobs)))

    most = served(range(len(hosts)))
    fewest = next(
        size
        for size in range(len(hosts) + 1)
        if any(served(some) == most for some in itertools.combinations(range(len(hosts)), size))
    )
    given_to = [number for wake in found.wakes for number in wake.jobs]
    assert len(given_to) == len(set(given_to)) == most
    assert all(len(wake.jobs) <= index.host(wake.host).slots for wake in found.wakes)
    assert fewest <= len(found.wakes) <= fewest + 1


# ---- rules that keep hosts awake -----------------------------------------------------------------------------------


def test_a_rule_keeps_so_many_on_and_so_many_free_and_says_how_many_it_lacks():
    index = FleetIndex(
        [
            host("curlew-01", "a"),
            host("curlew-02", "a"),
            host("knot-01", "a", readiness=Readiness.BUSY),
            host("knot-02"),
        ]
    )
    sleepers = [asleep("curlew-01", odds=0.4), asleep("curlew-02", odds=0.6)]
    rule = KeepAwake("bench", Requirement(tuple(parse_terms(["label a"]))), awake=2)
    found = decide(NOW, index, sleepers, keeps=[rule])
    assert found.wakes == (Wake("curlew-02", keeps="bench"),) and found.short == {}
    found = decide(NOW, index, sleepers, keeps=[replace(rule, awake=5)])
    assert len(found.wakes) == 2 and found.short == {"bench": 2}
    assert len(decide(NOW, index, sleepers, keeps=[replace(rule, awake=1, free=1)]).wakes) == 1
    both = decide(NOW, index, sleepers, [job(1, "label a")], keeps=[rule])
    assert [wake.jobs for wake in both.wakes] == [(1,)], "a host that wakes for a job counts for the rule"


def test_a_rule_keeps_a_host_from_going_down():
    index = FleetIndex([host("curlew-01", readiness=Readiness.FREE), host("curlew-02", readiness=Readiness.FREE)])
    sleepers = [awake("curlew-01", idle=900), awake("curlew-02", idle=800)]
    assert [down.host for down in decide(NOW, index, sleepers).downs] == ["curlew-01", "curlew-02"]
    kept = decide(NOW, index, sleepers, keeps=[KeepAwake("all", Requirement(), awake=1)])
    assert kept.downs == (PowerDown("curlew-01", "It has been idle for 15 min, and no waiting job fits it."),)


# ---- going down ----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("sleeper", "readiness", "again"),
    [
        (awake("curlew-01"), Readiness.FREE, None),
        (awake("curlew-01", idle=599), Readiness.FREE, 1),
        (awake("curlew-01", up=SETTLE_SECONDS - 1), Readiness.FREE, 1),
        (awake("curlew-01", up=4000, policy=replace(ON_DEMAND, up_seconds=4001)), Readiness.FREE, 1),
        (awake("curlew-01", policy=replace(ON_DEMAND, may_sleep_now=False)), Readiness.FREE, "no"),
        (awake("curlew-01", policy=Policy(Mode.BY_HAND)), Readiness.FREE, "no"),
        (awake("curlew-01", stays=True), Readiness.FREE, "no"),
        (awake("curlew-01"), Readiness.BUSY, "no"),
        (awake("curlew-01"), Readiness.HELD, "no"),
        (replace(awake("curlew-01"), idle_since=None), Readiness.FREE, "no"),
    ],
)
def test_a_host_goes_down_when_it_was_idle_and_up_for_long_enough(sleeper, readiness, again):
    found = decide(NOW, FleetIndex([host("curlew-01", readiness=readiness)]), [sleeper])
    assert [down.host for down in found.downs] == (["curlew-01"] if again is None else [])
    assert found.look_again == (again if isinstance(again, int) else None)


def test_one_slot_at_work_or_a_waiting_job_that_fits_keeps_it_on():
    index = FleetIndex([host("curlew-01", slots=2, readiness=Readiness.FREE, free=1)])
    assert decide(NOW, index, [awake("curlew-01")]).downs == ()
    index = FleetIndex([host("curlew-01", "a", readiness=Readiness.FREE)])
    assert decide(NOW, index, [awake("curlew-01")], [job(1, "label a")]).downs == ()
    assert len(decide(NOW, index, [awake("curlew-01")], [job(1, "label b")]).downs) == 1


@pytest.mark.parametrize("seed", range(4))
def test_in_no_hour_a_host_changes_more_than_twice_and_every_job_ends(seed):
    """Two random days, played minute by minute: hosts of two kinds, jobs of up to an hour, wakes of two minutes."""
    rng = random.Random(seed)
    kind = {f"curlew-{n}": "ab"[n % 2] for n in range(4)}
    power, since, idle = dict.fromkeys(kind, Power.ASLEEP), dict.fromkeys(kind, 0.0), dict.fromkeys(kind, 0.0)
    running, queue, changes = {}, [], {name: [] for name in kind}
    policy = Policy(Mode.ON_DEMAND, idle_seconds=60, up_seconds=0)
    index = FleetIndex([host(name, one) for name, one in kind.items()])
    jobs = {one: job(0, f"label {one}") for one in "ab"}
    readiness = {Power.ON: Readiness.FREE, Power.WAKING: Readiness.WAKING, Power.ASLEEP: Readiness.ASLEEP}
    sent = ended = 0

    def change(name, to=None, at=None):
        if to is not None:
            power[name], since[name] = to, at
            if to is not Power.ON:
                changes[name].append(at)
        index.put(host(name, kind[name], readiness=Readiness.BUSY if name in running else readiness[power[name]]))

    for now in range(0, 2 * 86_400, 60):
        if now < 40 * 3600 and rng.random() < 0.03:
            sent += 1
            queue.append(replace(jobs[rng.choice("ab")], id=sent))
        for name in [name for name, end in running.items() if end <= now]:
            del running[name]
            ended, idle[name] = ended + 1, now
            change(name)
        for name in kind:
            if power[name] is Power.WAKING and now - since[name] >= 120:
                idle[name] = now
                change(name, Power.ON, now)
        for waiting in list(queue):
            label = waiting.requirement.labels[0].name
            free = [n for n in kind if power[n] is Power.ON and n not in running and kind[n] == label]
            if free:
                queue.remove(waiting)
                running[free[0]] = now + rng.choice((60, 600, 3600))
                change(free[0])
        sleepers = [Sleeper(n, power[n], since[n], policy, None if n in running else idle[n]) for n in kind]
        found = decide(now, index, sleepers, queue, list(running.items()))
        for wake in found.wakes:
            assert power[wake.host] is Power.ASLEEP
            change(wake.host, Power.WAKING, now)
        for down in found.downs:
            assert down.host not in running
            change(down.host, Power.ASLEEP, now)
    assert ended == sent > 50 and not queue
    assert sum(map(len, changes.values())) > 20, "they do sleep and wake"
    for moments in changes.values():
        assert all(third - first >= 3600 for first, third in zip(moments, moments[2:], strict=False))


def test_no_hosts_and_no_sleepers_are_no_trouble():
    assert decide(NOW, FleetIndex(), [], [job(1)]).wakes == ()
    assert decide(NOW, FleetIndex([host("knot-01", readiness=Readiness.FREE)]), [], [job(1)]).downs == ()
    assert decide(NOW, FleetIndex(), [asleep("gone-01"), awake("gone-02")], [job(1)]).wakes == ()


@pytest.mark.parametrize(
    ("moment", "holds"),
    [("Fri 21:59", False), ("Fri 22:00", True), ("Sat 05:59", True), ("Sat 06:00", False), ("Sat 22:00", False),
     ("Mon 03:00", False), ("Tue 03:00", True)],
)  # fmt: skip
def test_sleep_hours_go_over_midnight_and_belong_to_the_day_on_which_they_begin(moment, holds):
    days = {name: n for n, name in enumerate(("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"))}
    name, clock = moment.split()
    now = datetime.fromisoformat(f"2026-10-{5 + days[name]:02}T{clock}")
    assert SleepHours(time(22), time(6), (0, 1, 2, 3, 4)).holds(now) is holds


# ---- the power of one host -----------------------------------------------------------------------------------------


def after(*events, start=Power.ON):
    state = start
    for event in events:
        change = power_after(state, event)
        state = change.state if change else state
    return state


E = PowerEvent


@pytest.mark.parametrize(
    ("events", "end"),
    [
        ([E.DOWN_ORDERED, E.SHUT_DOWN], Power.ASLEEP),
        ([E.DOWN_ORDERED, E.WENT_AWAY, E.WAKE_ORDERED, E.CONNECTED], Power.ON),
        ([E.DOWN_ORDERED, E.DOWN_OVERDUE, E.SHUT_DOWN], Power.OFF),
        ([E.DOWN_ORDERED, E.DOWN_REFUSED, E.WENT_AWAY], Power.ON),
        ([E.DOWN_ORDERED, E.SHUT_DOWN, E.CONNECTED], Power.ON),
        ([E.DOWN_ORDERED, E.SHUT_DOWN, E.WAKE_ORDERED, E.WAKE_OVERDUE], Power.NOT_WAKING),
        ([E.DOWN_ORDERED, E.SHUT_DOWN, E.WAKE_ORDERED, E.WAKE_OVERDUE, E.LOOKED_AT], Power.ASLEEP),
        ([E.DOWN_ORDERED, E.SHUT_DOWN, E.WAKE_ORDERED, E.WAKE_OVERDUE, E.CONNECTED], Power.ON),
        ([E.SHUT_DOWN, E.WAKE_ORDERED, E.SHUT_DOWN, E.CONNECTED], Power.ON),
        ([E.WENT_AWAY, E.CONNECTED, E.WAKE_ORDERED, E.WAKE_OVERDUE, E.LOOKED_AT], Power.ON),
    ],
)
def test_the_power_follows_what_was_ordered_and_seen(events, end):
    assert after(*events) is end


@given(st.lists(st.sampled_from(PowerEvent)))
def test_a_host_that_connected_is_on_whatever_was_before(events):
    assert after(*events, E.CONNECTED) in (Power.ON, Power.GOING_DOWN)


def test_what_a_wake_takes_is_learnt_from_the_latest_ones():
    assert usual_wake_seconds([]) == USUAL_WAKE_SECONDS
    assert usual_wake_seconds([WakeRecord(None), WakeRecord(60), WakeRecord(70), WakeRecord(400)]) == 70
    assert usual_wake_seconds([WakeRecord(900)] * 30 + [WakeRecord(50)] * 20) == 50
    assert wake_odds([]) == 0.5 and wake_odds([WakeRecord(60)] * 8) == 0.9
    assert wake_odds([WakeRecord(60)] * 100 + [WakeRecord(None)] * 20) < 0.05
    assert wake_patience(5) == 60 and wake_patience(100) == 200


# ---- other work ----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("mode", [Mode.BY_HAND, Mode.ON_DEMAND])
def test_other_work_wakes_a_host_once_and_jobs_and_rules_count_on_it(mode):
    index = FleetIndex([host("curlew-01", "a"), host("curlew-02", "a")])
    sleepers = [asleep("curlew-01", wanted_by="The chore x", policy=Policy(mode)), asleep("curlew-02")]
    rule = KeepAwake("all", Requirement(), awake=1)
    found = decide(NOW, index, sleepers, [job(1, "label a")], keeps=[rule])
    assert found.wakes == (Wake("curlew-01", wanted_by="The chore x"),)
    waking = [replace(sleepers[0], power=Power.WAKING), sleepers[1]]
    assert decide(NOW, index, waking, [job(1, "label a")], keeps=[rule]).wakes == ()


@pytest.mark.parametrize("power", [Power.OFF, Power.NOT_WAKING, Power.GOING_DOWN, Power.ON])
def test_other_work_wakes_only_what_sleeps(power):
    sleeper = asleep("curlew-01", wanted_by="The chore x")
    assert decide(NOW, FleetIndex([host("curlew-01")]), [replace(sleeper, power=power)]).wakes == ()


@pytest.mark.parametrize(
    ("changes", "goes"),
    [
        ({"returns": True}, True),
        ({}, False),
        ({"returns": True, "wanted_by": "The chore x"}, False),
        ({"returns": True, "stays": True}, False),
        ({"returns": True, "up": SETTLE_SECONDS - 1}, False),
        ({"returns": True, "policy": Policy(Mode.NEVER)}, False),
    ],
)
def test_a_host_that_other_work_woke_goes_down_after_it(changes, goes):
    sleeper = awake("curlew-01", **{"policy": Policy(Mode.BY_HAND, 600), **changes})
    found = decide(NOW, FleetIndex([host("curlew-01", readiness=Readiness.FREE)]), [sleeper])
    assert [down.host for down in found.downs] == (["curlew-01"] if goes else [])


# ---- what is saved -------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("rates", "watts", "money"),
    [
        (None, 100.0, None),
        (Rates(), 100.0, None),
        (Rates(energy=0.3), None, None),
        (Rates(energy=0.3), 100.0, pytest.approx(0.3)),
        (Rates(hour=2.0, start=0.5), None, pytest.approx(19.0)),
        (Rates(energy=0.3, start=3.0), 100.0, pytest.approx(-6.0)),
    ],
)
def test_money_is_energy_at_its_price_or_rent_less_starts(rates, watts, money):
    """Ten hours asleep, two wakes."""
    found = saved([(0, 36_000)], watts, 0.0, [], 2, 0, 0, 40_000, rates)
    assert found.money == money
    assert together([found, Saved(money=1.0)]).money == (1.0 if money is None else pytest.approx(found.money + 1.0))
    assert together([Saved(), Saved()]).money is None
