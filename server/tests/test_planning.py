"""Planning through the API: use, kinds of work, rehearsals, imports and costs."""

from __future__ import annotations

import csv
import io
import json
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from asgiref.sync import async_to_sync, sync_to_async
from django.utils import timezone
from people import a_person

from paddock_core.planning.past import Ask, Run, past_of
from paddock_server.errors import Invalid
from paddock_server.health.models import LinkChange
from paddock_server.hosts.models import Host
from paddock_server.logbook.models import Entry
from paddock_server.maintenance.models import MaintenanceTime, MaintenanceWindow
from paddock_server.people.actor import SERVER
from paddock_server.people.models import Role
from paddock_server.planning import loop, past_store
from paddock_server.planning.actions.file_days import days_to_file, file_day
from paddock_server.planning.actions.import_past import import_past
from paddock_server.planning.actions.run_rehearsal import restart_rehearsals
from paddock_server.planning.asking import question_of
from paddock_server.planning.fleet_then import closures
from paddock_server.planning.history_file import import_runs
from paddock_server.planning.loop import _next, _want_outlook, run
from paddock_server.planning.models import PastDay, Rehearsal
from paddock_server.planning.packing import PastError, packed, unpacked
from paddock_server.toolchains.models import Kit, SurveyChange
from paddock_server.work.models import Attempt, Job

MONDAY = datetime(2026, 9, 7, tzinfo=UTC)


def record(number, hours=0.0, wait=0.0, minutes=10.0, host="curlew-01", **more):
    sent = MONDAY + timedelta(hours=hours)
    placed = sent + timedelta(seconds=wait)
    return {
        "job": number, "sent": sent.isoformat(), "placed": placed.isoformat(), "started": placed.timestamp() + 1,
        "ended": placed.timestamp() + 1 + 60 * minutes, "pipeline": "pilot-mobile", "name": "build", "host": host,
        "paddock": "shoreline", "system": "linux", "person": "deckhand", "terms": ["os linux"],
    } | more  # fmt: skip


def weeks(number=6, per_day=20, growth=0.0, **more):
    """Jobs in the working hours of some weeks."""
    found, job = [], 0
    for day in range(7 * number):
        count = round(per_day * (1 + growth) ** (day / 7))
        for at in range(count):
            job += 1
            found.append(record(job, 24 * day + 8 + 8 * at / count, **more))
    return found


@pytest.fixture(autouse=True)
def one_connection(monkeypatch):
    """The loop closes its connections to the database, and in memory that is the end of it."""
    monkeypatch.setattr(loop, "database_sync_to_async", sync_to_async)


@pytest.fixture
def fleet(new_host):
    """Two Linux hosts."""
    return [new_host("curlew-01", slots=4), new_host("curlew-02", slots=1)]


@pytest.fixture
def past(fleet):
    """Six weeks on one of them."""
    import_past(SERVER, "elsewhere", weeks(minutes=30, per_day=30, growth=0.05))


def asked(client, path, **query):
    answer = client.get(f"/api/v1/{path}", query)
    assert answer.status_code == 200, answer.content
    return answer.json()


STRETCH = {"since": "2026-09-07T00:00:00Z", "until": "2026-10-19T00:00:00Z"}
WHOLE = STRETCH | {"name": "a rehearsal"}


def rehearsed(client, **fields):
    """Asks for a rehearsal and runs it, as the loop does."""
    answer = client.post("/api/v1/rehearsals/", WHOLE | fields, format="json")
    assert answer.status_code == 201, answer.content
    async_to_sync(run)(_next())
    return asked(client, f"rehearsals/{answer.json()['id']}/")


# ---- use and kinds of work -----------------------------------------------------------------------------------------


def test_use_is_the_sum_of_the_recorded_times(past, viewer):
    found = asked(viewer, "plan/use/", **STRETCH)
    runs = weeks(minutes=30, per_day=30, growth=0.05)
    assert found["runs"] == len(runs)
    assert found["slot_hours"] == pytest.approx(len(runs) * 1801 / 3600)
    assert found["shares"]["host"] == [
        {"name": "curlew-01", "slot_hours": pytest.approx(found["slot_hours"]), "runs": len(runs)}
    ]
    assert found["slots"] == 5
    assert found["week"][0][3] == 0 and found["week"][0][10] > 0
    assert len(found["steps"]) == 42
    lines = list(
        csv.reader(io.StringIO(viewer.get("/api/v1/plan/use.csv", STRETCH | {"by": "pipeline"}).content.decode()))
    )
    assert lines[0] == ["pipeline", "slot-hours", "runs"] and lines[1][0] == "pilot-mobile"
    assert viewer.get("/api/v1/plan/use.csv", {"by": "moon"}).status_code == 404


