"""Standby through the API and its loop: who sleeps, who wakes for which job, and what is said when it fails."""

from __future__ import annotations

import msgspec
import pytest
from django.utils import timezone
from placing import end, placed, submit
from sleeping import NETWORK, ask, later, make_sleeper, now_asleep, power, seen

from paddock_agent import wire
from paddock_core.link_state import Link, LinkEvent
from paddock_server.health import watches
from paddock_server.health.actions.record_watch_report import record_watch_report
from paddock_server.health.models import Health, PowerChange
from paddock_server.health.observed_fleet import SeenFleet
from paddock_server.health.queries import availabilities
from paddock_server.hosts.models import Host, Paddock
from paddock_server.logbook.models import Entry
from paddock_server.people.actor import SERVER
from paddock_server.process import connections
from paddock_server.standby import loop
from paddock_server.standby.actions.power_down import begin_power_down, why_it_stays
from paddock_server.standby.actions.record_woken import record_woken
from paddock_server.standby.actions.save_power import save_policy, save_power_settings
from paddock_server.standby.models import PowerSettings, Wake, WakeWay
from paddock_server.standby.targets import target_of
from paddock_server.standby.ways import WAYS, Tried
from paddock_server.work.models import Job
from paddock_server.work.round import run_round


@pytest.fixture
def sleeper(new_host, shoreline):
    return make_sleeper(new_host, shoreline)


# ---- going down ----------------------------------------------------------------------------------------------------


def test_an_idle_host_goes_down_by_its_policy_and_is_no_trouble(sleeper, viewer):
    loop.decide_now()
    assert power(sleeper) == "going down"
    assert "idle for" in PowerChange.objects.get().cause
    seen(sleeper, LinkEvent.SHUTDOWN)
    assert power(sleeper) == "asleep"
    shown = viewer.get("/api/v1/hosts/curlew-04/").json()
    assert (shown["readiness"], shown["conditions"][0]["detail"]) == (
        "asleep", "asleep on purpose: it can be woken",
    )  # fmt: skip
    assert [one.code for one in SeenFleet().look(timezone.now().timestamp() + 9000)] == []
    assert Entry.objects.filter(verb="noted as asleep", thing="curlew-04").exists()


def test_the_watch_gets_the_order_signed_and_only_while_the_host_shall_go(sleeper):
    begin_power_down(sleeper, "for the test")
    change = PowerChange.objects.get()
    assert watches.power_order_for(sleeper.pk) == change.pk
    watches.set_power_orders({})
    loop.remember_orders()
    assert watches.power_order_for(sleeper.pk) == change.pk, "also after a restart of the server"
    seen(sleeper, LinkEvent.SHUTDOWN)
    assert watches.power_order_for(sleeper.pk) == 0


@pytest.mark.parametrize("trouble", ["job", "not allowed", "no watch", "old agent", "lost", "upgrade"])
def test_what_keeps_a_host_on_is_said(sleeper, administrator, operator, trouble, monkeypatch):
    if trouble == "job":
        placed(administrator, sleeper)
    elif trouble == "not allowed":
        PowerSettings.objects.update(may_power_down=False)
    elif trouble == "no watch":
        Health.objects.all().delete()
    elif trouble == "old agent":
        connections.of(sleeper.pk).protocol = 6
    elif trouble == "lost":
        seen(sleeper, LinkEvent.SOCKET_CLOSED)
    else:
        monkeypatch.setattr(watches, "order_for", lambda host: 1)
    answer = ask(operator, sleeper, "power-down")
    assert answer.status_code == 409 and "curlew-04" in answer.json()["detail"]
    assert why_it_stays(Host.objects.get()) == answer.json()["detail"]
    assert power(sleeper) == "on"


def test_a_host_that_shall_go_gets_no_job(sleeper, administrator, operator):
    assert ask(operator, sleeper, "power-down").json()["power"] == "going down"
    job = submit(administrator).json()
    run_round()
    job = Job.objects.get(pk=job["id"])
    assert (job.state, "going down" in job.reason) == ("waiting", True)


