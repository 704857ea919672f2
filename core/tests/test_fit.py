from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.dispatch import WaitingJob, dispatch_round
from paddock_core.fit import fit_sheet
from paddock_core.fleet import Host, Installation, Readiness
from paddock_core.reasons import ReasonKind, Remedies, funnel, why_waiting
from paddock_core.terms import parse_terms

AVOCET = Host(
    "avocet-01", "shoreline", "linux", "12", "x64", frozenset({"bench-rig"}),
    (Installation("jdk", "17.0.15", "/usr/bin/java"), Installation("jdk", "21.0.5", "/opt/jdk-21/bin/java"),
     Installation("git", "2.39.5", "/usr/bin/git")),
)  # fmt: skip
RUSSET = Host(
    "russet-01", "orchard", "macos", "14.5", "arm64", frozenset({"release-signing"}),
    (Installation("jdk", "17.0.9", "/Library/jdk"), Installation("git", "2.39.3", "/usr/bin/git")),
)  # fmt: skip
KETCH = Host(
    "ketch-01", "workshop", "windows", "10.0.20348", "x64", frozenset(), (Installation("git", "nonsense", "C:\\git"),)
)
FLEET = [AVOCET, RUSSET, KETCH]


def sheet_for(*texts, hosts=FLEET):
    return fit_sheet(parse_terms(texts), hosts)


@pytest.mark.parametrize(
    ("term", "hosts"),
    [
        ("os linux", ["avocet-01"]),
        ("os macos 14+", ["russet-01"]),
        ("os macos 15+", []),
        ("arch x64", ["avocet-01", "ketch-01"]),
        ("label BENCH-RIG", ["avocet-01"]),
        ("tool git", ["avocet-01", "ketch-01", "russet-01"]),
        ("tool git 2+", ["avocet-01", "russet-01"]),
        ("tool jdk 17", ["avocet-01", "russet-01"]),
        ("tool jdk 18..21", ["avocet-01"]),
        ("tool maven", []),
    ],
)
def test_a_term_holds_on_just_these_hosts(term, hosts):
    assert [row.host.name for row in sheet_for(term).fitting] == hosts


def test_a_tool_term_is_bound_to_the_plain_installation_if_that_meets_it():
    installed = (
        Installation("jdk", "17.0.15", "/usr/bin/java", plain=True),
        Installation("jdk", "21.0.5", "/opt/jdk-21"),
    )
    host = replace(AVOCET, installations=installed)
    assert sheet_for("tool jdk", hosts=[host]).rows[0].binding[0].version == "17.0.15"
    assert sheet_for("tool jdk 18+", hosts=[host]).rows[0].binding[0].version == "21.0.5"


def test_a_tool_term_is_bound_to_the_newest_installation_that_meets_it():
    (row,) = sheet_for("os linux", "tool jdk").fitting
    assert [one.version for one in row.binding] == ["21.0.5"]
    (row,) = sheet_for("os linux", "tool jdk 17").fitting
    assert [one.path for one in row.binding] == ["/usr/bin/java"]


@pytest.mark.parametrize(
    ("terms", "kind", "parts"),
    [
        (
            ["label relase-signing"],
            ReasonKind.NO_FIT,
            ['No host has the label "relase-signing"', 'mean "release-signing" (1 host)'],
        ),
        (["tool gti"], ReasonKind.NO_FIT, ['no host has the tool "gti"'.capitalize(), 'mean "git" (3 hosts)']),
        (["tool jdk 99+"], ReasonKind.NO_FIT, ["No host has jdk 99+", "21.0.5 on 1 host", "17.0.9 on 1 host"]),
        (["os linux 99"], ReasonKind.NO_FIT, ["No host meets `os linux 99`", "linux 12 (1)"]),
        (["arch riscv64"], ReasonKind.NO_FIT, ["No host meets `arch riscv64`"]),
        (["os macos", "tool jdk 21"], ReasonKind.NO_FIT, ["no host meets all", "lacks `os macos`"]),
        (["os linux"], ReasonKind.NEXT, ["1 host fits"]),
    ],
)
def test_the_reason_says_what_is_wrong_and_what_was_meant(terms, kind, parts):
    reason = why_waiting(sheet_for(*terms))
    assert reason.kind is kind
    for part in parts:
        assert part in reason.sentence


@pytest.mark.parametrize(
    ("readiness", "kind", "says"),
    [
        (Readiness.BUSY, ReasonKind.BUSY, "busy"),
        (Readiness.HELD, ReasonKind.NOT_READY, "avocet-01 is held"),
        (Readiness.LOST, ReasonKind.NOT_READY, "avocet-01 is lost"),
        (Readiness.AT_THE_GATE, ReasonKind.NO_FIT, "stands at the gate"),
    ],
)
def test_a_host_that_fits_but_cannot_take_the_job_is_named(readiness, kind, says):
    reason = why_waiting(
        sheet_for("os linux", hosts=[replace(AVOCET, readiness=readiness, free_slots=0), RUSSET, KETCH])
    )
    assert reason.kind is kind
    assert says in reason.sentence