def test_a_name_that_a_spreadsheet_would_run_is_written_as_text(fleet, viewer):
    import_past(SERVER, "elsewhere", [record(1, person="=1+1")])
    assert "'=1+1" in viewer.get("/api/v1/plan/use.csv", STRETCH | {"by": "person"}).content.decode()


@pytest.mark.parametrize("number", [0, 1, 3])
def test_hardly_any_past_is_shown_as_it_is(fleet, administrator, number):
    if number:
        import_past(SERVER, "elsewhere", [record(n, n) for n in range(number)])
    assert asked(administrator, "plan/use/")["runs"] == number
    assert len(asked(administrator, "plan/kinds/")["kinds"]) == min(1, number)
    assert asked(administrator, "plan/outlook/")["rehearsal"] is None
    found = rehearsed(administrator)
    assert found["state"] == "done" and found["result"]["runs"] == number
    assert not found["result"]["calibration"]["is_close"], "so few jobs say nothing"
    assert asked(administrator, "hosts/curlew-01/use/")["speed"] is None


def test_one_sees_only_the_use_of_ones_paddocks(past, orchard):
    outside = a_person("gardener", Role.VIEWER, orchard)
    assert asked(outside, "plan/use/", **STRETCH)["runs"] == 0
    assert asked(outside, "plan/kinds/", **STRETCH)["kinds"] == []
    assert outside.get("/api/v1/hosts/curlew-01/use/").status_code == 404
    assert outside.get("/api/v1/rehearsals/").status_code == 403


def test_kinds_of_work_have_their_cover_and_growth(past, viewer):
    (kind,) = asked(viewer, "plan/kinds/", **STRETCH)["kinds"]
    assert kind["name"] == "os linux" and kind["hosts"] == ["curlew-01", "curlew-02"]
    assert kind["growth"]["rate"] == pytest.approx(0.05, abs=0.01) and kind["growth"]["is_certain"]
    (stops,) = asked(viewer, "plan/kinds/", **STRETCH)["failures"]
    assert stops["hosts"] == ["curlew-01", "curlew-02"] and stops["pipelines"] == ["pilot-mobile"]


def test_a_host_shows_who_used_it_and_how_fast_it_is(fleet, viewer):
    runs = [
        record(
            n,
            n / 3,
            minutes=15 if n % 2 else 10,
            host=f"curlew-0{1 + n % 2}",
            person="lookout" if n % 3 else "deckhand",
        )
        for n in range(200)
    ]
    import_past(SERVER, "elsewhere", runs)
    found = asked(viewer, "hosts/curlew-02/use/", **STRETCH)
    assert found["speed"]["factor"] / asked(viewer, "hosts/curlew-01/use/", **STRETCH)["speed"][
        "factor"
    ] == pytest.approx(1.5, rel=0.02)
    assert found["speed"]["is_certain"] and found["speed"]["peers"] == 1
    assert {one["name"] for one in found["persons"]} == {"lookout", "deckhand"}


# ---- the past ------------------------------------------------------------------------------------------------------


def test_own_attempts_count_before_and_after_their_day_is_filed(fleet, viewer, monkeypatch):
    attempt = attempt_of("pilot-mobile", timezone.now() - timedelta(days=2))
    before = asked(viewer, "plan/use/")
    assert before["runs"] == 1 and before["slot_hours"] == pytest.approx(0.5)
    days = days_to_file()
    assert attempt.ended_at.date() in days
    for day in days:
        file_day(day)
    assert days_to_file() == []
    assert asked(viewer, "plan/use/")["runs"] == 1
    Attempt.objects.all().delete()
    assert asked(viewer, "plan/use/")["runs"] == 1, "it is in the filed day"


def attempt_of(pipeline, ended_at, **more):
    job = Job.objects.create(
        name="build", pipeline=pipeline, script="true", state="passed", terms=["os linux"], submitted_by="deckhand",
        submitted_at=ended_at - timedelta(minutes=40), started_at=ended_at, ended_at=ended_at, **more
    )  # fmt: skip
    return Attempt.objects.create(
        job=job, number=1, host=Host.objects.get(name="curlew-01"), state="passed",
        offered_at=ended_at - timedelta(minutes=30), started_at=ended_at - timedelta(minutes=30), ended_at=ended_at,
    )  # fmt: skip


