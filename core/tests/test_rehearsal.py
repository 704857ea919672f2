"""Rehearsals: against queueing theory, against themselves, and what changes do."""

import math
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from paddock_core.dispatch import EXPECTED_SECONDS, WaitingJob, dispatch_round
from paddock_core.fit import Requirement
from paddock_core.fleet import Host, InstalledTool, Readiness
from paddock_core.fleet_index import FleetIndex
from paddock_core.planning.attribution import effects
from paddock_core.planning.changes import CHANGES, ChangeError, apply_all, change_of, written
from paddock_core.planning.comparison import blocks, difference, sentence, waits_of
from paddock_core.planning.past import Ask, Run, past_of
from paddock_core.planning.rehearsal import Closure, Setting, expected_lengths, rehearse, usual_latency
from paddock_core.terms import parse_terms

START = datetime(2026, 10, 5, tzinfo=UTC).timestamp()


def host(name, *labels, slots=1, **more):
    return Host(
        name, more.pop("paddock", "shoreline"), "linux", "12", "x64", frozenset(labels), (), slots=slots, **more
    )


def run(job, sent, length, host="knot-01", terms=(), slots=1, pipeline="almanac-docs", **more):
    start = START + sent
    return Run(job, start, start, start, start, start + length, pipeline, "build", host,
               ask=Ask(terms, (), slots), **more)  # fmt: skip


def setting(runs, hosts, **more):
    return Setting(past_of(runs)[0], tuple(hosts), **more)


def play(runs, hosts, **more):
    return rehearse(setting(runs, hosts, **more), parse_terms)


# ---- theory --------------------------------------------------------------------------------------------------------


def erlang_c(servers, load):
    """The chance that a job waits, for ``load`` = arrivals times mean length (Erlang 1917)."""
    last = load**servers / math.factorial(servers) * servers / (servers - load)
    return last / (sum(load**n / math.factorial(n) for n in range(servers)) + last)


