"""The dispatch round: how many start against the true optimum, the order, and that no job starves."""

from dataclasses import dataclass, replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import csr_array
from scipy.sparse.csgraph import maximum_bipartite_matching

from paddock_core.dispatch import EXPECTED_SECONDS, HALF_LIFE, WaitingJob, decayed_use, dispatch_round
from paddock_core.dispatch.line import Line
from paddock_core.dispatch.matching import Kind, Matching, Rooms
from paddock_core.dispatch.shares import PRIORITIES, SECONDS_A_PRIORITY, overtaking_ends
from paddock_core.dispatch.tally import Tally, lowest
from paddock_core.fit import Requirement, fit_row
from paddock_core.fleet import Host, Readiness
from paddock_core.fleet_index import FleetIndex
from paddock_core.reasons import ReasonKind
from paddock_core.terms import parse_terms


def host(name, *labels, free=1, slots=None, readiness=Readiness.FREE, **more):
    return Host(
        name, "shoreline", "linux", "12", "x64", frozenset(labels), (), readiness, free, slots=slots or free, **more
    )  # fmt: skip


def asks(*texts, slots=1):
    return Requirement(parse_terms(texts), slots)


def placed(jobs, hosts, **more):
    return {p.job.id: p.host.name for p in dispatch_round(jobs, FleetIndex(hosts), **more).placements}


@dataclass(frozen=True)
class Queued:
    id: int
    pipeline: str
    priority: int
    waited: float
    slots: int = 1
    expected: float = EXPECTED_SECONDS


def order(jobs, use, slots):
    """The places of the jobs, the first in line first."""
    line = Line(0)
    kinds = {size: line.add_kind((0,), size, 0) for size in {job.slots for job in jobs}}
    for job in jobs:
        line.add(job.id, job.pipeline, kinds[job.slots], SECONDS_A_PRIORITY * job.priority + job.waited, job.expected)
    places = {job.id: place for place, job in enumerate(jobs)}
    return [places[job] for job in line.in_order(use, slots)]


def match(kinds, jobs, free):
    """Places jobs, given by their kinds, in this order."""
    rooms = Rooms(len(free))
    for at, room in enumerate(free):
        rooms.set_ready(at, True)
        rooms.change(at, room)
    matching, earmarked = Matching(rooms, Tally()), {}
    for job, kind in enumerate(jobs):
        if kinds[kind].slots == 1:
            matching.add(job, kinds[kind])
        elif not matching.add_large(job, kinds[kind]) and (at := matching.earmark(kinds[kind], None)) is not None:
            earmarked[job] = at
    return [matching.host_of.get(job) for job in range(len(jobs))], earmarked


def test_a_plain_job_does_not_take_the_only_host_that_another_could_use():
    hosts = [host("avocet-01", "bench-rig"), host("knot-01")]
    jobs = [WaitingJob(1, asks("os linux")), WaitingJob(2, asks("label bench-rig"))]
    assert placed(jobs, hosts) == {1: "knot-01", 2: "avocet-01"}


def test_a_preference_never_excludes_and_gives_way_to_what_another_needs():
    hosts = [host("avocet-01", "bench-rig"), host("knot-01")]
    prefers = parse_terms(["label bench-rig"])
    liking = WaitingJob(1, asks("os linux"), prefers, waited=60)
    assert placed([liking], hosts) == {1: "avocet-01"}
    assert placed([liking], hosts[1:]) == {1: "knot-01"}
    assert placed([liking, WaitingJob(2, asks("label bench-rig"))], hosts) == {1: "knot-01", 2: "avocet-01"}


def test_a_warm_work_folder_decides_between_equals_and_the_attempt_says_so():
    hosts = [host("knot-01"), host("knot-02")]
    decided = dispatch_round(
        [WaitingJob(1, asks(), pipeline="almanac-docs")], FleetIndex(hosts), warm={"almanac-docs": ["knot-02"]}
    )
    (placement,) = decided.placements
    assert placement.host.name == "knot-02"
    assert placement.why == ("2 hosts fit, 2 of them with a free slot. knot-02 has a warm work folder of almanac-docs.")


