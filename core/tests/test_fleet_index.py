"""The bit rows agree with the verdicts, however hosts come, change and go; and the remedies for all jobs together."""

from hypothesis import given, settings
from hypothesis import strategies as st

from paddock_core.fleet import Host, InstalledTool, Readiness
from paddock_core.fleet_index import FleetIndex, count
from paddock_core.remedies import FitRemedy, RemedyKind
from paddock_core.terms import AllOf, AnyOf, KitTerm, NotTerm, parse_term
from paddock_core.unblocking import Blocked, smallest_set
from paddock_core.verdicts import verdict

SIMPLE = [
    parse_term(text)
    for text in (
        "os linux", "os macos 14+", "arch x64", "label a", "host knot-01", "paddock annex", "tool jdk 17..21",
        "tool git", "cores 8", "memory 16 GB", "disk 40 GB free", "service tide-db running", "env TIDE",
        "env LANG = C.UTF-8", "user group dialout", "display",
    )
]  # fmt: skip
terms = st.recursive(
    st.sampled_from(SIMPLE),
    lambda inner: st.one_of(
        inner.map(NotTerm),
        st.lists(inner, min_size=2, max_size=3).map(lambda several: AnyOf(tuple(several))),
        st.lists(inner, min_size=2, max_size=3).map(lambda several: AllOf(tuple(several))),
        st.lists(inner, max_size=3).map(lambda several: KitTerm("tide", tuple(several))),
        st.just(KitTerm("none-such")),
    ),
    max_leaves=5,
)
hosts = st.builds(
    Host,
    name=st.sampled_from([f"knot-{n:02}" for n in range(80)]),
    paddock=st.sampled_from(["shoreline", "annex"]),
    os=st.sampled_from(["linux", "macos", "windows"]),
    os_version=st.sampled_from(["12", "14.5", "odd"]),
    arch=st.sampled_from(["x64", "arm64"]),
    labels=st.sampled_from([frozenset(), frozenset({"a"})]),
    installations=st.lists(
        st.builds(
            InstalledTool, st.sampled_from(["jdk", "git"]), st.sampled_from(["17.0.2", "9", "odd"]), st.just("/x")
        ),
        max_size=3,
    ).map(tuple),
    readiness=st.sampled_from(Readiness),
    surveyed=st.booleans(),
    services=st.sampled_from([{}, {"tide-db": "running"}, {"tide-db": "failed"}]),
    cores=st.sampled_from([0, 4, 16]),
    memory=st.sampled_from([0, 8 * 10**9, 16 * 2**30]),
    disk_free=st.sampled_from([None, 1e9, 1e12]),
    display=st.sampled_from(["", "none", ":0"]),
    variables=st.sampled_from([frozenset(), frozenset({"TIDE", "LANG"})]),
    values=st.sampled_from([{}, {"LANG": "C.UTF-8"}]),
    groups=st.sampled_from([frozenset(), frozenset({"Dialout"})]),
)


@given(st.lists(hosts, max_size=70), st.lists(terms, min_size=1, max_size=4), st.lists(hosts, max_size=8), st.data())
@settings(max_examples=150)
def test_rows_say_what_the_verdicts_say_after_any_change(first, asked, later, data):
    known = {one.name: one for one in first}
    index = FleetIndex(known.values())
    for term in asked:
        index.holds(term)
    for one in later:
        known[one.name] = one
        index.put(one)
        if data.draw(st.booleans()):
            gone = data.draw(st.sampled_from(sorted(known)))
            del known[gone]
            index.remove(gone)
    for term in asked:
        verdicts = {name: verdict(term, one) for name, one in known.items()}
        assert {one.name for one in index.hosts_in(index.holds(term))} == {n for n, v in verdicts.items() if v.holds}
        fails = {n for n, v in verdicts.items() if v.known and not v.holds}
        assert {one.name for one in index.hosts_in(index.fails(term))} == fails
    assert count(index.state("there")) == len(index) == len(known)
    admitted = {name for name, one in known.items() if one.is_admitted}
    assert {one.name for one in index.hosts_in(index.state("admitted"))} == admitted


def test_a_host_that_changes_costs_only_the_rows_that_read_what_changed(monkeypatch):
    index = FleetIndex([Host(f"knot-{n}", "annex", "linux", "12", "x64") for n in range(100)])
    for term in SIMPLE:
        index.holds(term)
    asked = []
    monkeypatch.setattr("paddock_core.fleet_index.verdict", lambda t, h: asked.append(str(t)) or verdict(t, h))
    index.put(Host("knot-7", "annex", "linux", "12", "x64", disk_free=5e10))
    assert asked == ["disk 40 GB free"]


def step(kind, place, what=""):
    return FitRemedy(kind, place, what, f"{kind} {what} {place}".strip())


LABEL = step(RemedyKind.ADD_LABEL, "knot-01", "a")
START = step(RemedyKind.START_SERVICE, "knot-02", "tide-db")
INSTALL = step(RemedyKind.INSTALL, "knot-03", "jdk")


def test_what_helps_most_for_its_cost_comes_first_and_shared_steps_count_once():
    blocked = [
        Blocked(tuple(range(30)), ((INSTALL,),)),
        Blocked((90, 91), ((LABEL,), (INSTALL, START))),
        Blocked((40,), ((LABEL, START),)),
        Blocked((50,), ()),
    ]
    steps = smallest_set(blocked)
    assert [(one.remedies, len(one.jobs)) for one in steps] == [((INSTALL,), 30), ((START,), 2), ((LABEL,), 1)]


ways = st.lists(st.sets(st.sampled_from([LABEL, START, INSTALL]), min_size=1).map(tuple), max_size=3).map(tuple)


@given(st.lists(ways, max_size=6))
def test_whatever_can_be_unblocked_is_and_each_job_is_counted_once(several):
    blocked = [Blocked((10 * n, 10 * n + 1), one) for n, one in enumerate(several)]
    jobs = [job for one in smallest_set(blocked) for job in one.jobs]
    assert sorted(jobs) == sorted(job for one in blocked if one.ways for job in one.jobs)
