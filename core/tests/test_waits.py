"""The reasons of waiting jobs with misspelt words, and the jobs that are refused when sent."""

import pytest

from paddock_core.errors import ContradictionError, TermError
from paddock_core.fit import Requirement, sheet_of
from paddock_core.fleet import Host, InstalledTool, Readiness
from paddock_core.fleet_index import FleetIndex
from paddock_core.reasons import funnel, why_waiting
from paddock_core.remedies import Remedies, RemedyKind
from paddock_core.terms import parse_asked, parse_term, parse_terms

CURLEW = Host(
    "curlew-01",
    "shoreline",
    "linux",
    "12",
    "x64",
    labels=frozenset({"bench-rig"}),
    installations=(InstalledTool("cmake", "3.25.1", "/usr/bin/cmake", plain=True),),
    disk_free=50e9,
    disk_total=200e9,
    variables=frozenset({"HOME"}),
)


def index_of(*hosts):
    index = FleetIndex()
    for host in hosts:
        index.put(host)
    return index


def near(texts, *hosts):
    index = index_of(*hosts)
    requirement = Requirement(parse_terms(texts))
    return Remedies(requirement, index).near_fits(sheet_of(requirement, hosts).rows)


@pytest.mark.parametrize(
    ("text", "nearest"),
    [
        ("os debian", "linux"),
        ("os osx", "macos"),
        ("os Darwin", "macos"),
        ("os win10", "windows"),
        ("arch amd64", "x64"),
        ("arch aarch64", "arm64"),
        ("arch X86_64", "x64"),
        ("arch x46", "x64"),
    ],
)
def test_another_name_for_a_word_of_ours_is_understood(text, nearest):
    with pytest.raises(TermError) as refused:
        parse_term(text)
    assert refused.value.nearest == nearest


@pytest.mark.parametrize(
    "texts",
    [
        ["os linux 12+", "not os linux"],
        ["cores 8", "not cores 4"],
        ["not memory 4 GB", "memory 16 GB"],
        ["tool jdk 17..21", "not tool jdk"],
        ["env CI = true", "not env CI"],
        ["disk 50 GB free", "not disk 10 GB free"],
    ],
)
def test_what_no_host_can_meet_together_is_refused_when_it_is_sent(texts):
    with pytest.raises(ContradictionError) as refused:
        parse_asked(texts)
    assert (refused.value.first, refused.value.second) == (0, 1)


@pytest.mark.parametrize(
    "texts",
    [
        ["os linux", "not os linux 12+"],
        ["cores 4", "not cores 8"],
        ["tool jdk", "not tool jdk 17..21"],
        ["env CI", "not env CI = true"],
        ["tool jdk 17..21", "not tool maven"],
    ],
)
def test_what_some_host_may_meet_is_taken(texts):
    assert len(parse_asked(texts).terms) == 2


@pytest.mark.parametrize(
    ("text", "instead"),
    [
        ("label bench-rgi", "label bench-rig"),
        ("tool cmkae", "tool cmake"),
        ("host curlew-1", "host curlew-01"),
        ("any of label bench-rgi or label spare", "any of label bench-rig or label spare"),
    ],
)
def test_a_job_of_one_term_is_corrected_before_anything_is_built(text, instead):
    (first, *_) = near([text], CURLEW)
    (step, *_) = first.remedies
    assert (step.kind, step.instead) == (RemedyKind.CORRECT, instead)
    assert step.what == str(parse_term(text))
    parse_term(step.instead)


def test_a_disk_is_not_cleared_of_more_than_it_has():
    assert near(["disk 150 GB free"], CURLEW)
    assert not near(["disk 900 GB free"], CURLEW)


def test_a_host_that_cannot_work_is_counted_apart_and_named():
    unable = Host("dunlin-02", "shoreline", "linux", "12", "x64", readiness=Readiness.UNABLE, unable="home: gone")
    index = index_of(unable)
    requirement = Requirement(())
    assert "dunlin-02 is unable to work (home: gone)" in why_waiting(requirement, index).sentence
    steps = {step.name: step.left for step in funnel(requirement, index)}
    assert (steps["connected, not held"], steps["able to work now"], steps["slot free"]) == (1, 0, 0)
    (fit,) = near([], unable)
    assert "repair dunlin-02: home: gone" in fit.text