def test_the_servers_own_proofs_are_no_work(fleet, viewer):
    attempt_of("proof", timezone.now() - timedelta(hours=1), is_internal=True)
    assert asked(viewer, "plan/use/")["runs"] == 0


def test_a_past_is_the_same_after_it_was_packed():
    runs = [
        Run(n, 1e9 + n, 1e9 + n, 1e9 + n + 0.25, 1e9 + n + 1, 1e9 + n + 60, f"p{n % 3}", "n", "h",
            ask=Ask(("os linux",), (), 2), after=(n - 1,) if n % 2 else ())
        for n in range(40)
    ]  # fmt: skip
    past, _ = past_of(runs)
    again = unpacked(packed(past))
    for name in past.__dataclass_fields__:
        assert np.array_equal(getattr(again, name), getattr(past, name)), name


@pytest.mark.parametrize("data", [b"", b"PK\x05\x06" + bytes(18), b"something else", packed(past_of([])[0])[:-30]])
def test_bytes_that_are_no_past_are_refused(data):
    with pytest.raises(PastError):
        unpacked(data)


def test_a_file_can_be_imported_again_and_a_wrong_line_is_named(fleet, tmp_path):
    file = tmp_path / "runs.jsonl"
    lines = [json.dumps(one) for one in weeks(1)]
    closed = {"closed": "curlew-01", "since": "2026-09-08T00:00:00Z", "until": "2026-09-09T00:00:00Z"}
    file.write_text("\n".join([json.dumps(closed), *lines]) + "\n")
    assert import_runs(SERVER, "elsewhere", file) == "Imported 140 runs and 1 closed times from elsewhere."
    assert "0 runs" in import_runs(SERVER, "elsewhere", file) and PastDay.objects.count() == 7
    assert Entry.objects.filter(verb="imported a past").count() == 2
    file.write_text(lines[0] + "\nno json\n")
    with pytest.raises(Invalid, match="line 2: not JSON"):
        import_runs(SERVER, "elsewhere", file)
    file.write_text(json.dumps(record(1) | {"host": ""}) + "\n")
    with pytest.raises(Invalid, match="from line 1: Record 1: host is not a text"):
        import_runs(SERVER, "elsewhere", file)


@pytest.mark.parametrize(
    ("wrong", "message"),
    [
        ({"sent": "2026-09-07T08:00:00"}, "no time zone"),
        ({"sent": "yesterday"}, "Record 1"),
        ({"ended": 1.0}, "between the year 2000"),
        ({"ended": float("nan")}, "not a time"),
        ({"started": "2030-01-01T00:00:00Z"}, "and now"),
        ({"terms": ["tool jdk >"]}, "column"),
        ({"terms": "os linux"}, "not a list"),
        ({"slots": 0}, "between 1 and 256"),
        ({"slots": True}, "whole number"),
        ({"outcome": "exploded"}, "none of"),
        ({"job": -1}, "between 0"),
        ({"pipeline": "x" * 101}, "at most 100"),
        ({"placed": "2026-09-06T00:00:00Z"}, "a clock was set"),
    ],
)
def test_a_record_that_cannot_be_is_refused_and_nothing_is_kept(fleet, wrong, message):
    with pytest.raises(Invalid, match=message):
        import_past(SERVER, "elsewhere", [record(1) | wrong, record(2)])
    assert not PastDay.objects.exists()


@pytest.mark.parametrize(("origin", "records"), [("", [record(1)]), ("a/b", [record(1)]), ("elsewhere", [])])
def test_an_import_has_a_name_and_records(fleet, origin, records):
    with pytest.raises(Invalid):
        import_past(SERVER, origin, records)


def test_the_jobs_of_two_servers_with_the_same_numbers_stay_apart(fleet, viewer):
    for origin in ("first", "second"):
        import_past(SERVER, origin, [record(1), record(2, 1)])
    attempt_of("pilot-mobile", timezone.now() - timedelta(hours=1))
    past = past_store.recorded_past(MONDAY, timezone.now()).past
    assert len(past) == 5 and len(set(past.job.tolist())) == 5