LIKES_RIG = parse_terms(["label rig"])


@pytest.mark.parametrize(
    ("hosts", "prefers", "others", "expected"),
    [
        pytest.param([host("b", free=2), host("a", "rig")], LIKES_RIG, [], "a", id="preference before free slots"),
        pytest.param([host("b"), host("a", "rig")], LIKES_RIG, [], "a", id="preference before the name"),
        pytest.param([host("a"), host("w"), host("r", "rig")], LIKES_RIG, [], "r", id="preference before warm"),
        pytest.param([host("a", free=3), host("w")], (), [], "w", id="warm before free slots"),
        pytest.param(
            [host("a", "x"), host("b", free=1)], (), [asks("label x")], "b", id="least sought before the name"
        ),
        pytest.param(
            [host("a", "x", free=3), host("b")], (), [asks("label x")], "b", id="least sought before free slots"
        ),
        pytest.param([host("a", free=1), host("b", free=2)], (), [], "b", id="free slots before the name"),
        pytest.param([host("b"), host("a")], (), [], "a", id="the first by name"),
        pytest.param([host("a", readiness=Readiness.HELD), host("b")], (), [], "b", id="never one that is held"),
    ],
)
def test_of_hosts_that_fit_the_first_difference_decides(hosts, prefers, others, expected):
    """In the order: preferences, a warm work folder, the least sought, free slots, the name."""
    first = WaitingJob(1, asks("os linux"), prefers, pipeline="p", waited=60)
    jobs = [first, *(WaitingJob(at, one) for at, one in enumerate(others, 2))]
    for turned in (hosts, hosts[::-1]):
        assert placed(jobs, turned, warm={"p": ["w"]})[1] == expected


def test_of_equal_jobs_the_older_goes_first_and_then_the_lower_number():
    def started(*waited):
        return list(placed([WaitingJob(at, asks(), waited=one) for at, one in waited], [host("a")]))

    assert started((1, 5), (2, 6)) == [2]
    assert started((1, 6), (2, 5)) == [1]
    assert started((2, 5), (1, 5)) == [1]


def test_a_host_that_was_kept_for_a_job_stays_kept_though_another_has_more_room():
    large = WaitingJob(1, asks("os linux", slots=4), waited=900)
    hosts = [host("a", free=2, slots=4), host("b", free=1, slots=4)]
    assert dispatch_round([large], FleetIndex(hosts)).earmarked == {1: "a"}
    assert dispatch_round([replace(large, earmarked="b")], FleetIndex(hosts)).earmarked == {1: "b"}
    gone = replace(large, earmarked="b", requirement=asks("host a", slots=4))
    assert dispatch_round([gone], FleetIndex(hosts)).earmarked == {1: "a"}, "it no longer fits the host that was kept"


def test_priority_goes_first_and_the_rest_hear_that_all_are_busy():
    jobs = [WaitingJob(1, asks("os linux"), waited=5), WaitingJob(2, asks("os linux"), priority=5)]
    decided = dispatch_round(jobs, FleetIndex([host("avocet-01")]))
    assert [(p.job.id, p.host.name) for p in decided.placements] == [(2, "avocet-01")]
    assert decided.reasons[1].kind is ReasonKind.BUSY


# ---- as many as can start ------------------------------------------------------------------------------------------

sets_of_hosts = st.lists(st.integers(0, 2**7 - 1), min_size=1, max_size=6)
free_slots = st.lists(st.integers(0, 3), min_size=7, max_size=7)


def most_that_can_start(fits, jobs, free):
    """An independent optimum: one column for each slot, one row for each job."""
    columns = [at for at, slots in enumerate(free) for _ in range(slots)]
    grid = np.array([[fits[kind] >> at & 1 for at in columns] for kind in jobs]).reshape(len(jobs), len(columns))
    return int((maximum_bipartite_matching(csr_array(grid), perm_type="column") >= 0).sum())


