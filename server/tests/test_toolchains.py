"""What surveys find, over time and over the fleet; kits; inventories."""

import csv
import io
import json
from datetime import timedelta

import pytest
from cyclonedx.schema import SchemaVersion
from cyclonedx.validation.json import JsonStrictValidator
from django.utils import timezone
from people import FACTS, a_person

from paddock_agent import wire
from paddock_agent.errors import BadMessage
from paddock_server.logbook.models import Entry
from paddock_server.people.models import Role
from paddock_server.toolchains.actions.record_survey import record_survey
from paddock_server.toolchains.models import Installation, Kit, SurveyChange
from paddock_server.toolchains.snapshots import snapshot_at
from paddock_server.work.models import Attempt, Job

NOTHING = wire.Details()


def found(*tools, broken=(), details=NOTHING, **more):
    """A survey; tools are (tool, version), at /usr/bin and plain, or wire.Installation."""
    installed = [
        one
        if isinstance(one, wire.FoundInstallation)
        else wire.FoundInstallation(one[0], one[1], f"/usr/bin/{one[0]}", "/usr", True)
        for one in tools
    ]
    looked = sorted({one.tool for one in installed} | {"git", "jdk", "maven"})
    return wire.SurveyReport(
        facts=FACTS,
        installations=installed,
        broken=list(broken),
        details=details,
        looked_for=looked,
        because="daily",
        **more,
    )


def moved_back(host, **time):
    """Lets the host's survey be so long ago."""
    ago = timedelta(**time)
    host.refresh_from_db()
    host.surveyed_at -= ago
    host.save()
    for change in SurveyChange.objects.filter(host=host):
        change.at -= ago
        change.not_before = change.not_before and change.not_before - ago
        change.save()


def history(client, host, **query):
    return client.get(f"/api/v1/hosts/{host.name}/history/", query).json()


def test_only_changes_are_kept_each_with_its_window(operator, new_host):
    host = new_host("knot-01")
    moved_back(host, days=3)
    record_survey(host, found(("git", "2.39.5"), ("jdk", "17.0.9")))
    host.refresh_from_db()
    count, entries = SurveyChange.objects.count(), Entry.objects.count()
    record_survey(host, found(("git", "2.39.5"), ("jdk", "17.0.9")))
    assert (SurveyChange.objects.count(), Entry.objects.count()) == (count, entries), "the same again changes nothing"
    (change,) = history(operator, host)["changes"]
    assert (change["kind"], change["name"], change["what"], change["before"]) == ("tool", "jdk", "came", None)
    assert change["after"]["version"] == "17.0.9"
    window = timezone.datetime.fromisoformat(change["at"]) - timezone.datetime.fromisoformat(change["not_before"])
    assert timedelta(days=2.9) < window < timedelta(days=3.1)
    assert Entry.objects.filter(verb="surveyed", thing="knot-01").first().details["came"] == ["jdk 17.0.9"]


def test_what_was_on_a_host_at_any_moment_is_known(operator, new_host):
    host = new_host("knot-01", tools=[("git", "2.30.2"), ("jdk", "11.0.2")])
    moved_back(host, days=10)
    record_survey(host, found(("git", "2.39.5"), ("jdk", "11.0.2")))
    moved_back(host, days=5)
    record_survey(host, found(("git", "2.39.5"), broken=[wire.Broken("jdk", "/usr/bin/jdk", "exit code 1")]))
    now = timezone.now()

    def tools(days):
        then = snapshot_at(host, now - timedelta(days=days))
        return then and {
            thing[1]: properties.get("version") or properties["why"]
            for thing, properties in then.items()
            if thing[0] == "tool"
        }

    assert tools(20) is None
    assert tools(12) == {"git": "2.30.2", "jdk": "11.0.2"}
    assert tools(3) == {"git": "2.39.5", "jdk": "11.0.2"}
    assert tools(0) == {"git": "2.39.5", "jdk": "exit code 1"}
    at = (now - timedelta(days=12)).isoformat()
    then = {one["name"]: one["properties"] for one in history(operator, host, at=at)["then"] if one["kind"] == "tool"}
    assert then["git"]["version"] == "2.30.2"
    answer = operator.get(f"/api/v1/hosts/{host.name}/history/", {"at": "last Tuesday"})
    assert (answer.status_code, "not a time with a zone" in answer.json()["detail"]) == (400, True)