def test_a_host_whose_tools_are_not_known_yet_is_mentioned():
    fresh = replace(AVOCET, installations=(), surveyed=False)
    assert "avocet-01 has not been surveyed yet." in why_waiting(sheet_for("tool git", hosts=[fresh])).sentence


def test_without_any_admitted_host_the_reason_says_so():
    assert why_waiting(sheet_for("os linux", hosts=[])).kind is ReasonKind.NO_HOSTS
    gate = replace(AVOCET, readiness=Readiness.AT_THE_GATE)
    assert "1 host at the gate" in why_waiting(sheet_for("os linux", hosts=[gate])).sentence


def test_near_fits_come_with_what_would_mend_them():
    sheet = sheet_for("os macos", "tool jdk 17", "label relase-signing")
    said = {row.host.name: Remedies(sheet).of(row) for row in sheet.rows}
    assert said == {"russet-01": "mend the job: label release-signing", "avocet-01": "", "ketch-01": ""}
    sheet = sheet_for("os linux", "tool jdk 17", "tool maven 3.8+", "label bench-rig")
    assert Remedies(sheet).of(sheet.rows[0]) == "install maven 3.8+"
    sheet = sheet_for("os windows", "tool git", "label bench-ring")
    assert Remedies(sheet).of(sheet.rows[0]) == (
        "mend the job: label bench-rig, and add the label bench-rig to ketch-01"
    )


def test_the_funnel_narrows_from_all_hosts_to_the_free_ones():
    hosts = [AVOCET, replace(RUSSET, readiness=Readiness.HELD), replace(KETCH, readiness=Readiness.AT_THE_GATE)]
    steps = [(step.name, step.left) for step in funnel(sheet_for("tool git 2+", "tool jdk 17", hosts=hosts))]
    assert steps == [
        ("all hosts", 3), ("admitted", 2), ("tool git 2+", 2), ("tool jdk 17", 2),
        ("connected, not held", 1), ("slot free", 1),
    ]  # fmt: skip


def test_a_plain_job_does_not_take_the_only_host_that_another_could_use():
    jobs = [WaitingJob(1, parse_terms(["tool git"]), order=1), WaitingJob(2, parse_terms(["label bench-rig"]), order=2)]
    decided = dispatch_round(jobs, FLEET)
    assert {p.job: p.host for p in decided.placements} == {1: "ketch-01", 2: "avocet-01"}


def test_priority_goes_before_age_and_the_rest_hear_that_all_are_busy():
    terms = parse_terms(["os linux"])
    decided = dispatch_round([WaitingJob(1, terms, order=1), WaitingJob(2, terms, priority=5, order=2)], FLEET)
    assert [(p.job, p.host) for p in decided.placements] == [(2, "avocet-01")]
    assert decided.reasons[1].kind is ReasonKind.BUSY


hosts = st.lists(
    st.builds(
        Host,
        name=st.integers(0, 50).map(lambda i: f"curlew-{i:02}"),
        paddock=st.just("shoreline"),
        os=st.sampled_from(["linux", "macos"]),
        os_version=st.just("12"),
        arch=st.just("x64"),
        labels=st.sets(st.sampled_from(["a", "b"])).map(frozenset),
        readiness=st.sampled_from(Readiness),
        free_slots=st.integers(1, 3),
    ),
    max_size=8,
    unique_by=lambda host: host.name,
)
jobs = st.lists(
    st.builds(
        WaitingJob,
        id=st.integers(1, 10**6),
        terms=st.sampled_from(
            [parse_terms(t) for t in ([], ["os linux"], ["label a"], ["os macos", "label b"], ["label zz"])]
        ),
        priority=st.integers(0, 2),
        order=st.integers(0, 9),
    ),
    max_size=12,
    unique_by=lambda job: job.id,
)


@given(jobs, hosts)
def test_a_round_never_overfills_a_host_and_answers_for_every_job(jobs, hosts):
    decided = dispatch_round(jobs, hosts)
    by_name = {host.name: host for host in hosts}
    by_id = {job.id: job for job in jobs}
    assert {p.job for p in decided.placements} | set(decided.reasons) == set(by_id)
    assert not {p.job for p in decided.placements} & set(decided.reasons)
    for placement in decided.placements:
        host = by_name[placement.host]
        assert host.readiness is Readiness.FREE
        assert fit_sheet(by_id[placement.job].terms, [host]).rows[0].fits
        assert sum(p.host == host.name for p in decided.placements) <= host.free_slots
    for job_id, reason in decided.reasons.items():
        assert reason.kind is not ReasonKind.NEXT, f"job {job_id} could have been placed"
    assert dispatch_round(list(reversed(jobs)), list(reversed(hosts))) == decided