def test_one_that_does_not_go_stays_on_with_a_finding(sleeper, monkeypatch):
    begin_power_down(sleeper, "for the test")
    later(monkeypatch, 301)
    loop.give_up_overdue()
    assert power(sleeper) == "on"
    (finding,) = [one for one in SeenFleet().look(timezone.now().timestamp()) if "power" in one.code]
    assert finding.code == "does-not-power-down" and "for the test" in finding.evidence[0].text


def test_a_watch_that_refuses_says_why_and_is_not_asked_again(sleeper):
    begin_power_down(sleeper, "for the test")
    report = msgspec.convert(Health.objects.get().report, wire.WatchReport)
    report = msgspec.structs.replace(report, at=timezone.now().timestamp(), power_refused="An attempt\x1b runs: 7.1")
    assert record_watch_report(sleeper, report).power_down == ""
    assert (power(sleeper), "An attempt  runs: 7.1" in sleeper.power_cause) == ("on", True)
    (finding,) = [one for one in SeenFleet().look(timezone.now().timestamp()) if "power" in one.code]
    assert any("An attempt" in one.text for one in finding.evidence) or "An attempt" in finding.sentence
    loop.decide_now()
    assert power(sleeper) == "on", "not before it has been on for an hour again"
    record_watch_report(sleeper, report)
    assert PowerChange.objects.count() == 2, "a report that comes late changes nothing"


def test_a_host_that_somebody_shuts_down_is_no_sleeper(sleeper, new_host):
    seen(sleeper, LinkEvent.SHUTDOWN)
    assert (power(sleeper), "on the host itself" in sleeper.power_cause) == ("switched off", True)
    assert "agent-stopped" in [one.code for one in SeenFleet().look(timezone.now().timestamp())]
    other = new_host("knot-77")
    seen(other, LinkEvent.SHUTDOWN)
    assert power(other) == "on", "of hosts that the server never powers down nothing is noted"


# ---- waking --------------------------------------------------------------------------------------------------------


def test_a_waiting_job_wakes_what_it_needs_and_says_so(sleeper, administrator, monkeypatch):
    now_asleep(sleeper)
    job = submit(administrator).json()
    run_round()
    loop.decide_now()
    assert power(sleeper) == "waking"
    wake = Wake.objects.get()
    assert (wake.jobs, wake.by) == ([job["id"]], "the server")
    run_round()
    row = Job.objects.get(pk=job["id"])
    assert row.reason == "curlew-04 is being woken and can run it: usually up in 2 minutes."
    assert row.reason_kind == "a host is being woken"
    loop.decide_now()
    assert Wake.objects.count() == 1, "a host that wakes is not woken again"
    later(monkeypatch, 70)
    seen(sleeper, LinkEvent.HELLO)
    wake.refresh_from_db()
    assert (power(sleeper), wake.worked) == ("on", True)
    assert sleeper.wake_seconds == pytest.approx(70, abs=5), "what a wake takes is learnt"


def test_tries_have_their_time_and_then_it_counts_no_more(sleeper, administrator, operator, monkeypatch):
    now_asleep(sleeper)
    assert ask(operator, sleeper, "wake").json()["power"] == "waking"
    assert loop.due_tries(timezone.now()) == [], "it is still on its way down"
    for seconds, tries in ((11, 1), (239, 0), (2, 1), (239, 0)):
        later(monkeypatch, seconds)
        due = loop.due_tries(timezone.now())
        assert len(due) == tries
        for row, chosen in due:
            assert (chosen.hardware, chosen.way) == ("", WakeWay.NETWORK)
            loop.note_tried(row, Tried(("The server sent a magic packet.",)))
        loop.give_up_overdue()
        assert power(sleeper) == "waking"
    later(monkeypatch, 2)
    loop.give_up_overdue()
    assert power(sleeper) == "does not wake"
    (finding,) = SeenFleet().look(timezone.now().timestamp())
    assert finding.code == "does-not-wake" and len(finding.evidence) == 2
    submit(administrator)
    loop.decide_now()
    assert power(sleeper) == "does not wake", "jobs do not count on it"
    assert ask(operator, sleeper, "count-again").json()["power"] == "asleep"
    loop.decide_now()
    assert power(sleeper) == "waking"
    assert ask(operator, sleeper, "count-again").status_code == 409