def test_a_change_stands_beside_how_the_jobs_ended_before_and_since(operator, new_host):
    host = new_host("knot-01")
    moved_back(host, days=1)
    for state, days in [("passed", 3), ("passed", 2), ("failed", 2), ("failed", 0), ("failed", 0)]:
        job = Job.objects.create(name="compile", pipeline="almanac-docs", script="make", submitted_at=timezone.now())
        ended = timezone.now() - timedelta(days=days) + timedelta(seconds=30 if days == 0 else 0)
        Attempt.objects.create(
            job=job, number=1, host=host, state=state, offered_at=ended, started_at=ended, ended_at=ended
        )
    record_survey(host, found(("git", "2.47.1")))
    (change,) = history(operator, host)["changes"]
    assert change["results_before"] == {"passed": 2, "failed": 1}
    assert change["results_after"] == {"passed": 0, "failed": 2}


def test_a_change_is_accepted_with_a_note_by_who_may(operator, viewer, new_host):
    host, other = new_host("knot-01"), new_host("knot-02")
    record_survey(host, found(("git", "2.47.1")))
    (change,) = history(operator, host)["changes"]
    body = {"changes": [change["id"]], "note": "the new Git"}
    assert viewer.post("/api/v1/hosts/knot-01/history/accept/", body, format="json").status_code == 403
    assert operator.post(f"/api/v1/hosts/{other.name}/history/accept/", body, format="json").status_code == 404
    assert operator.post("/api/v1/hosts/knot-01/history/accept/", body, format="json").status_code == 200
    (change,) = history(operator, host)["changes"]
    assert (change["accepted_by"], change["note"]) == ("deckhand", "the new Git")
    assert Entry.objects.filter(verb="accepted changes of", who="deckhand").exists()


def test_details_of_the_host_and_its_environment_have_a_history_too(operator, new_host):
    host = new_host("knot-01")
    record_survey(
        host, found(("git", "2.39.5"), details=wire.Details(build="6.1", variables=["LANG"], values={"LANG": "C"}))
    )
    record_survey(
        host, found(("git", "2.39.5"), details=wire.Details(build="6.2", variables=["CI"], groups=["docker"]))
    )
    oldest_first = reversed(history(operator, host)["changes"])
    changes = {(one["kind"], one["name"]): one["what"] for one in oldest_first}
    assert changes["system", "build"] == "changed"
    assert changes["variable", "LANG"] == "went"
    assert changes["group", "docker"] == "came"
    assert operator.get("/api/v1/hosts/knot-01/").json()["details"]["build"] == "6.2"


def test_a_survey_that_is_otherwise_every_time_is_bounded(new_host):
    host = new_host("knot-01")
    many = [wire.FoundInstallation("git", f"{i}", f"/opt/{i}/git") for i in range(2000)]
    record_survey(host, found(*many))
    assert Installation.objects.filter(host=host).count() == 2000
    assert len(json.dumps(Entry.objects.filter(verb="surveyed").first().details)) < 10_000


@pytest.mark.parametrize(
    "change",
    [
        {"installations": [{"tool": "git"}]},
        {"installations": [{"tool": "g" * 201, "version": "1", "path": "/x"}]},
        {"installations": [{"tool": "git", "version": 2, "path": "/x"}]},
        {"broken": "git"},
        {"details": {"variables": ["x" * 300]}},
        {"details": {"values": {"PATH": ["/bin"]}}},
        {"looked_for": ["x"] * 3000},
        {"catalogue": -1},
    ],
)
def test_a_survey_with_wrong_fields_is_refused_on_the_wire(change):
    good = {"type": "survey", "seq": 1, "facts": {"os": "linux"}, "installations": []}
    assert wire.from_agent(json.dumps(good).encode())
    with pytest.raises(BadMessage):
        wire.from_agent(json.dumps(good | change).encode())


# ---- the fleet -----------------------------------------------------------------------------------------------------


def fleet_of_three(new_host, orchard):
    a = new_host("avocet-01", tools=[("jdk", "17.0.9"), ("git", "2.39.5")])
    b = new_host("curlew-02", tools=[("jdk", "11.0.2")], holding="held")
    c = new_host("russet-01", orchard, tools=[("jdk", "21.0.5")])
    return a, b, c


def columns(client):
    answer = client.get("/api/v1/toolchains/").json()
    return answer, {one["name"]: one for one in answer["tools"]}


def test_the_fleet_comes_as_columns_of_what_a_person_may_see(operator, new_host, orchard):
    fleet_of_three(new_host, orchard)
    answer, tools = columns(operator)
    assert answer["hosts"]["name"] == ["russet-01", "avocet-01", "curlew-02"]
    assert answer["hosts"]["healthy"] == [True, True, False]
    jdk = tools["jdk"]
    assert jdk["versions"] == ["11.0.2", "17.0.9", "21.0.5"]
    assert list(zip(jdk["hosts"], jdk["version"], jdk["plain"], strict=True)) == [(0, 2, 1), (1, 1, 1), (2, 0, 1)]
    assert jdk["ends"] == ["2027-10-31", "2027-10-31", "2029-12-31"]
    inside = a_person("apple", Role.VIEWER, orchard)
    answer, tools = columns(inside)
    assert (answer["hosts"]["name"], tools["jdk"]["versions"], "git" in tools) == (["russet-01"], ["21.0.5"], False)


