"""The term ``service NAME running``: how it reads, what it asks, and the reason if it does not hold."""

import pytest

from paddock_core.errors import TermError
from paddock_core.fit import Requirement, sheet_of
from paddock_core.fleet import Host
from paddock_core.fleet_index import FleetIndex
from paddock_core.reasons import why_waiting
from paddock_core.remedies import Remedies
from paddock_core.terms import ServiceTerm, parse_term, parse_terms


def host(name, **services):
    return Host(name, "shoreline", "linux", "12", "x64", services=services)


@pytest.mark.parametrize(
    ("text", "name"),
    [
        ("service tide-db running", "tide-db"),
        ("  Service  Tide-DB  RUNNING ", "tide-db"),
        ("service charts@2.service running", "charts@2.service"),
        ("service MSSQL$TIDES running", "mssql$tides"),
        ("service running running", "running"),
    ],
)
def test_it_reads(text, name):
    assert parse_term(text) == ServiceTerm(name)
    assert parse_term(str(parse_term(text))) == ServiceTerm(name)


@pytest.mark.parametrize(
    ("text", "column", "expected"),
    [
        ("service tide-db", 16, "running"),
        ("service tide-db stopped", 17, "running"),
        ("service", 8, "the name of a service"),
    ],
)
def test_what_is_missing_is_named_with_its_column(text, column, expected):
    with pytest.raises(TermError) as raised:
        parse_term(text)
    assert raised.value.column == column
    assert expected in raised.value.expected


def test_hosts_where_it_is_down_are_avoided_and_said():
    hosts = [host("knot-01", **{"tide-db": "stopped"}), host("knot-02", **{"tide-db": "running"}), host("knot-03")]
    asked = Requirement(parse_terms(["service tide-db running", "os linux"]))
    sheet = sheet_of(asked, hosts)
    assert [row.host.name for row in sheet.fitting] == ["knot-02"]
    assert [near.text for near in Remedies(asked, FleetIndex(hosts)).near_fits(sheet.rows)] == [
        "start tide-db on knot-01",
        "watch tide-db on knot-03",
    ]


def test_why_it_waits():
    down = FleetIndex([host("knot-01", **{"tide-db": "failed"}), host("knot-02", **{"tide-db": "failed"})])
    waiting = why_waiting(Requirement(parse_terms(["service tide-db running"])), down)
    assert waiting.sentence == "The service tide-db runs on no host: it is failed on 2 hosts."
    mistyped = why_waiting(Requirement(parse_terms(["service tide-bd running"])), down)
    assert (mistyped.nearest, "Did you mean" in mistyped.sentence) == ("tide-db", True)
