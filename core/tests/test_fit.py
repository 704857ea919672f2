from dataclasses import replace

import pytest

from paddock_core.fit import Requirement, binding, fit_sheet, sheet_of
from paddock_core.fleet import Host, InstalledTool, Readiness
from paddock_core.fleet_index import FleetIndex
from paddock_core.reasons import ReasonKind, funnel, why_waiting
from paddock_core.remedies import Remedies
from paddock_core.terms import parse_terms

AVOCET = Host(
    "avocet-01", "shoreline", "linux", "12", "x64", frozenset({"bench-rig"}),
    (InstalledTool("jdk", "17.0.15", "/usr/bin/java"), InstalledTool("jdk", "21.0.5", "/opt/jdk-21/bin/java"),
     InstalledTool("git", "2.39.5", "/usr/bin/git")),
)  # fmt: skip
RUSSET = Host(
    "russet-01", "orchard", "macos", "14.5", "arm64", frozenset({"release-signing"}),
    (InstalledTool("jdk", "17.0.9", "/Library/jdk"), InstalledTool("git", "2.39.3", "/usr/bin/git")),
)  # fmt: skip
KETCH = Host(
    "ketch-01", "workshop", "windows", "10.0.20348", "x64", frozenset(), (InstalledTool("git", "nonsense", "C:\\git"),)
)
FLEET = [AVOCET, RUSSET, KETCH]


def sheet_for(*texts, hosts=FLEET):
    return fit_sheet(parse_terms(texts), hosts)


def asks(*texts, **more):
    return Requirement(parse_terms(texts), **more)


def reason_for(*texts, hosts=FLEET, **more):
    return why_waiting(asks(*texts, **more), FleetIndex(hosts))


def bound(*texts, host=AVOCET, prefers=()):
    return [one.version for one in binding(parse_terms(texts), parse_terms(prefers), host)]


def remedies_for(*texts, hosts=FLEET, **more):
    """What would mend each host that could be mended, in words."""
    requirement = asks(*texts, **more)
    remedies = Remedies(requirement, FleetIndex(hosts), "buoy-telemetry")
    return {near.host: near.text for near in remedies.near_fits(sheet_of(requirement, hosts).rows)}


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
        InstalledTool("jdk", "17.0.15", "/usr/bin/java", plain=True),
        InstalledTool("jdk", "21.0.5", "/opt/jdk-21"),
    )
    host = replace(AVOCET, installations=installed)
    assert bound("tool jdk", host=host) == ["17.0.15"]
    assert bound("tool jdk 18+", host=host) == ["21.0.5"]
    assert bound("tool jdk 21", "tool jdk 17", host=host) == ["21.0.5", "17.0.15"]
    assert bound("tool jdk 17+", host=host, prefers=["tool jdk 21"]) == ["21.0.5"]
    assert bound("tool jdk 17", host=host, prefers=["tool jdk 21"]) == ["17.0.15"]


def test_a_tool_term_is_bound_to_the_newest_installation_that_meets_it():
    assert bound("os linux", "tool jdk") == ["21.0.5"]
    assert bound("os linux", "tool jdk 17") == ["17.0.15"]
    assert bound("any of tool maven 3+ or (tool git and tool jdk 17)") == ["2.39.5", "17.0.15"]


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
        (["os linux 99"], ReasonKind.NO_FIT, ["No host runs linux 99: there is linux 12 on 1 host."]),
        (["arch riscv64"], ReasonKind.NO_FIT, ["No host has the architecture riscv64: there is x64 on 2 hosts"]),
        (
            ["os macos", "tool jdk 21"],
            ReasonKind.NO_FIT,
            ["no host meets all", "russet-01 comes nearest and lacks `tool jdk 21`"],
        ),
        (["os linux"], ReasonKind.NEXT, ["1 host fits"]),
    ],
)
def test_the_reason_says_what_is_wrong_and_what_was_meant(terms, kind, parts):
    reason = reason_for(*terms)
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
    reason = reason_for("os linux", hosts=[replace(AVOCET, readiness=readiness, free_slots=0), RUSSET, KETCH])
    assert reason.kind is kind
    assert says in reason.sentence


def test_a_host_whose_tools_are_not_known_yet_is_mentioned():
    fresh = replace(AVOCET, installations=(), surveyed=False)
    assert "avocet-01 has not been surveyed yet." in reason_for("tool git", hosts=[fresh]).sentence


def test_without_any_admitted_host_the_reason_says_so():
    assert reason_for("os linux", hosts=[]).kind is ReasonKind.NO_HOSTS
    gate = replace(AVOCET, readiness=Readiness.AT_THE_GATE)
    assert "1 host at the gate" in reason_for("os linux", hosts=[gate]).sentence