def test_a_range_is_read_by_the_server_with_the_order_of_its_tool(operator):
    body = {"tool": "java", "range": "<17", "versions": ["1.8.0_392", "17-ea", "17.0.9", "what"]}
    answer = operator.post("/api/v1/toolchains/within/", body, format="json")
    assert answer.json() == {"range": "<17", "inside": [True, False, False, False]}
    wrong = operator.post("/api/v1/toolchains/within/", body | {"range": "<x"}, format="json")
    assert wrong.status_code == 400
    assert wrong.json()["errors"][0]["column"] == 2


def submit(client, terms, name="compile", pipeline="buoy-telemetry"):
    body = {"name": name, "pipeline": pipeline, "terms": terms, "script": "make"}
    assert client.post("/api/v1/jobs/", body, format="json").status_code == 201


def test_a_tools_page_says_who_asks_and_what_would_stop(operator, new_host, orchard):
    fleet_of_three(new_host, orchard)
    submit(operator, ["tool jdk 17..21"])
    submit(operator, ["tool jdk 17..21"])
    submit(operator, ["tool java 11"], "legacy")
    submit(operator, ["tool git", "tool jdk 17..21"], "both")
    page = operator.get("/api/v1/tools/java/").json()
    assert (page["name"], page["title"]) == ("jdk", "Java Development Kit")
    stops = {one["version"]: {job["job"]: job["times"] for job in one["stops"]} for one in page["versions"]}
    assert stops == {"21.0.5": {}, "17.0.9": {"both": 1}, "11.0.2": {"legacy": 1}}
    asked = {(one["job"], one["range"]): one["versions"] for one in page["asked"]}
    assert asked["compile", "17..21"] == ["21.0.5", "17.0.9"]
    _, tools = columns(operator)
    assert tools["jdk"]["asked"] == 4
    assert operator.get("/api/v1/tools/nothing-such/").status_code == 404


def test_hosts_side_by_side(operator, new_host, orchard):
    fleet_of_three(new_host, orchard)
    answer = operator.get("/api/v1/toolchains/compare/", {"host": ["avocet-01", "curlew-02"]}).json()
    rows = {
        (one["kind"], one["name"]): [properties and properties.get("version") for properties in one["values"]]
        for one in answer["rows"]
    }
    assert rows["tool", "jdk"] == ["17.0.9", "11.0.2"]
    assert rows["tool", "git"] == ["2.39.5", None]
    assert ("system", "cores") not in rows
    assert answer["alike"] > 0
    for hosts, status in ((["avocet-01"], 400), (["avocet-01", "heron-09"], 404), (["a", "b", "c", "d", "e"], 400)):
        assert operator.get("/api/v1/toolchains/compare/", {"host": hosts}).status_code == status


# ---- kits ----------------------------------------------------------------------------------------------------------

KIT = {"name": "builder", "purpose": "", "terms": ["tool java 17"], "paddocks": ["shoreline"], "labels": []}


def test_a_kit_is_kept_and_hosts_stand_to_it(administrator, new_host, orchard):
    fleet_of_three(new_host, orchard)
    made = administrator.post("/api/v1/kits/", KIT, format="json")
    assert (made.status_code, made.json()["terms"]) == (201, ["tool jdk 17"])
    standings = administrator.get("/api/v1/kits/builder/standings/").json()["standings"]
    assert {one["host"]: one["stands"] for one in standings} == {"avocet-01": "meets", "curlew-02": "misses"}
    answer, tools = columns(administrator)
    assert tools["jdk"]["missed"] == 1
    assert answer["kits"] == [{"name": "builder", "hosts": [1, 2], "stands": ["meets", "misses"]}]
    (kit,) = administrator.get("/api/v1/hosts/curlew-02/history/").json()["kits"]
    assert (kit["kit"], kit["in_kit"]) == ("builder", False)
    assert kit["lacking"] == [{"term": "tool jdk 17", "found": "11.0.2", "ahead": False}]