@given(sets_of_hosts, st.data(), free_slots)
@settings(max_examples=400)
def test_as_many_start_as_can_and_the_first_in_line_are_among_them(fits, data, free):
    jobs = data.draw(st.lists(st.integers(0, len(fits) - 1), max_size=14))
    found, _ = match([Kind((one,), at) for at, one in enumerate(fits)], jobs, free)
    assert all(where is None or fits[kind] >> where & 1 for kind, where in zip(jobs, found, strict=True))
    assert all(found.count(at) <= slots for at, slots in enumerate(free))
    started = [where is not None for where in found]
    assert sum(started) == most_that_can_start(fits, jobs, free)
    # The first in order: whoever was left out could not have started together with those before it who did.
    for at, has_started in enumerate(started):
        before = [kind for kind, did in zip(jobs[:at], started, strict=False) if did]
        can = most_that_can_start(fits, [*before, jobs[at]], free) == len(before) + 1
        assert has_started == can


@given(sets_of_hosts, st.data(), free_slots)
def test_jobs_of_several_slots_never_overfill_and_are_not_left_out_where_there_is_room(fits, data, free):
    sizes = data.draw(st.lists(st.integers(1, 3), min_size=len(fits), max_size=len(fits)))
    jobs = data.draw(st.lists(st.integers(0, len(fits) - 1), max_size=10))
    kinds = [Kind((one,), at, size) for at, (one, size) in enumerate(zip(fits, sizes, strict=True))]
    hosts, earmarks = match(kinds, jobs, free)
    room = list(free)
    for kind, where in zip(jobs, hosts, strict=True):
        if where is not None:
            assert fits[kind] >> where & 1
            room[where] -= sizes[kind]
    assert min(room) >= 0
    earmarked = set(earmarks.values())
    assert len(earmarked) == len(earmarks)
    for kind, where in zip(jobs, hosts, strict=True):
        if where is None:
            there = [at for at in range(7) if fits[kind] >> at & 1 and at not in earmarked]
            assert all(room[at] < sizes[kind] for at in there)


def test_small_jobs_make_room_for_a_large_one_that_is_in_front_of_nobody():
    hosts = [host("knot-01", free=2), host("knot-02", "rig", free=2)]
    jobs = [WaitingJob(1, asks(), waited=9), WaitingJob(2, asks(), waited=8), WaitingJob(3, asks("label rig", slots=2))]
    assert placed(jobs, hosts) == {1: "knot-01", 2: "knot-01", 3: "knot-02"}


def test_a_large_job_does_not_starve_behind_small_ones():
    """A host of four slots under a stream of small jobs that never ends: slots come free one at a time, yet a job of
    four gets them all, since none that comes free goes to a job behind it."""
    free, running, earmarked = 0, 4, ""
    for moment in range(12):
        free, running = free + 1, running - 1
        small = [WaitingJob(100 + 10 * moment + n, asks(), waited=0) for n in range(3)]
        large = WaitingJob(1, asks(slots=4), waited=60.0 + moment, earmarked=earmarked)
        one = host("kestrel-01", free=free, slots=4, readiness=Readiness.FREE if free else Readiness.BUSY)
        decided = dispatch_round([*small, large], FleetIndex([one]))
        if decided.placements and decided.placements[0].job.id == 1:
            break
        assert decided.placements == ()
        assert decided.reasons[1].kind is ReasonKind.MORE_SLOTS
        assert "kept for a job in front" in decided.reasons[small[0].id].sentence
        earmarked = decided.earmarked[1]
    assert moment == 3


# ---- the order -----------------------------------------------------------------------------------------------------


def test_a_pipeline_that_had_much_lately_stands_back():
    jobs = [Queued(1, "buoy-telemetry", 0, 100), Queued(2, "almanac-docs", 0, 40)]
    assert order(jobs, {}, 10) == [0, 1]
    assert order(jobs, {"buoy-telemetry": 10 * 600.0}, 10) == [1, 0]