def test_a_host_is_closed_while_it_was_lost_held_or_not_there(fleet, past, administrator):
    held = administrator.post("/api/v1/hosts/curlew-01/hold/", {"reason": "a new disk"}, format="json")
    assert held.status_code == 200, held.content
    now = timezone.now()
    found = closures(past_store.recorded_past(MONDAY, now).past, now - timedelta(hours=1), now + timedelta(hours=1))
    held = [one for one in found if one.host == "curlew-01" and one.since > (now - timedelta(minutes=5)).timestamp()]
    assert held, "it was held a moment ago"
    # It ran jobs before it joined this server: it was there from the first of them on.
    early = closures(past_store.recorded_past(MONDAY, now).past, MONDAY, now)
    (before,) = [one for one in early if one.host == "curlew-01" and one.since == float("-inf")]
    assert before.until == (MONDAY + timedelta(hours=8)).timestamp()


# ---- rehearsals ----------------------------------------------------------------------------------------------------


def test_a_rehearsal_without_a_change_is_its_own_calibration(past, administrator):
    found = rehearsed(administrator)
    result = found["result"]
    assert result["calibration"]["is_close"], result["calibration"]
    assert result["pipelines"][0]["before"] == result["pipelines"][0]["after"]
    assert result["hosts"] == [2, 2] and result["slots"] == [5, 5]
    again = rehearsed(administrator)
    assert again["input_hash"] == found["input_hash"]
    assert again["result"] == result, "the same input gives the same answer"
    assert rehearsed(administrator, seed=5)["input_hash"] != found["input_hash"]


def test_changes_are_played_together_and_said_in_words(past, administrator):
    changes = [
        {"kind": "retire hosts", "hosts": ["curlew-02"]},
        {"kind": "set slots", "hosts": ["curlew-01"], "slots": 1},
        {"kind": "grow a pipeline", "pipeline": "pilot-mobile", "factor": 1.5},
    ]
    found = rehearsed(administrator, changes=changes)
    assert found["sentences"][0] == "without curlew-02"
    row = found["result"]["pipelines"][0]
    assert row["after"]["high"]["value"] > 10 * 60 > row["before"]["high"]["value"]
    assert row["is_certain"] and row["sentence"].startswith("pilot-mobile: 95 of 100 jobs wait under")


def test_each_of_several_changes_says_what_it_costs(past, administrator):
    changes = [{"kind": "set slots", "hosts": ["curlew-01"], "slots": 1},
               {"kind": "retire hosts", "hosts": ["curlew-02"]}]  # fmt: skip
    found = rehearsed(administrator, changes=changes)["result"]["effects"]
    assert [one["sentence"] for one in found] == ["1 slot on curlew-01", "without curlew-02"]
    assert all(row["change"]["value"] > 0 for one in found for row in one["pipelines"]) and found[0]["pipelines"]
    assert rehearsed(administrator, changes=changes[:1])["result"]["effects"] == []


def test_kits_and_windows_are_those_of_this_server(past, fleet, administrator):
    kit = Kit.objects.create(name="board", terms=["label bench"])
    window = MaintenanceWindow.objects.create(
        what="patch day", paddock=fleet[0].paddock, starts_at=MONDAY, ends_at=MONDAY + timedelta(hours=2), uid="w"
    )
    changes = [{"kind": "meet a kit", "kit": "board", "hosts": ["curlew-01"]}]
    assert rehearsed(administrator, changes=changes)["sentences"] == ["kit board on curlew-01"]
    moved = [{"kind": "move a window", "window": "patch day", "hours": 3}]
    found = rehearsed(administrator, changes=moved)
    assert found["state"] == "failed" and "did not take place" in found["detail"]
    MaintenanceTime.objects.create(
        window=window, starts_at=MONDAY, ends_at=MONDAY + timedelta(hours=2), held=[fleet[0].pk]
    )
    assert rehearsed(administrator, changes=moved)["state"] == "done"
    kit.delete()
    for change in (*changes, {**moved[0], "window": "spring tide"}):
        answer = administrator.post("/api/v1/rehearsals/", WHOLE | {"changes": [change]}, format="json")
        assert answer.status_code == 400 and "There is no" in answer.json()["detail"]


def test_a_standby_policy_is_rehearsed_with_what_wakes_take(past, fleet, administrator):
    Host.objects.filter(pk=fleet[0].pk).update(wake_seconds=300.0)
    changes = [{"kind": "sleep when idle", "hosts": [host.name for host in fleet], "idle_minutes": 10}]
    found = rehearsed(administrator, changes=changes)
    assert found["state"] == "done", found["detail"]
    slept = found["result"]["slept"]
    assert slept["hours"] > 0 and slept["wakes"] > 0 and slept["waited"] > 0
    Host.objects.update(wake_seconds=1.0)
    assert rehearsed(administrator, changes=changes)["result"]["slept"]["waited"] < slept["waited"]
    refused = rehearsed(administrator, changes=[changes[0] | {"begins": 25}])
    assert refused["state"] == "failed" and "between 0 and 23" in refused["detail"]