def test_what_a_change_would_do_is_said_before_it_is_saved(administrator, new_host, orchard):
    fleet_of_three(new_host, orchard)
    administrator.post("/api/v1/kits/", KIT, format="json")
    trial = {"kit": "builder", "terms": ["tool jdk 21"], "paddocks": ["shoreline", "orchard"], "labels": []}
    effect = administrator.post("/api/v1/kits-tried/", trial, format="json").json()
    assert (effect["put_out"], effect["put_in"]) == (["avocet-01"], [])
    assert (effect["stay_in"], effect["stay_out"]) == (["russet-01"], ["curlew-02"])
    older = trial | {"terms": ["tool jdk 11"]}
    effect = administrator.post("/api/v1/kits-tried/", older, format="json").json()
    assert effect["put_in"] == ["curlew-02"]
    stands = {one["host"]: one["stands"] for one in effect["standings"]}
    assert stands["russet-01"] == "is ahead"
    assert Kit.objects.get().terms == ["tool jdk 17"], "nothing was saved"
    wrong = administrator.post("/api/v1/kits-tried/", trial | {"terms": ["tool jdk >2 <1"]}, format="json")
    assert (wrong.status_code, wrong.json()["errors"][0]["pointer"]) == (400, "/terms/0")


@pytest.mark.parametrize(
    ("change", "pointer"),
    [
        ({"terms": []}, "/terms"),
        ({"terms": ["tol jdk"]}, "/terms/0"),
        ({"paddocks": ["nowhere"]}, "/paddocks"),
        ({"name": "BUILDER"}, "/name"),
        ({"name": "a b"}, "/name"),
        ({"labels": ["Not A Label"]}, "/labels/0"),
    ],
)
def test_a_wrong_kit_is_refused_with_its_place(administrator, shoreline, change, pointer):
    assert administrator.post("/api/v1/kits/", KIT, format="json").status_code == 201
    answer = administrator.post("/api/v1/kits/", KIT | {"name": "other"} | change, format="json")
    assert answer.status_code == 400
    assert pointer in [one["pointer"] for one in answer.json()["errors"]]


def test_kits_are_kept_by_administrators_of_their_paddocks(operator, shoreline, orchard):
    local = a_person("warden", Role.ADMINISTRATOR, shoreline)
    assert operator.post("/api/v1/kits/", KIT, format="json").status_code == 403
    assert local.post("/api/v1/kits/", KIT, format="json").status_code == 201
    for change in ({"paddocks": ["orchard"]}, {"labels": ["bench-rig"]}, {"paddocks": []}):
        assert local.put("/api/v1/kits/builder/", KIT | change, format="json").status_code == 403
    assert local.delete("/api/v1/kits/builder/").status_code == 204
    assert Entry.objects.filter(verb="removed", noun="kit", who="warden").exists()


def test_a_kit_is_proposed_after_a_host_or_after_jobs(operator, new_host):
    new_host("avocet-01", tools=[("jdk", "17.0.9"), ("cmake", "3.25.1")])
    submit(operator, ["tool jdk 17..21", "os linux"])
    after_host = operator.get("/api/v1/kits-proposed/", {"host": "avocet-01"}).json()
    assert [one["term"] for one in after_host] == ["os linux", "tool cmake 3.25", "tool jdk 17"]
    assert operator.get("/api/v1/kits-proposed/").json() == [{"term": "tool jdk 17..21", "jobs": 1}]


# ---- out -----------------------------------------------------------------------------------------------------------


def test_the_inventory_is_valid_by_the_schema_of_cyclonedx(operator, new_host):
    host = new_host("avocet-01", tools=[("jdk", "17.0.9+9"), ("npm", "10.2.4")])
    record_survey(
        host, found(("jdk", "17.0.9+9"), ("npm", "10.2.4"), broken=[wire.Broken("git", "/x/git", "exit code 1")])
    )
    answer = operator.get("/api/v1/toolchains/inventory/")
    assert answer["Content-Type"] == "application/vnd.cyclonedx+json"
    assert JsonStrictValidator(SchemaVersion.V1_6).validate_str(answer.content.decode()) is None
    purls = {one["purl"] for one in answer.json()["components"] if "purl" in one}
    assert purls == {"pkg:generic/jdk@17.0.9%2B9", "pkg:npm/npm@10.2.4"}
    assert JsonStrictValidator(SchemaVersion.V1_6).validate_str('{"bomFormat": "x"}') is not None, "it can fail"


def test_the_inventory_as_rows_holds_no_formula(operator, new_host):
    new_host("avocet-01", tools=[("git", "=cmd()")])
    answer = operator.get("/api/v1/toolchains/inventory/", {"host": "avocet-01", "form": "csv"})
    rows = list(csv.DictReader(io.StringIO(answer.content.decode())))
    assert [(one["host"], one["tool"], one["version"]) for one in rows] == [("avocet-01", "git", "'=cmd()")]
    assert operator.get("/api/v1/toolchains/inventory/", {"form": "xml"}).status_code == 400