def test_the_next_host_wakes_when_the_first_does_not(sleeper, new_host, administrator):
    now_asleep(sleeper)
    other = new_host("curlew-05", sleeper.paddock)
    Host.objects.filter(pk=other.pk).update(power="asleep", link="stopped")
    submit(administrator)
    loop.decide_now()
    assert [power(sleeper), power(other)] == ["waking", "asleep"]
    loop.give_up_wake(Wake.objects.get())
    loop.decide_now()
    assert [power(sleeper), power(other)] == ["does not wake", "waking"]


def test_one_that_wakes_by_itself_is_recognized(sleeper):
    now_asleep(sleeper)
    seen(sleeper, LinkEvent.HELLO)
    assert (power(sleeper), "by itself" in sleeper.power_cause) == ("on", True)
    loop.decide_now()
    assert power(sleeper) == "on", "it stays on for an hour, whatever woke it"


def test_a_clock_that_is_set_back_stops_nothing(sleeper, operator, monkeypatch):
    now_asleep(sleeper)
    ask(operator, sleeper, "wake")
    later(monkeypatch, -7200)
    assert len(loop.due_tries(timezone.now())) == 1
    Host.objects.update(power="going down")
    loop.give_up_overdue()
    assert power(sleeper) == "on"


def test_only_hosts_that_the_job_may_use_wake(sleeper, administrator):
    now_asleep(sleeper)
    Paddock.objects.filter(name="shoreline").update(pipelines=["tide-*"])
    job = submit(administrator, terms=["label no-such"]).json()
    other = submit(administrator, pipeline="almanac-docs").json()
    loop.decide_now()
    assert power(sleeper) == "asleep", (job, other)


def test_a_host_that_is_on_cannot_be_woken_and_a_viewer_wakes_none(sleeper, operator, viewer):
    assert ask(operator, sleeper, "wake").status_code == 409
    now_asleep(sleeper)
    assert ask(viewer, sleeper, "wake").status_code == 403


# ---- the packet ----------------------------------------------------------------------------------------------------


def test_a_packet_goes_to_the_cards_of_the_host_and_a_neighbour_is_asked(sleeper, new_host, operator):
    near, far = new_host("knot-01"), new_host("knot-02")
    for host, broadcast in ((near, NETWORK["broadcast"]), (far, "10.9.0.255")):
        host.facts = {**host.facts, "networks": [{**NETWORK, "hardware": "52:54:00:00:00:01", "broadcast": broadcast}]}
        host.save()
    now_asleep(sleeper)
    ask(operator, sleeper, "wake")
    row = Wake.objects.select_related("host").get()
    target = target_of(row, PowerSettings())
    assert [card.hardware for card in target.cards] == [NETWORK["hardware"]]
    assert [one.name for one in target.neighbours] == ["knot-01"]
    entered = target_of(row, PowerSettings(hardware="52:54:00:99:99:99"))
    assert [(card.hardware, card.broadcasts) for card in entered.cards] == [("52:54:00:99:99:99", ("10.0.0.255",))]
    record_woken(near, wire.Woken(wake=row.pk))
    record_woken(far, wire.Woken(wake=row.pk, why="no route"))
    row.refresh_from_db()
    assert [one["what"] for one in row.tried] == ["knot-01 sent it.", "knot-02 could not send it: no route"]
    record_woken(near, wire.Woken(wake=row.pk + 1))


def test_a_host_whose_address_is_not_known_says_so(sleeper, operator):
    Host.objects.update(facts={})
    now_asleep(sleeper)
    ask(operator, sleeper, "wake")
    target = target_of(Wake.objects.select_related("host").get(), PowerSettings())
    assert "not known" in WAYS[WakeWay.NETWORK].wake(target).lines[0]
    assert "switch curlew-04 on" in WAYS[WakeWay.BY_HAND].wake(target).lines[0]