def test_near_fits_come_with_what_would_mend_them():
    found = remedies_for("os macos", "tool jdk 17", "label relase-signing")
    assert found == {"russet-01": "correct the job: `label release-signing`"}
    assert remedies_for("os linux", "tool jdk 17", "tool maven 3.8+", "label bench-rig") == {
        "avocet-01": "install maven 3.8+ on avocet-01"
    }
    assert remedies_for("os windows", "tool git", "label bench-ring") == {
        "ketch-01": "correct the job: `label bench-rig`; add the label bench-rig to ketch-01"
    }


def test_the_cheapest_remedy_comes_first():
    held = replace(AVOCET, readiness=Readiness.HELD, held="harbourmaster: new disk")
    down = replace(AVOCET, name="avocet-02", services={"tide-db": "stopped"})
    bare = replace(AVOCET, name="avocet-03", labels=frozenset(), services={"tide-db": "running"})
    old = replace(AVOCET, name="avocet-04", installations=AVOCET.installations[2:], services={"tide-db": "running"})
    held = replace(held, services={"tide-db": "running"})
    found = remedies_for(
        "label bench-rig", "tool jdk 17", "service tide-db running", hosts=[old, bare, held, down, KETCH]
    )
    assert list(found.items()) == [
        ("avocet-02", "start tide-db on avocet-02"),
        ("avocet-01", "resume avocet-01 (harbourmaster: new disk)"),
        ("avocet-04", "install jdk 17 on avocet-04 (as on avocet-01)"),
        ("avocet-03", "add the label bench-rig to avocet-03"),
    ]


def test_a_fence_a_reservation_and_too_few_slots_are_said_and_can_be_mended():
    fenced = reason_for("os linux", let_in=frozenset({"orchard"}))
    assert (fenced.kind, fenced.places) == (ReasonKind.NOT_LET_IN, ("shoreline",))
    assert remedies_for("os linux", let_in=frozenset({"orchard"})) == {"avocet-01": "let buoy-telemetry into shoreline"}
    reserved = [replace(AVOCET, reserved=True)]
    assert reason_for("os linux", hosts=reserved).kind is ReasonKind.RESERVED
    assert reason_for("os linux", "label bench-rig", hosts=reserved).kind is ReasonKind.NEXT
    assert reason_for("os linux", hosts=reserved, is_internal=True).kind is ReasonKind.NEXT
    assert remedies_for("os linux", hosts=reserved) == {"avocet-01": "correct the job: add `label bench-rig`"}
    assert reason_for("os linux", slots=4).kind is ReasonKind.TOO_MANY_SLOTS
    assert remedies_for("os linux", slots=4) == {"avocet-01": "give avocet-01 4 slots (it has 1)"}
    roomy = [replace(AVOCET, slots=4, free_slots=3)]
    assert reason_for("os linux", hosts=roomy, slots=4).kind is ReasonKind.MORE_SLOTS


def test_a_sender_who_reaches_one_paddock_hears_only_of_that():
    reason = reason_for("label release-sining", reach=frozenset({"shoreline"}))
    assert (reason.kind, reason.nearest) == (ReasonKind.NO_FIT, None)


def test_the_funnel_narrows_from_all_hosts_to_the_free_ones():
    hosts = [AVOCET, replace(RUSSET, readiness=Readiness.HELD), replace(KETCH, readiness=Readiness.AT_THE_GATE)]
    steps = [(step.name, step.left) for step in funnel(asks("tool git 2+", "tool jdk 17"), FleetIndex(hosts))]
    assert steps == [
        ("all hosts", 3), ("admitted", 2), ("tool git 2+", 2), ("tool jdk 17", 2),
        ("connected, not held", 1), ("slot free", 1),
    ]  # fmt: skip


def test_the_funnel_says_how_many_hosts_the_sender_reaches():
    hosts = [AVOCET, replace(RUSSET, paddock="orchard")]
    steps = funnel(asks("tool git", reach=frozenset({"orchard"})), FleetIndex(hosts))
    assert [(step.name, step.left) for step in steps][:2] == [("all hosts", 2), ("within the sender's reach", 1)]


def test_the_funnel_has_the_fence_and_reservations_where_they_matter():
    hosts = [replace(AVOCET, reserved=True), RUSSET, KETCH]
    requirement = asks("tool git", let_in=frozenset({"shoreline", "workshop"}), slots=2)
    assert [(step.name, step.left) for step in funnel(requirement, FleetIndex(hosts))] == [
        ("all hosts", 3), ("inside the fence", 2), ("admitted", 2), ("tool git", 2), ("open to it", 1),
        ("2 slots in all", 0), ("connected, not held", 0), ("2 slots free", 0),
    ]  # fmt: skip
