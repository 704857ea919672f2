import pytest

from paddock_core.cover import BROKEN, cells, ends_of
from paddock_core.fleet import Host, InstalledTool
from paddock_core.inventory import Inventory, Item, bill, harmless, purl, rows
from paddock_core.kits import Stands, effect, proposed_from_host, proposed_from_jobs, standing
from paddock_core.terms import ToolWords, parse_terms

WORDS = ToolWords({"jdk": "jdk", "vcpkg": "date"}, {"java": "jdk"})


def host(*tools, surveyed=True, **more):
    installed = tuple(
        InstalledTool(name, version, f"/{name}", "", plain, WORDS.scheme(name)) for name, version, plain in tools
    )
    return Host("knot-01", "shoreline", "linux", "12", "x64", installations=installed, surveyed=surveyed, **more)


KIT = ["os linux", "tool jdk 17", "tool cmake 3.20+"]


@pytest.mark.parametrize(
    ("tools", "stands", "lacking", "ahead"),
    [
        ([("jdk", "17.0.9", True), ("cmake", "3.25.1", True)], Stands.MEETS, [], []),
        ([("jdk", "17.0.9", False), ("jdk", "21", True), ("cmake", "3.25.1", True)], Stands.MEETS, [], []),
        ([("jdk", "21.0.1", True), ("cmake", "3.25.1", True)], Stands.AHEAD, [(1, "21.0.1")], [1]),
        ([("jdk", "21.0.1", True)], Stands.MISSES, [(1, "21.0.1"), (2, "")], [1]),
        ([("jdk", "11.0.2", True), ("cmake", "3.25.1", True)], Stands.MISSES, [(1, "11.0.2")], []),
        ([("jdk", "17.0.9", True), ("cmake", "3.18.4", True)], Stands.MISSES, [(2, "3.18.4")], []),
    ],
)
def test_a_host_meets_misses_or_is_ahead(tools, stands, lacking, ahead):
    found = standing(parse_terms(KIT, WORDS), host(*tools))
    assert (found.stands, list(found.lacking), list(found.ahead)) == (stands, lacking, ahead)


def test_a_host_that_was_never_surveyed_is_not_judged():
    assert standing(parse_terms(KIT), host(surveyed=False)).stands is Stands.UNKNOWN


def test_the_effect_of_a_change_names_who_goes_out_and_who_comes_in():
    found = effect(
        {"a": True, "b": True, "c": False, "d": False, "gone": True},
        {"a": True, "b": False, "c": True, "d": False, "new": False},
    )
    assert (found.put_out, found.put_in, found.stay_in, found.stay_out) == (("b", "new"), ("c",), ("a",), ("d",))


def test_a_kit_takes_after_a_host_by_what_a_plain_command_gets():
    tools = [("jdk", "17.0.9+9", True), ("jdk", "21", False), ("python", "3.11.2", True), ("maven", "3.9.9", False)]
    assert proposed_from_host(host(*tools), WORDS) == ["os linux", "tool jdk 17", "tool python 3.11"]
    assert standing(parse_terms(proposed_from_host(host(*tools), WORDS), WORDS), host(*tools)).stands is Stands.MEETS


def test_a_kit_takes_after_jobs_by_what_many_asked_for():
    asked = [(parse_terms(["tool jdk 17", "os linux"]), 60), (parse_terms(["tool jdk 17", "tool gcc"]), 39)]
    assert proposed_from_jobs([*asked, (parse_terms(["tool zig"]), 1)]) == [("tool jdk 17", 99), ("tool gcc", 39)]


def test_an_alias_means_its_tool():
    (term,) = parse_terms(["tool java 8"], WORDS)
    assert str(term) == "tool jdk 8"
    assert standing((term,), host(("jdk", "1.8.0_392", True))).stands is Stands.MEETS


def test_columns_have_versions_in_their_order_and_the_plain_one_first():
    found = cells(
        [(1, "9", False), (0, "1.8.0_392", False), (0, "17.0.9", True), (1, None, False), (1, "what", True)], "jdk"
    )
    assert found.versions == ("1.8.0_392", "9", "17.0.9", "what")
    assert (found.hosts, found.version, found.plain) == ((0, 0, 1, 1, 1), (2, 0, 3, BROKEN, 1), (1, 0, 1, 0, 0))


def test_the_end_of_a_line_is_that_of_its_versions():
    from datetime import date

    ends = [("3.9", date(2025, 10, 31)), ("3.10..3.11", date(2027, 10, 31)), (">=3.x.y", date(2000, 1, 1))]
    assert ends_of(["3.9.2", "3.11", "3.13", "no version"], "pep440", ends[:2]) == [ends[0][1], ends[1][1], None, None]


def test_package_urls_escape_what_they_must():
    assert purl("jdk", "17.0.9+9") == "pkg:generic/jdk@17.0.9%2B9"
    assert purl("g++", "1/2@3 é") == "pkg:generic/g%2B%2B@1%2F2%403%20%C3%A9"
    assert purl("npm", "10.2", "pkg:npm/npm") == "pkg:npm/npm@10.2"


def test_a_spreadsheet_takes_nothing_for_a_formula():
    (row,) = rows([Inventory("knot-01", "shoreline", "Debian", "", (Item("git", "=1+1", "+/usr", evidence="@x"),))])
    assert row[4:6] == ("'=1+1", "'+/usr")
    assert [harmless(cell) for cell in ("-1", "a", "")] == ["'-1", "a", ""]


def test_a_broken_installation_is_a_component_without_a_version():
    from uuid import UUID

    made = bill(
        [Inventory("knot-01", "s", "Debian", "", (Item("git", "", "/x", broken="exit code 1"),))],
        "2026-01-01T00:00:00Z",
        UUID(int=1),
        {},
        {},
        "1",
    )
    device, git = made["components"]
    assert (device["type"], "version" in git, "purl" in git) == ("device", False, False)