# ---- policies and what was saved -----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("body", "says"),
    [
        ({"place": "nowhere", "mode": "by hand"}, "no paddock or host"),
        ({"place": "shoreline", "mode": "sometimes"}, "valid choice"),
        ({"place": "shoreline", "mode": "when jobs wait", "up_seconds": 600}, "60 minutes"),
        ({"place": "shoreline", "mode": "by hand", "terms": ["tool jdk >>"]}, "/terms"),
        ({"place": "shoreline", "mode": "by hand", "zone": "Moon/Base"}, "No time zone"),
        ({"place": "curlew-04", "mode": "by hand", "keep_awake": 1}, "for a paddock"),
        ({"place": "shoreline", "mode": "by hand", "days": [7]}, "less than or equal"),
        ({"place": "shoreline", "mode": "by hand", "begins": "24:00"}, "pattern"),
    ],
)
def test_a_policy_that_cannot_be_is_refused(sleeper, administrator, body, says):
    answer = administrator.post("/api/v1/standby-policies/", body, format="json")
    assert (answer.status_code, says in answer.content.decode()) == (400, True), answer.content


def test_the_policy_of_a_host_decides_before_that_of_its_paddock(sleeper, administrator):
    body = {"place": "curlew-04", "mode": "never", "begins": "22:00", "ends": "06:30"}
    made = administrator.post("/api/v1/standby-policies/", body, format="json")
    assert (made.status_code, made.json()["host"]) == (201, "curlew-04")
    assert (made.json()["begins"], made.json()["ends"]) == ("22:00", "06:30")
    loop.decide_now()
    assert power(sleeper) == "on"
    assert len(administrator.get("/api/v1/standby-policies/").json()["results"]) == 2
    assert administrator.delete(f"/api/v1/standby-policies/{made.json()['id']}/").status_code == 204
    loop.decide_now()
    assert power(sleeper) == "going down"


def test_a_policy_by_which_hosts_sleep_is_not_removed(sleeper, administrator):
    now_asleep(sleeper)
    (policy,) = administrator.get("/api/v1/standby-policies/").json()["results"]
    answer = administrator.delete(f"/api/v1/standby-policies/{policy['id']}/")
    assert answer.status_code == 409 and "curlew-04" in answer.json()["detail"]


def test_a_rule_that_keeps_more_awake_than_there_are_wakes_all(sleeper, administrator):
    now_asleep(sleeper)
    save_policy(SERVER, "shoreline", {"mode": "when jobs wait", "keep_awake": 5, "terms": []})
    loop.decide_now()
    assert power(sleeper) == "waking"
    assert Wake.objects.get().keeps == "shoreline"


@pytest.mark.parametrize(
    "hardware", ["12:34", "ff:ff:ff:ff:ff:ff", "00:00:00:00:00:00", "01:00:5e:00:00:01", "drop table"]
)
def test_an_address_that_no_card_has_is_refused(sleeper, administrator, hardware):
    answer = administrator.put("/api/v1/hosts/curlew-04/power/", {"hardware": hardware}, format="json")
    assert answer.status_code == 400
    answer = administrator.put("/api/v1/hosts/curlew-04/power/", {"hardware": "52-54-00-AB-CD-EF"}, format="json")
    assert answer.json()["settings"]["hardware"] == "52:54:00:ab:cd:ef"


def test_what_standby_saved_is_counted(sleeper, administrator, viewer, monkeypatch):
    save_power_settings(SERVER, sleeper, {"watts": 100.0, "watts_asleep": 4.0})
    now_asleep(sleeper)
    later(monkeypatch, 7200)
    submit(administrator)
    loop.decide_now()
    later(monkeypatch, 90)
    seen(sleeper, LinkEvent.HELLO)
    sleeper.link = Link.CONNECTED.value
    attempt = run_and_start(sleeper)
    found = viewer.get("/api/v1/standby/").json()
    (row,) = found["sleepers"]
    assert row["saved"]["asleep_hours"] == pytest.approx(2.0, abs=0.01)
    assert row["saved"]["kilowatt_hours"] == pytest.approx(0.192, abs=0.001)
    assert row["saved"]["waited_minutes"] == pytest.approx(1.5, abs=0.1)
    assert (row["saved"]["wakes"], row["saved"]["failed"]) == (1, 0)
    assert found["months"][-1]["saved"]["asleep_hours"] == pytest.approx(2.0, abs=0.01)
    window = availabilities([sleeper], timezone.now())[sleeper.pk]["day"]
    assert window.losses == 0
    end(sleeper, attempt)


def run_and_start(host):
    run_round()
    attempt = Job.objects.get().attempts.get()
    attempt.started_at = timezone.now()
    attempt.save()
    return attempt