def test_a_flood_does_not_bury_what_others_send():
    flood = [Queued(n, "buoy-telemetry", 0, 30) for n in range(1000)]
    late = Queued(5000, "almanac-docs", 0, 0)
    assert order([*flood, late], {}, 10).index(1000) < 10


def test_use_decays_by_half_in_a_half_life_and_a_pipeline_that_has_all_for_ever_has_a_bound():
    now = 1e9
    assert decayed_use([(now - 60, now, 2)], now) == pytest.approx(120, rel=0.01)
    old = decayed_use([(now - HALF_LIFE - 60, now - HALF_LIFE, 2)], now)
    assert old == pytest.approx(60, rel=0.01)
    assert decayed_use([(0, now + 500, 10)], now) == pytest.approx(10 * HALF_LIFE / np.log(2))


queues = st.lists(
    st.tuples(st.sampled_from(["a", "b", "c"]), st.integers(-100, 100), st.floats(0, 1e6)), min_size=1, max_size=12
)


@given(queues, st.dictionaries(st.sampled_from(["a", "b", "c"]), st.floats(0, 10 * HALF_LIFE / np.log(2))), st.data())
def test_no_job_that_is_sent_after_the_bound_goes_in_front(queue, use, data):
    slots = 10
    jobs = [Queued(n, pipeline, priority, waited) for n, (pipeline, priority, waited) in enumerate(queue)]
    one = data.draw(st.sampled_from(jobs))
    in_front = sum(job.slots * job.expected for job in jobs if job.pipeline == one.pipeline)
    bound = overtaking_ends(one.priority, pipelines=3, queued=3 / slots * in_front)
    ordered = order(jobs, use, slots)
    place = {job.id: ordered.index(at) for at, job in enumerate(jobs)}
    for other in jobs:
        if one.waited - other.waited > bound:
            assert place[one.id] < place[other.id]


def test_the_lowest_job_starts_under_a_stream_of_the_highest():
    """Every three minutes two jobs of the highest priority come for a slot that serves one in that time. The lowest one
    starts, and no later than when as many slots have come free as jobs were before it once the bound had passed."""
    lowest, step = -PRIORITIES // 2, 180.0
    bound = overtaking_ends(lowest, pipelines=2)
    assert bound < SECONDS_A_PRIORITY * PRIORITIES + 2 * HALF_LIFE * 1.5
    line = Line(1)
    kind = line.add_kind((1,), 1, 0)
    line.add(0, "almanac-docs", kind, SECONDS_A_PRIORITY * lowest, EXPECTED_SECONDS)
    turn = number = 0
    while 0 in line:
        turn += 1
        for _ in range(2):
            number += 1
            own = SECONDS_A_PRIORITY * PRIORITIES / 2 - turn * step
            line.add(number, "buoy-telemetry", kind, own, EXPECTED_SECONDS)
        line.remove(next(line.in_order({}, 1)))
        assert turn < 2 * bound / step + 2
    assert turn * step <= 2 * bound + step


def scores(jobs, use, slots):
    """The formula of ``shares``, written a second time."""
    worth = len({job.pipeline for job in jobs} | {name for name, seconds in use.items() if seconds > 0}) / slots

    def own(job):
        return 600 * job.priority + job.waited

    return {
        job.id: own(job)
        - worth
        * (
            use.get(job.pipeline, 0)
            + sum(
                other.slots * other.expected
                for other in jobs
                if other.pipeline == job.pipeline and (-own(other), other.id) < (-own(job), job.id)
            )
        )
        for job in jobs
    }


whole = st.integers(0, 4000).map(float)