@pytest.mark.parametrize(("servers", "busy"), [(1, 0.6), (4, 0.8), (20, 0.9)])
def test_one_kind_of_work_waits_as_erlang_says(servers, busy):
    """Exponential arrivals and lengths on equal hosts. The means of 30 stretches are the sample, so the interval is
    that of their mean, at three standard errors."""
    rng = np.random.default_rng(11)
    number, length = 30_000, 300.0
    gaps = rng.exponential(length / (servers * busy), number)
    lengths = rng.exponential(length, number)
    runs = [run(n, at, took) for n, (at, took) in enumerate(zip(np.cumsum(gaps), lengths, strict=True))]
    found = play(runs, [host(f"knot-{n:02}") for n in range(servers)])
    chance = erlang_c(servers, servers * busy)
    for sample, truth in (
        (found.waits > 0, chance),
        (found.waits, chance * length / (servers * (1 - busy))),
    ):
        means = np.array([part.mean() for part in np.array_split(sample[number // 20 :].astype(float), 30)])
        assert abs(means.mean() - truth) < 3 * means.std(ddof=1) / math.sqrt(30)


# ---- against the dispatch round ------------------------------------------------------------------------------------

labels = st.sets(st.sampled_from("abc"))
fleets = st.lists(
    st.builds(
        lambda number, some, slots, paddock, reserved: host(
            f"knot-{number:02}", *some, slots=slots, paddock=paddock, reserved=reserved
        ),
        st.integers(0, 30), labels, st.integers(1, 3), st.sampled_from(["shoreline", "annex"]), st.booleans(),
    ),
    min_size=1, max_size=5, unique_by=lambda one: one.name,
)  # fmt: skip
sent_jobs = st.lists(
    st.builds(
        run,
        st.integers(1, 10**6),
        st.integers(0, 400),
        st.integers(1, 300),
        host=st.sampled_from(["knot-01", "knot-02", "gone-01"]),
        terms=st.sampled_from([(), ("label a",), ("label b",), ("not label a",), ("label a", "label c")]),
        slots=st.sampled_from([1, 1, 1, 2]),
        pipeline=st.sampled_from(["almanac-docs", "buoy-telemetry", "pilot-mobile"]),
        priority=st.integers(-1, 1),
    ),
    max_size=25,
    unique_by=lambda one: one.job,
)


@given(sent_jobs, fleets, st.sampled_from([{}, {"annex": frozenset({"pilot-mobile"})}]))
@settings(max_examples=150)
def test_each_start_is_one_that_the_dispatch_round_of_that_moment_makes(runs, hosts, fences):
    """An independent walk: at each moment at which something happened, a whole round on a fresh index."""
    past = setting(runs, hosts).past
    found = play(runs, hosts, fences=fences)
    expected = expected_lengths(past)
    moments = sorted({*past.released.tolist(), *found.ended[~np.isnan(found.ended)].tolist()})
    started = {}
    earmarked = {}
    for now in moments:
        room = {one.name: one.slots for one in hosts}
        for at, (name, begun) in started.items():
            if found.ended[at] > now:
                room[name] -= int(past.slots[at])
            assert begun <= now
        index = FleetIndex(
            [
                Host(**{**vars_of(one), "free_slots": room[one.name],
                        "readiness": Readiness.FREE if room[one.name] else Readiness.BUSY})
                for one in hosts
            ]
        )  # fmt: skip
        waiting, warm, use = [], {}, {}
        for at in range(len(past)):
            pipeline = past.pipelines[past.pipeline[at]]
            if at in started:
                name, begun = started[at]
                end = min(found.ended[at], now)
                rate = math.log(2) / (4 * 3600)
                use[pipeline] = (
                    use.get(pipeline, 0.0)
                    + past.slots[at] * (math.exp(-rate * (now - end)) - math.exp(-rate * (now - begun))) / rate
                )
                warm.setdefault(pipeline, set()).add(name)
            elif past.released[at] <= now:
                ask = past.asks[past.ask[at]]
                let_in = frozenset(p for p in ("shoreline", "annex") if p not in fences or pipeline in fences[p])
                waiting.append(
                    WaitingJob(
                        at, Requirement(parse_terms(ask.terms), ask.slots, None, let_in if fences else None), (),
                        pipeline, int(past.priority[at]), now - past.sent[at], float(expected[at]),
                        earmarked.get(at, ""),
                    )
                )  # fmt: skip
        decided = dispatch_round(waiting, index, use, warm)
        earmarked = decided.earmarked
        here = {p.job.id: p.host.name for p in decided.placements}
        assert here == {
            at: found.hosts[found.host[at]] for at in range(len(past)) if found.placed[at] == now
        }  # fmt: skip
        started |= {at: (name, now) for at, name in here.items()}
    assert np.isnan(found.placed[[at for at in range(len(past)) if at not in started]]).all()


def vars_of(one):
    return {name: getattr(one, name) for name in Host.__dataclass_fields__}


@given(sent_jobs, fleets)
def test_more_hosts_never_start_fewer_jobs_and_one_that_fits_nothing_changes_nothing(runs, hosts):
    alone = play(runs, hosts)
    again = play(runs, hosts)
    more = play(runs, [*hosts, host("new-01", "a", "b", "c", slots=3)])
    other = play(runs, [*hosts, host("new-01", paddock="nowhere", reserved=True)])
    assert (~np.isnan(more.placed)).sum() >= (~np.isnan(alone.placed)).sum()
    assert np.array_equal(alone.placed, again.placed, equal_nan=True)
    assert np.array_equal(alone.host, again.host)
    fitting = [r for r in runs if r.ask.terms == ()]
    if not fitting and all("not label a" not in r.ask.terms for r in runs):
        assert np.array_equal(alone.placed, other.placed, equal_nan=True)


@given(sent_jobs, fleets)
def test_no_host_has_more_than_its_slots_at_any_moment(runs, hosts):
    found = play(runs, hosts)
    past = setting(runs, hosts).past
    slots = {one.name: one.slots for one in hosts}
    for moment in found.placed[~np.isnan(found.placed)]:
        working = (found.placed <= moment) & (found.ended > moment)
        for number, name in enumerate(found.hosts):
            assert past.slots[working & (found.host == number)].sum() <= slots[name]


# ---- what is played ------------------------------------------------------------------------------------------------


def test_jobs_that_follow_others_wait_for_them_in_the_play():
    first, second = run(1, 0, 100), run(2, 0, 50, after=(1,))
    second = Run(**{**second.__dict__, "released": START + 110, "placed": START + 110, "started": START + 110,
                    "ended": START + 160})  # fmt: skip
    found = play([first, second], [host("knot-01"), host("knot-02")], speeds={"knot-01": 2.0, "knot-02": 2.0})
    assert found.released.tolist() == [START, START + 110], "10 s after the first, as it was recorded"
    slow = play([first, second], [host("knot-09")], speeds={"knot-09": 3.0})
    assert slow.ended[0] == START + 300
    assert slow.released[1] == START + 310


def test_a_job_that_waited_for_others_keeps_its_place_from_when_it_was_sent():
    busy, first = run(1, -10, 110), run(2, 0, 90, host="knot-02")
    follows, later = run(3, 1, 20, after=(2,)), run(4, 50, 20)
    found = play([busy, first, follows, later], [host("knot-01"), host("knot-02", readiness=Readiness.FREE)],
                 closures=(Closure("knot-02", START + 1, START + 900),))  # fmt: skip
    assert found.placed.tolist() == [START - 10, START, START + 100, START + 120]


def test_a_retry_comes_after_the_run_before_it():
    once = run(1, 0, 100)
    again = Run(**{**once.__dict__, "released": START + 100, "placed": START + 100, "started": START + 100,
                   "ended": START + 130})  # fmt: skip
    found = play([once, again], [host("knot-01"), host("knot-02")])
    assert found.placed.tolist() == [START, START + 100]


def test_what_ran_at_the_beginning_has_its_slot():
    runs = [run(1, 0, 500), run(2, 100, 10)]
    found = play(runs, [host("knot-01")], since=START + 50)
    assert found.placed.tolist() == [START, START + 500]


def test_a_host_that_is_closed_takes_nothing_and_finishes_what_it_has():
    runs = [run(1, 0, 100), run(2, 50, 10), run(3, 300, 10)]
    closed = (Closure("knot-01", START + 20, START + 200), Closure("knot-01", START + 150, START + 250))
    found = play(runs, [host("knot-01")], closures=closed)
    assert found.placed.tolist() == [START, START + 250, START + 300]
    assert found.ended[0] == START + 100


def test_what_only_fits_a_host_on_hold_never_starts():
    found = play([run(1, 0, 60), run(2, 30, 60)], [host("knot-01")],
                 closures=(Closure("knot-01", START + 10, math.inf),))  # fmt: skip
    assert np.isnan(found.placed).tolist() == [False, True]


def test_lengths_follow_the_host_and_stay_as_recorded_on_the_same_one():
    runs = [run(1, 0, 100, host="knot-01")]
    speeds = {"knot-01": 2.0, "knot-02": 0.5}
    assert play(runs, [host("knot-01")], speeds=speeds).ended[0] == START + 100
    assert play(runs, [host("knot-02")], speeds=speeds).ended[0] == START + 25


def test_the_expected_length_is_the_mean_of_the_last_twenty_that_passed_by_then():
    runs = [run(n, 1000 * n, 100 + n, outcome="failed" if n == 3 else "passed") for n in range(30)]
    found = expected_lengths(past_of(runs)[0])
    assert found[0] == EXPECTED_SECONDS
    assert found[4] == pytest.approx((100 + 101 + 102) / 3)
    assert found[29] == pytest.approx(np.mean([100 + n for n in range(9, 29)]))


def test_progress_is_told_and_can_end_it():
    runs = [run(n, n, 5) for n in range(9000)]
    shares = []

    class EndedError(Exception):
        pass

    def tell(share):
        shares.append(share)
        if share > 0.4:
            raise EndedError

    with pytest.raises(EndedError):
        rehearse(setting(runs, [host("knot-01", slots=9)]), parse_terms, tell)
    assert len(shares) > 1 and shares == sorted(shares)


@pytest.mark.parametrize("number", [0, 1, 3])
def test_a_short_past_is_played_too(number):
    runs = [run(n, n, 5) for n in range(number)]
    found = play(runs, [host("knot-01")])
    assert len(found.waits) == number
    assert waits_of(found.waits, blocks(past_of(runs)[0].sent)).high is None
    assert usual_latency(past_of(runs)[0]) == 0.0


# ---- changes -------------------------------------------------------------------------------------------------------

BASE = setting(
    [
        run(n, 600 * n, 500, terms=("label a",), pipeline="pilot-mobile" if n % 2 else "almanac-docs")
        for n in range(400)
    ],
    [host("knot-01", "a"), host("knot-02", "b", slots=2)],
)
EVERY = {
    "add hosts": {"like": "knot-01", "count": 2},
    "retire hosts": {"hosts": ["knot-02"]},
    "hold hosts": {"hosts": ["knot-01"]},
    "set slots": {"hosts": ["knot-01"], "slots": 3},
    "change labels": {"hosts": ["knot-02"], "add": ["a"], "remove": ["b"]},
    "install a tool": {"hosts": ["knot-01"], "tool": "jdk", "version": "17.0.1"},
    "remove a tool": {"hosts": ["knot-01"], "tool": "jdk"},
    "move hosts": {"hosts": ["knot-01"], "paddock": "annex"},
    "set a fence": {"paddock": "shoreline", "pipelines": ["pilot-mobile"]},
    "reserve hosts": {"hosts": ["knot-01"], "reserved": True},
    "set a priority": {"pipeline": "pilot-mobile", "priority": 5},
    "grow a pipeline": {"pipeline": "pilot-mobile", "factor": 1.5},
    "add a pipeline": {"name": "tide-charts", "like": "pilot-mobile", "factor": 0.5},
    "change a term": {"pipeline": "pilot-mobile", "term": "label a", "becomes": "label b"},
    "set hours": {"hosts": ["knot-01"], "begins": 8.0, "ends": 18.0, "days": [0, 1, 2, 3, 4]},
    "meet a kit": {"hosts": ["knot-02"], "kit": "board"},
    "move a window": {"window": "patch day", "hours": -2.5},
    "sleep when idle": {"hosts": ["knot-01"], "idle_minutes": 30.0, "begins": 19, "ends": 7},
}
RESOLVED = {
    "meet a kit": {"terms": tuple(parse_terms(["label a"]))},
    "move a window": {"times": (Closure("knot-01", START, START + 3600),)},
}
"""What the server fills in."""


def test_every_change_has_a_case():
    assert EVERY.keys() == CHANGES.keys()


@pytest.mark.parametrize("kind", EVERY)
def test_a_change_is_written_and_read_again_and_says_what_it_is(kind):
    made = change_of({"kind": kind, **EVERY[kind]})
    assert change_of(written(made)) == made
    assert made.sentence
    made = replace(made, **RESOLVED.get(kind, {}))
    prepared = BASE
    if kind == "remove a tool":
        prepared = apply_all(BASE, [change_of({"kind": "install a tool", **EVERY["install a tool"]})])
    changed = apply_all(prepared, [made])
    assert changed != prepared
    assert len(rehearse(changed, parse_terms).waits) == len(changed.past)


def changed(*some):
    return apply_all(BASE, [change_of({"kind": kind, **values}) for kind, values in some])


def test_growth_draws_more_of_the_same_and_less_leaves_out():
    def sent(setting, name="pilot-mobile"):
        past = setting.past
        return int((past.pipeline == past.pipelines.index(name)).sum())

    assert sent(BASE) == 200
    assert sent(changed(("grow a pipeline", {"pipeline": "pilot-mobile", "factor": 1.5}))) == 300
    assert sent(changed(("grow a pipeline", {"pipeline": "pilot-mobile", "factor": 3.0}))) == 600
    assert sent(changed(("grow a pipeline", {"pipeline": "pilot-mobile", "factor": 0.25}))) == 50
    assert sent(changed(("grow a pipeline", {"pipeline": "pilot-mobile", "factor": 0.0}))) == 0
    new = changed(("add a pipeline", EVERY["add a pipeline"]))
    assert (sent(new), sent(new, "tide-charts"), len(new.past)) == (200, 100, 500)
    both = changed(
        ("grow a pipeline", {"pipeline": "pilot-mobile", "factor": 2.0}),
        ("add a pipeline", EVERY["add a pipeline"]),
    )
    assert (sent(both), sent(both, "tide-charts")) == (400, 200)
    assert len(np.unique(both.past.job)) == len(both.past), "copies are jobs of their own"
    assert (np.diff(both.past.sent) >= 0).all()


def test_copies_keep_the_order_between_their_jobs():
    runs = []
    for n in range(0, 100, 2):
        runs += [run(n, 100 * n, 50), run(n + 1, 100 * n, 50, after=(n,))]
    grown = apply_all(
        setting(runs, [host("knot-01", slots=50)]),
        [change_of({"kind": "grow a pipeline", "pipeline": "almanac-docs", "factor": 2.5})],
    ).past
    of = {int(job): at for at, job in enumerate(grown.job)}
    assert len(grown.after_run) == 125 and len(grown) == 250
    for at, before in zip(grown.after_run, grown.after_job, strict=True):
        assert grown.sent[of[int(before)]] == grown.sent[at], "both were moved by the same time"


@pytest.mark.parametrize(
    ("some", "message"),
    [
        ([("retire hosts", {"hosts": ["knot-01"]}), ("set slots", {"hosts": ["knot-01"], "slots": 2})], "retires"),
        ([("set slots", {"hosts": ["knot-01"], "slots": n}) for n in (2, 3)], "contradict"),
        ([("retire hosts", {"hosts": ["gone-01"]})], "not in the fleet any more"),
        ([("add hosts", {"like": "knot-01", "count": 0})], "between 1 and"),
        ([("grow a pipeline", {"pipeline": "pilot-mobile", "factor": math.nan})], "factor"),
        ([("grow a pipeline", {"pipeline": "nobody", "factor": 2.0})], "sent no jobs"),
        ([("change a term", {"pipeline": "pilot-mobile", "term": "label z", "becomes": ""})], "They ask for: label a"),
        ([("remove a tool", {"hosts": ["knot-01"], "tool": "jdk"})], "has no jdk"),
        ([("set hours", {"hosts": ["knot-01"], "begins": 18.0, "ends": 8.0})], "begin before they end"),
        ([("add a pipeline", {"name": "pilot-mobile", "like": "almanac-docs"})], "there already"),
        ([("change labels", {"hosts": ["knot-01"], "add": ["x"], "remove": ["X "]})], "both"),
        ([("set a fence", {"paddock": "moon", "pipelines": []})], "no hosts"),
        ([("hold hosts", {"hosts": ["knot-01"]})] * 31, "At most 30"),
    ],
)
def test_changes_that_contradict_themselves_say_why(some, message):
    with pytest.raises(ChangeError, match=message):
        changed(*some)


@pytest.mark.parametrize(
    "one",
    [
        {}, {"kind": "fly"}, {"kind": "set slots"}, {"kind": "set slots", "hosts": "knot-01", "slots": 1},
        {"kind": "set slots", "hosts": ["knot-01"], "slots": "many"}, {"kind": "retire hosts", "hosts": []},
        {"kind": "set slots", "hosts": ["knot-01"], "slots": True},
    ],
)  # fmt: skip
def test_what_is_no_change_is_refused(one):
    with pytest.raises(ChangeError):
        change_of(one)


def test_hours_close_a_host_by_the_clock_of_its_zone():
    hours = {"hosts": ["knot-01"], "begins": 8.0, "ends": 18.0, "days": [0, 1, 2, 3, 4]}
    runs = [run(1, 3 * 3600, 60), run(2, 9 * 3600, 60), run(3, 4 * 86_400 + 18 * 3600, 60)]
    base = setting(runs, [host("knot-01")])
    found = rehearse(apply_all(base, [change_of({"kind": "set hours", **hours})]), parse_terms)
    assert ((found.placed - START) / 3600).tolist() == [8, 9, 7 * 24 + 8]


JDK = [InstalledTool("jdk", version, f"jdk-{version}") for version in ("17.0.1", "17.0.9", "21.0.1")]


def kit(*hosts, terms, on=("knot-01",)):
    base = setting([run(1, 0, 60)], hosts)
    return apply_all(base, [replace(change_of({"kind": "meet a kit", "hosts": list(on), "kit": "board"}),
                                    terms=tuple(parse_terms(list(terms))))])  # fmt: skip


def test_a_host_meets_a_kit_with_the_versions_that_most_others_have():
    others = [
        replace(host("knot-02"), installations=(JDK[0],)),
        replace(host("knot-03"), installations=(JDK[1], JDK[2])),
        replace(host("knot-04"), installations=(JDK[1],)),
    ]
    found = kit(host("knot-01"), *others, terms=["tool jdk 17", "label Bench", "os linux"])
    mine, *rest = found.hosts
    assert ([one.version for one in mine.installations], mine.labels) == (["17.0.9"], {"bench"})
    assert rest == others
    whole = replace(host("knot-01", "bench"), installations=(JDK[2],))
    assert kit(whole, *others, terms=["tool jdk 21", "label bench"]).hosts[0] == whole, "it lacks nothing"


@pytest.mark.parametrize(("terms", "message"), [(["tool jdk 25"], "No host has"), (["os macos"], "cannot get")])
def test_a_kit_that_no_installation_brings_about_says_which_term(terms, message):
    with pytest.raises(ChangeError, match=message):
        kit(host("knot-01"), replace(host("knot-02"), installations=tuple(JDK)), terms=terms)


def test_a_moved_window_opens_its_old_hours_and_closes_the_new_ones():
    """The window was at 6 to 8 o'clock; a loss from 7 to 9 stays outside of it."""
    at = lambda hour: START + 3600 * hour  # noqa: E731
    base = setting([run(1, 6.5 * 3600, 60), run(2, 8.2 * 3600, 60), run(3, 13 * 3600, 60)], [host("knot-01")],
                   closures=(Closure("knot-01", at(6), at(8)), Closure("knot-01", at(7), at(9)),
                             Closure("knot-02", at(6), at(8))))  # fmt: skip
    change = replace(change_of({"kind": "move a window", "window": "patch day", "hours": 6.5}),
                     times=(Closure("knot-01", at(6), at(8)),))  # fmt: skip
    moved = apply_all(base, [change])
    assert moved.closures == (
        Closure("knot-01", at(8), at(9)), Closure("knot-02", at(6), at(8)), Closure("knot-01", at(12.5), at(14.5)),
    )  # fmt: skip
    placed = (rehearse(moved, parse_terms).placed - START) / 3600
    assert placed.tolist() == [6.5, 9, 14.5]
    with pytest.raises(ChangeError, match="did not take place"):
        apply_all(base, [replace(change, times=())])


def test_each_change_is_held_against_all_the_others():
    """Half the hosts go, and twice the jobs come: each alone is borne. A change that another needs says so."""
    runs = [run(n, 300 * n, 280, pipeline="pilot-mobile") for n in range(4000)]
    base = setting(runs, [host("knot-01"), host("knot-02")])
    changes = tuple(
        change_of(one)
        for one in (
            {"kind": "retire hosts", "hosts": ["knot-02"]},
            {"kind": "grow a pipeline", "pipeline": "pilot-mobile", "factor": 1.5},
            {"kind": "change labels", "hosts": ["knot-01"], "add": ["unused"]},
        )
    )

    def play(some):
        return rehearse(some, parse_terms)

    def found_of(*some):
        whole = apply_all(base, some)
        return effects(base, some, (whole.past, play(whole)), play, 0)

    found = found_of(*changes)
    assert [[row["name"] for row in one["pipelines"]] for one in found] == [["pilot-mobile"]] * 2 + [[]]
    assert found[0]["pipelines"][0]["change"]["low"] > 0 and found[2]["never"] == 0
    needing = (
        change_of({"kind": "add a pipeline", "name": "tide-charts", "like": "pilot-mobile", "factor": 0.1}),
        change_of({"kind": "grow a pipeline", "pipeline": "tide-charts", "factor": 2.0}),
    )
    assert "sent no jobs" in found_of(*needing)[0]["why"]
    assert found_of(changes[0]) == [], "a single change is the whole rehearsal"


# ---- before and after ----------------------------------------------------------------------------------------------


def weeks_of_waits(number, scale, seed):
    rng = np.random.default_rng(seed)
    sent = START + np.sort(rng.uniform(0, 6 * 7 * 86_400, number))
    return rng.exponential(scale, number), blocks(sent)


def test_noise_is_not_taken_for_an_effect_and_an_effect_is():
    alike = sum(
        difference(*weeks_of_waits(600, 100, 2 * seed), *weeks_of_waits(600, 100, 2 * seed + 1)).is_certain
        for seed in range(40)
    )
    assert alike <= 12
    for seed in range(10):
        found = difference(*weeks_of_waits(600, 100, seed), *weeks_of_waits(600, 300, seed + 50))
        assert found.is_certain and found.change.value > 0


def test_the_sentence_says_what_changes_for_whom():
    found = difference(*weeks_of_waits(600, 100, 1), *weeks_of_waits(600, 900, 2))
    text = sentence("pilot-mobile", found)
    assert text.startswith("pilot-mobile: 95 of 100 jobs wait under ") and "before" in text
    never, block = weeks_of_waits(600, 100, 3)
    never[:7] = np.nan
    worse = sentence("pilot-mobile", difference(*weeks_of_waits(600, 100, 4), never, block))
    assert "7 jobs would never run" in worse
    nothing = np.zeros(0), np.zeros(0, np.int64)
    assert "no jobs" in sentence("pilot-mobile", difference(*nothing, *nothing))


def test_the_curve_ends_with_all_and_passes_the_ninety_fifth():
    found = waits_of(*weeks_of_waits(1000, 100, 5))
    assert found.curve[-1] == (found.longest, 1.0)
    assert (found.high.value, 0.95) in found.curve
    assert found.high.low <= found.high.value <= found.high.high