def test_the_axis_of_waits_has_losses_and_tools(fleet, viewer):
    first, second = fleet
    import_past(SERVER, "elsewhere", weeks(number=1))
    for host, minute, state in (
        (first, 0, "lost"),
        (first, 45, "connected"),
        (second, 0, "lost"),
        (second, 5, "connected"),
    ):
        LinkChange.objects.create(host=host, at=MONDAY + timedelta(hours=9, minutes=minute), state=state, cause="")
    for host in fleet:
        SurveyChange.objects.create(host=host, kind="tool", name="jdk", place="/opt/jdk", what="changed",
                                    not_before=MONDAY, at=MONDAY + timedelta(hours=12))  # fmt: skip
    SurveyChange.objects.create(host=first, kind="tool", name="git", what="added", at=MONDAY + timedelta(hours=1))
    found = asked(viewer, "plan/use/", since="2026-09-07T00:00:00Z", until="2026-09-14T00:00:00Z")["changes"]
    assert [one["what"] for one in found] == ["curlew-01 lost for 45 min", "jdk changed on 2 hosts"]


def test_a_kind_of_work_shows_when_it_comes(past, viewer):
    (kind,) = asked(viewer, "plan/kinds/", **STRETCH)["kinds"]
    hours = [[hour for hour, part in enumerate(day) if part] for day in kind["arrivals"]]
    assert hours == [list(range(8, 16))] * 7
    per_week = sum(part or 0 for day in kind["arrivals"] for part in day)
    assert per_week == pytest.approx(kind["runs_per_week"], rel=0.05)


def test_jobs_that_would_never_run_are_named_with_why(past, administrator):
    found = rehearsed(administrator, changes=[{"kind": "change a term", "pipeline": "pilot-mobile", "term": "os linux",
                                               "becomes": "label no-such"}])  # fmt: skip
    (never,) = found["result"]["never"]
    assert never["why"] == "No host fits them." and never["pipelines"] == ["pilot-mobile"]


def test_how_many_and_when(past, administrator):
    gone = [{"kind": "retire hosts", "hosts": ["curlew-02"]}, {"kind": "set slots", "hosts": ["curlew-01"], "slots": 1}]
    found = rehearsed(administrator, target=60, pipelines=["pilot-mobile"], like="curlew-02", changes=gone)
    assert found["state"] == "failed" and "curlew-02" in found["detail"], "none like a host that is gone"
    found = rehearsed(administrator, target=300, pipelines=["pilot-mobile"], like="curlew-02",
                      changes=[{"kind": "hold hosts", "hosts": ["curlew-02"]}])["result"]  # fmt: skip
    assert found["sizing"]["count"] is not None
    assert found["growth"]["rate"] == pytest.approx(0.05, abs=0.01)
    assert found["outgrown"] is None or found["outgrown"]["weeks"] >= 0


def test_the_server_asks_for_the_outlook_itself_once_a_day(past, administrator):
    _want_outlook()
    _want_outlook()
    (outlook,) = Rehearsal.objects.filter(is_outlook=True)
    assert outlook.pipelines == ["pilot-mobile"] and outlook.like == "curlew-01" and outlook.target == 900
    async_to_sync(run)(_next())
    shown = asked(administrator, "plan/outlook/")
    assert shown["rehearsal"]["state"] == "done", shown["rehearsal"]["detail"]
    assert shown["rehearsal"]["result"]["growth"]["is_certain"]
    assert asked(administrator, "rehearsals/")["count"] == 0, "people's own come apart"


@pytest.mark.parametrize(
    ("fields", "message"),
    [
        ({"until": "2026-09-01T00:00:00Z"}, "begins before it ends"),
        ({"since": "2024-09-01T00:00:00Z"}, "at most 400 days"),
        ({"target": 60}, "needs the pipelines"),
        ({"like": "moon-01"}, "no host moon-01"),
        ({"changes": [{"kind": "fly"}]}, "no change"),
        ({"zone": "Moon/Base"}, "time zone"),
    ],
)
def test_what_cannot_be_rehearsed_is_refused(past, administrator, fields, message):
    answer = administrator.post("/api/v1/rehearsals/", WHOLE | fields, format="json")
    assert answer.status_code == 400 and message in answer.content.decode()