@given(
    st.lists(
        st.builds(
            Queued,
            st.integers(0, 999),
            st.sampled_from("abc"),
            st.integers(-2, 2),
            whole,
            st.integers(1, 3),
            st.sampled_from([0.0, 60.0, 600.0]),
        ),
        max_size=15,
        unique_by=lambda job: job.id,
    ),
    st.dictionaries(st.sampled_from("abd"), whole),
    st.sampled_from([1, 2, 4, 8]),
)
def test_the_order_is_that_of_the_scores_and_of_equals_the_older_job_is_first(jobs, use, slots):
    found = scores(jobs, use, slots)
    wanted = sorted(jobs, key=lambda job: (-found[job.id], job.id))
    assert [jobs[place].id for place in order(jobs, use, slots)] == [job.id for job in wanted]
    assert order(jobs[::-1], use, slots) == [len(jobs) - 1 - place for place in order(jobs, use, slots)]


# ---- numbers of hosts ----------------------------------------------------------------------------------------------


@given(st.lists(st.tuples(st.booleans(), st.integers(0, 255))), st.integers(0, 255), st.integers(0, 9))
def test_a_tally_counts_as_a_list_does(steps, hosts, number):
    tally, plain = Tally(), [0] * 8
    for is_more, some in steps:
        some &= sum(1 << at for at in range(8) if is_more or plain[at])
        (tally.add if is_more else tally.subtract)(some)
        plain = [have + (1 if is_more else -1) * (some >> at & 1) for at, have in enumerate(plain)]
    assert [tally.of(at) for at in range(8)] == plain
    among = [at for at in range(8) if hosts >> at & 1]

    def those(wanted):
        return sum(1 << at for at in among if wanted(plain[at]))

    assert tally.at_least(number, hosts) == those(lambda have: have >= number)
    if among:
        assert tally.least(hosts) == those(lambda have: have == min(plain[at] for at in among))
        assert tally.most(hosts) == those(lambda have: have == max(plain[at] for at in among))
        assert lowest(hosts) == among[0]


# ---- from one round to the next ------------------------------------------------------------------------------------

steps = st.lists(
    st.one_of(
        st.tuples(st.just("send"), st.integers(0, 5), st.sampled_from("abc"), st.integers(0, 3)),
        st.tuples(st.just("end"), st.integers(0, 30)),
        st.tuples(st.just("withdraw"), st.integers(0, 30)),
        st.tuples(st.just("turn"), st.integers(0, 6)),
        st.tuples(st.just("warm"), st.sampled_from("ab"), st.integers(0, 127)),
        st.tuples(st.just("round")),
    ),
    max_size=60,
)


@given(st.lists(st.integers(0, 127), min_size=6, max_size=6), free_slots, steps, st.integers(0, 2))
@settings(max_examples=400)
def test_a_round_that_goes_on_from_the_last_decides_as_one_that_starts_anew(fits, free, steps, large):
    """The line is kept over many rounds; before each, another is made of what waits and runs at that moment."""
    sizes = [1] * (6 - 2 * large) + [2] * 2 * large
    fits = [fits[at - at % 2] for at in range(6)]  # two kinds that ask for the same, and one of them prefers something
    tiers = [(some & 31, some & ~31) if at % 2 else (some,) for at, some in enumerate(fits)]
    use, slots = {"a": 1200.0, "d": 600.0}, 8

    def made(ready, room, waiting, warm):
        line = Line(7)
        for at in range(7):
            line.rooms.change(at, room[at])
            line.rooms.set_ready(at, ready[at])
        for at in range(6):
            line.add_kind(tiers[at], sizes[at], at // 2)
        line.warm = dict(warm)
        for job, (kind, pipeline, own) in waiting.items():
            line.add(job, pipeline, kind, own, 600.0)
        return line

    ready, waiting, warm, running = [True] * 7, {}, {}, {}
    kept = made(ready, free, waiting, warm)
    for number, (step, *more) in enumerate([*steps, ("round",)]):
        match step:
            case "send":
                kind, pipeline, own = more
                waiting[number] = (kind, pipeline, 600.0 * own - number)
                kept.add(number, pipeline, *[kind, waiting[number][2], 600.0])
            case "end" if running:
                host, size = running.pop(sorted(running)[more[0] % len(running)])
                kept.rooms.change(host, size)
            case "withdraw" if waiting:
                job = sorted(waiting)[more[0] % len(waiting)]
                del waiting[job]
                kept.remove(job)
            case "turn":
                ready[more[0]] = not ready[more[0]]
                kept.rooms.set_ready(more[0], ready[more[0]])
            case "warm":
                warm[more[0]] = kept.warm[more[0]] = more[1]
            case "round":
                anew = made(ready, kept.rooms.room, waiting, warm)
                anew.earmarked = dict(kept.earmarked)
                found = kept.round(lambda: use, slots)
                assert found == anew.round(lambda: use, slots)
                assert kept.earmarked == anew.earmarked
                assert kept.rooms.room == anew.rooms.room and min(kept.rooms.room) >= 0
                for job, host in found.items():
                    running[job] = (host, sizes[waiting.pop(job)[0]])


# ---- the whole round -----------------------------------------------------------------------------------------------

fleets = st.lists(
    st.builds(
        Host,
        name=st.integers(0, 50).map(lambda i: f"curlew-{i:02}"),
        paddock=st.sampled_from(["shoreline", "annex"]),
        os=st.sampled_from(["linux", "macos"]),
        os_version=st.just("12"),
        arch=st.just("x64"),
        labels=st.sets(st.sampled_from(["a", "b"])).map(frozenset),
        readiness=st.sampled_from(Readiness),
        free_slots=st.integers(1, 3),
        slots=st.just(3),
        reserved=st.booleans(),
    ),
    max_size=8,
    unique_by=lambda host: host.name,
)
waiting = st.lists(
    st.builds(
        WaitingJob,
        id=st.integers(1, 10**6),
        requirement=st.builds(
            Requirement,
            st.sampled_from(
                [parse_terms(t) for t in ([], ["os linux"], ["label a"], ["os macos", "label b"], ["not label a"])]
            ),
            st.sampled_from([1, 1, 1, 2, 4]),
            st.none(),
            st.sampled_from([None, frozenset({"annex"})]),
        ),
        prefers=st.sampled_from([(), parse_terms(["label b"])]),
        pipeline=st.sampled_from(["buoy-telemetry", "almanac-docs"]),
        priority=st.integers(0, 2),
        waited=st.integers(0, 9).map(float),
    ),
    max_size=12,
    unique_by=lambda job: job.id,
)


@given(waiting, fleets)
def test_a_round_never_overfills_a_host_and_answers_for_every_job(jobs, hosts):
    decided = dispatch_round(jobs, FleetIndex(hosts), {"almanac-docs": 5.0}, {"almanac-docs": ["curlew-01"]})
    by_name = {one.name: one for one in hosts}
    by_id = {job.id: job for job in jobs}
    assert {p.job.id for p in decided.placements} | set(decided.reasons) == set(by_id)
    assert not {p.job.id for p in decided.placements} & set(decided.reasons)
    for placement in decided.placements:
        one = by_name[placement.host.name]
        assert one.readiness is Readiness.FREE
        assert fit_row(placement.job.requirement, one).fits
        assert sum(p.job.requirement.slots for p in decided.placements if p.host.name == one.name) <= one.free_slots
    for job_id, reason in decided.reasons.items():
        if by_id[job_id].requirement.slots == 1:
            assert reason.kind is not ReasonKind.NEXT, f"job {job_id} could have been placed"
    again = dispatch_round(jobs[::-1], FleetIndex(hosts[::-1]), {"almanac-docs": 5.0}, {"almanac-docs": ["curlew-01"]})
    assert again == decided


def test_a_host_that_changed_serves_the_next_round():
    index = FleetIndex([host("knot-01")])
    job = WaitingJob(1, asks("label rig"))
    assert dispatch_round([job], index).reasons[1].kind is ReasonKind.NO_FIT
    index.put(replace(index.host("knot-01"), labels=frozenset({"rig"})))
    assert [p.host.name for p in dispatch_round([job], index).placements] == ["knot-01"]