def test_a_change_to_a_host_that_left_meanwhile_fails_with_its_name(past, administrator):
    found = rehearsed(administrator, changes=[{"kind": "hold hosts", "hosts": ["gone-01"]}])
    assert found["state"] == "failed" and "gone-01 is not in the fleet any more" in found["detail"]


def test_one_that_is_cancelled_stays_so_and_one_that_runs_begins_again_after_a_restart(past, administrator):
    number = administrator.post("/api/v1/rehearsals/", WHOLE, format="json").json()["id"]
    Rehearsal.objects.filter(pk=number).update(state="running")
    restart_rehearsals()
    assert Rehearsal.objects.get(pk=number).state == "waiting"
    waiting = _next()
    assert administrator.delete(f"/api/v1/rehearsals/{number}/").status_code == 409
    assert administrator.post(f"/api/v1/rehearsals/{number}/cancel/").json()["state"] == "cancelled"
    async_to_sync(run)(waiting)
    assert Rehearsal.objects.get(pk=number).state == "cancelled"
    assert administrator.post(f"/api/v1/rehearsals/{number}/cancel/").status_code == 409
    assert administrator.delete(f"/api/v1/rehearsals/{number}/").status_code == 204


def test_what_was_sent_before_the_stretch_and_worked_in_it_counts(fleet, administrator):
    import_past(SERVER, "elsewhere", [record(1, 0, minutes=120), record(2, 1.5)])
    after_an_hour = {
        "since": (MONDAY + timedelta(hours=1)).isoformat(),
        "until": (MONDAY + timedelta(hours=2)).isoformat(),
    }
    found = asked(administrator, "plan/use/", **after_an_hour)
    assert found["runs"] == 2 and found["slot_hours"] == pytest.approx(1 + 601 / 3600)
    small = {"kind": "set slots", "hosts": ["curlew-01"], "slots": 1}
    gone = {"kind": "retire hosts", "hosts": ["curlew-02"]}
    row = rehearsed(administrator, changes=[small, gone], **after_an_hour)["result"]["pipelines"][0]
    assert row["after"]["longest"] == pytest.approx(30 * 60 + 1, abs=2), (
        "the first one has the only slot at the beginning"
    )


def test_hosts_that_left_and_terms_that_mean_nothing_are_counted(past, administrator):
    import_past(SERVER, "elsewhere", [record(10_000 + n, n, host="gone-01") for n in range(9)])
    Rehearsal.objects.create(name="x", asked_by="x", asked_at=timezone.now(), since=MONDAY, until=timezone.now())
    _, open_points, _ = question_of(Rehearsal.objects.get())
    assert open_points["departed"] == {"gone-01": 9}


# ---- costs ---------------------------------------------------------------------------------------------------------


def test_only_what_was_entered_is_counted(past, administrator):
    def costs():
        return asked(administrator, "plan/costs/", **STRETCH)

    assert costs()["unknown"] == 2 and costs()["month"] == 0 and costs()["slot_hour"]["used"] is None
    administrator.put(
        "/api/v1/plan/settings/", {"energy_price": 0.3, "currency": "EUR", "rented_per_hour": 0.5}, format="json"
    )
    administrator.post(
        "/api/v1/plan/costs/", {"host": "curlew-01", "price": 2400, "years": 4, "room": 10}, format="json"
    )
    found = costs()
    assert found["month"] == pytest.approx(60) and found["unknown"] == 1
    assert found["slot_hour"]["used"] == pytest.approx(60 / found["hosts"][0]["used_per_month"])
    assert found["rented_month"] == pytest.approx(found["hosts"][0]["used_per_month"] * 0.5)
    assert found["break_even_hours"] == pytest.approx(120)
    administrator.post("/api/v1/plan/costs/", {"paddock": "shoreline", "is_rented": True, "per_hour": 2}, format="json")
    assert costs()["unknown"] == 0
    for one in costs()["entered"]:
        assert administrator.delete(f"/api/v1/plan/costs/{one['id']}/").status_code == 204
    assert costs()["unknown"] == 2
    for wrong in (
        {},
        {"host": "curlew-01", "paddock": "shoreline"},
        {"host": "moon"},
        {"host": "curlew-01", "price": -1},
    ):
        assert administrator.post("/api/v1/plan/costs/", wrong, format="json").status_code == 400
