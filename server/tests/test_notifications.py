"""Notifications: which rule sends what and when, the messages, their signatures, and receivers that do not
answers."""

from __future__ import annotations

import asyncio
import json
from datetime import UTC, datetime, timedelta
from email import message_from_bytes
from email.utils import parsedate_to_datetime

import pytest
from django.utils import timezone
from people import a_person
from processes import free_port
from prometheus_client.openmetrics.parser import text_string_to_metric_families

from paddock_server.health.models import Finding
from paddock_server.notifications import sending
from paddock_server.notifications.actions.deliver import MAX_TRIES, note_failure, note_sent, prepare
from paddock_server.notifications.actions.queue import due_at, queue
from paddock_server.notifications.models import Delivery, NotificationRule
from paddock_server.notifications.sending import NotSent, Outgoing, send
from paddock_server.people.actions.make_token import make_token
from paddock_server.people.actor import COMMAND_LINE
from paddock_server.people.models import Role
from paddock_server.sealing import unseal
from paddock_server.webhooks import SIGNATURE, TIMESTAMP, signed
from paddock_standins.receivers import SECRET, verdict


def finding(code="clock-off", severity="urgent", host="knot-01", paddock="shoreline", **more):
    now = timezone.now()
    return Finding.objects.create(
        key=f"{code} {host}", code=code, title="The clock is off", severity=severity,
        sentence="It is 95 seconds ahead.",
        since=now, opened_at=now, hosts=[host], paddock=paddock, evidence=[{"text": "+95 s", "at": 0}],
        remedy={"sentence": "Set it.", "commands": ["timedatectl set-ntp true"], "action": ""}, **more,
    )  # fmt: skip


@pytest.fixture
def rule(administrator):
    def make(**more):
        body = {"name": f"rule {NotificationRule.objects.count()}", "kind": "mail",
        "target": "office@saltmarsh.example",
                "gather_seconds": 0, **more}  # fmt: skip
        answer = administrator.post("/api/v1/notification-rules/", body, format="json")
        assert answer.status_code == 201, answer.content
        return NotificationRule.objects.get(pk=answer.json()["id"])

    return make


@pytest.mark.parametrize(
    ("wanted", "is_covered"),
    [
        ({}, True),
        ({"severity": "urgent"}, True),
        ({"paddocks": ["orchard"]}, False),
        ({"paddocks": ["shoreline"]}, True),
        ({"codes": ["disk-full"]}, False),
        ({"codes": ["clock-off"]}, True),
        ({"is_on": False}, False),
    ],
)
def test_a_rule_covers_the_findings_that_it_names(rule, wanted, is_covered):
    rule(**wanted)
    queue(finding(), "opened")
    assert Delivery.objects.exists() is is_covered


def test_less_severe_ones_are_not_told(rule):
    rule(severity="soon")
    queue(finding(severity="note"), "opened")
    assert not Delivery.objects.exists()


def test_what_is_found_together_is_told_together_and_what_is_over_is_not_told(rule):
    rule(gather_seconds=60)
    first, second, over = finding(host="knot-01"), finding(host="knot-02"), finding(host="knot-03")
    for one in (first, second, over):
        queue(one, "opened")
    queue(over, "closed")
    (delivery,) = Delivery.objects.all()
    message = prepare(delivery.pk)
    assert message.subject == "urgent: The clock is off, knot-01 and 1 more"
    assert "knot-03" not in message.body
    for text in ("It is 95 seconds ahead.", "+95 s", "timedatectl set-ntp true"):
        assert text in message.body


def test_nothing_is_sent_where_nothing_is_left_to_tell(rule):
    rule(gather_seconds=60)
    gone = finding()
    queue(gone, "opened")
    queue(gone, "closed")
    assert prepare(Delivery.objects.get().pk) is None
    assert Delivery.objects.get().state == "not needed"
    aside = finding(code="disk-full", acknowledged_at=timezone.now())
    Delivery.objects.all().delete()
    queue(aside, "opened")
    assert prepare(Delivery.objects.get().pk) is None


def test_a_trouble_that_comes_and_goes_is_told_once_an_hour(rule):
    rule()
    queue(finding(), "opened")
    note_sent(prepare(Delivery.objects.get().pk).pk)
    Finding.objects.update(closed_at=timezone.now())
    queue(finding(), "opened")
    assert Delivery.objects.count() == 1
    Delivery.objects.get().items.update(at=timezone.now() - timedelta(hours=2))
    queue(Finding.objects.filter(closed_at=None).get(), "opened")
    assert Delivery.objects.count() == 2


def test_the_end_is_told_to_those_who_heard_of_the_beginning(rule):
    rule()
    one = finding()
    queue(one, "closed")
    assert not Delivery.objects.exists()
    queue(one, "opened")
    note_sent(prepare(Delivery.objects.get().pk).pk)
    queue(one, "closed")
    message = prepare(Delivery.objects.filter(state="waiting").get().pk)
    assert message.subject == "Over: The clock is off, knot-01"


@pytest.mark.parametrize(
    ("hour", "severity", "goes_out"),
    [(12, "soon", 12), (22, "soon", 30), (3, "soon", 6), (22, "urgent", 22), (6, "soon", 6)],
)
def test_quiet_hours(rule, hour, severity, goes_out):
    rule = rule(quiet_from=20 * 60, quiet_to=6 * 60, quiet_days=list(range(7)), zone="Etc/GMT-2")
    # Etc/GMT-2 is two hours ahead of UTC.
    now = datetime(2026, 11, 18, tzinfo=UTC) + timedelta(hours=hour - 2)
    due = due_at(rule, now, severity)
    assert (due - datetime(2026, 11, 18, tzinfo=UTC)) / timedelta(hours=1) + 2 == goes_out


def test_a_message_that_does_not_arrive_is_tried_again_and_given_up_at_last(rule, administrator):
    rule()
    queue(finding(), "opened")
    pk = Delivery.objects.get().pk
    waits = []
    for _ in range(MAX_TRIES):
        prepare(pk)
        note_failure(pk, "no answer")
        waits.append((Delivery.objects.get().due_at - timezone.now()).total_seconds())
    assert waits[:4] == [pytest.approx(seconds, abs=2) for seconds in (15, 30, 60, 120)]
    (shown,) = administrator.get("/api/v1/notification-rules/").json()["deliveries"]
    assert (shown["state"], shown["tries"], shown["trouble"]) == ("given up", MAX_TRIES, "no answer")
    assert prepare(pk) is None
    again = administrator.post(f"/api/v1/deliveries/{pk}/send-again/").json()
    assert (again["state"], again["tries"]) == ("waiting", 0)


def test_the_secret_of_a_webhook_is_shown_once_and_signs(administrator, tmp_path):
    body = {"name": "mast", "kind": "webhook", "target": "https://chat.saltmarsh.example/hook"}
    made = administrator.post("/api/v1/notification-rules/", body, format="json").json()
    assert made["secret"].startswith("paddock-webhook-")
    assert made["secret"] not in administrator.get("/api/v1/notification-rules/").content.decode()
    assert made["secret"] not in repr(list(NotificationRule.objects.values())), "it is sealed in the database"
    assert unseal("webhook mast", bytes(NotificationRule.objects.get().sealed)) == made["secret"]
    (tmp_path / SECRET).write_text(made["secret"])
    sent = b'[{"specversion":"1.0"}]'
    headers = {name.lower(): value for name, value in signed(sent, made["secret"], "12.20310504", 1000.0).items()}
    assert verdict(tmp_path, headers, sent, 1010.0) == 202
    assert verdict(tmp_path, headers, sent + b" ", 1010.0) == 401
    assert verdict(tmp_path, headers, sent, 5000.0) == 401
    assert verdict(tmp_path, {**headers, SIGNATURE.lower(): "sha256=0"}, sent, 1010.0) == 401
    assert verdict(tmp_path, {**headers, TIMESTAMP.lower(): "1001"}, sent, 1010.0) == 401


def test_a_webhook_gets_cloudevents(rule):
    rule(kind="webhook", target="https://chat.saltmarsh.example/hook")
    one = finding()
    queue(one, "opened")
    (event,) = json.loads(prepare(Delivery.objects.get().pk).body)
    assert event["specversion"] == "1.0"
    assert event["type"] == "yellow-paddock.finding.opened"
    assert event["id"] == f"{one.pk}-opened"
    assert {"source", "time", "subject"} <= set(event)
    assert event["data"]["remedy"]["commands"] == ["timedatectl set-ntp true"]


@pytest.mark.parametrize(
    ("more", "says"),
    [
        ({"target": "nobody"}, "not an e-mail address"),
        ({"kind": "webhook", "target": "ftp://x"}, "must start with http"),
        ({"kind": "webhook", "target": "http://me:secret@x/"}, "Remove the user name and password"),
        ({"zone": "Mars/Olympus"}, "not a time zone"),
        ({"quiet_from": 60}, "a start and an end"),
        ({"quiet_from": 60, "quiet_to": 60, "quiet_days": [0, 1, 2, 3, 4, 5, 6]}, "for ever"),
        ({"codes": ["sunshine"]}, "not a valid choice"),
        ({"gather_seconds": 1e6}, "3600"),
    ],
)
def test_a_wrong_rule_is_said(administrator, more, says):
    body = {"name": "x", "kind": "mail", "target": "office@saltmarsh.example", **more}
    answer = administrator.post("/api/v1/notification-rules/", body, format="json")
    assert (answer.status_code, says in answer.json()["detail"]) == (400, True), answer.content


def test_only_administrators_say_who_is_told(operator, viewer, rule):
    rule = rule()
    body = {"name": "y", "kind": "mail", "target": "office@saltmarsh.example"}
    assert operator.post("/api/v1/notification-rules/", body, format="json").status_code == 403
    assert operator.post(f"/api/v1/notification-rules/{rule.pk}/try-out/").status_code == 403
    assert operator.delete(f"/api/v1/notification-rules/{rule.pk}/").status_code == 403
    assert viewer.get("/api/v1/notification-rules/").status_code == 403
    assert operator.get("/api/v1/notification-rules/").status_code == 200


def test_changing_and_removing_a_rule(administrator, rule):
    rule = rule()
    path = f"/api/v1/notification-rules/{rule.pk}/"
    assert administrator.patch(path, {"is_on": False, "name": "other"}, format="json").json()["is_on"] is False
    assert NotificationRule.objects.get().name == rule.name
    assert administrator.patch(path, {"target": "nobody"}, format="json").status_code == 400
    assert administrator.post(f"{path}try-out/").json()["subject"] == "Test message from Yellow Paddock"
    assert administrator.delete(path).status_code == 204
    assert not Delivery.objects.exists()


@pytest.fixture
async def listener():
    """A receiver that does what the test says with each connection; gives its port and what it heard."""
    heard: list[bytes] = []

    class Place:
        port = 0
        answer: bytes | None = b"HTTP/1.1 204 No Content\r\nContent-Length: 0\r\n\r\n"

    async def attend(reader, writer):
        head = await reader.readuntil(b"\r\n\r\n")
        length = int(head.lower().partition(b"content-length: ")[2].split(b"\r")[0])
        heard.append(head + await reader.readexactly(length))
        if Place.answer is None:
            await reader.read()  # never answers
        else:
            writer.write(Place.answer)
        writer.close()

    server = await asyncio.start_server(attend, "127.0.0.1", 0)
    Place.port = server.sockets[0].getsockname()[1]
    Place.heard = heard
    yield Place
    server.close()


async def test_a_webhook_is_called(listener):
    await send(Outgoing("webhook", f"http://127.0.0.1:{listener.port}/hook", "", "[]", "1.1", secret="s3"))
    assert b"POST /hook" in listener.heard[0]
    assert b"application/cloudevents-batch+json" in listener.heard[0]
    assert b"\r\npaddock-signature: sha256=" in listener.heard[0].lower()


@pytest.mark.parametrize(
    ("answer", "says"),
    [
        (None, "did not answer within"),
        (b"HTTP/1.1 500 No\r\nContent-Length: 0\r\n\r\n", "answered 500"),
        (b"HTTP/1.1 302 Away\r\nLocation: http://elsewhere/\r\nContent-Length: 0\r\n\r\n", "answered 302"),
        (b"nonsense\r\n\r\n", "could not be reached"),
    ],
)
async def test_a_webhook_that_does_not_do_as_it_should(listener, monkeypatch, answer, says):
    if answer is None:
        monkeypatch.setattr(sending, "TIMEOUT_SECONDS", 0.3)
    listener.answer = answer
    with pytest.raises(NotSent, match=says):
        await send(Outgoing("webhook", f"http://127.0.0.1:{listener.port}/", "", "[]", "1.1"))


async def test_no_mail_server_is_said(settings):
    settings.SMTP = ""
    with pytest.raises(NotSent, match="PADDOCK_SMTP"):
        await send(Outgoing("mail", "office@saltmarsh.example", "s", "b", "1.1"))
    settings.SMTP = "smtp://127.0.0.1:9"
    with pytest.raises(NotSent, match="rejected the message"):
        await send(Outgoing("mail", "office@saltmarsh.example", "s", "b", "1.1"))


async def test_a_mail_arrives_as_it_was_written(settings, tmp_path):
    from aiosmtpd.controller import Controller

    from paddock_standins.receivers import Mailbox

    port = free_port()
    mail = Controller(Mailbox(tmp_path), hostname="127.0.0.1", port=port)
    mail.start()
    try:
        settings.SMTP = f"smtp://127.0.0.1:{port}"
        body = "Größe: 95 s\n.\nend\n\n<b>\n    rm -rf '/x'\n"
        await send(
            Outgoing("mail", "office@saltmarsh.example", "urgent: The clock is off", body, "7.20310504", (3, 9, 3))
        )
    finally:
        mail.stop()
    (kept,) = tmp_path.glob("*-mail.eml")
    got = message_from_bytes(kept.read_bytes())
    assert (got["To"], got["Subject"]) == ("office@saltmarsh.example", "urgent: The clock is off")
    text, html = (part.get_payload(decode=True).decode() for part in got.get_payload())
    assert text.replace("\r\n", "\n") == body
    assert "<strong>Größe: 95 s</strong><br>.<br>end" in html
    assert "<strong>&lt;b&gt;</strong>" in html
    assert "rm -rf &#x27;/x&#x27;</code>" in html
    assert got["Message-ID"] == "<7.20310504@localhost>"
    assert got["References"] == "<finding-3@localhost> <finding-9@localhost>"
    assert abs(parsedate_to_datetime(got["Date"]) - timezone.now()) < timedelta(minutes=1)


def test_metrics_are_openmetrics_and_want_a_token(client, new_host):
    new_host("knot-01")
    a_person("meter", Role.VIEWER)
    token = make_token(COMMAND_LINE, "meter", "metrics")[1]
    assert client.get("/metrics").status_code == 401
    answer = client.get("/metrics", headers={"authorization": f"Bearer {token}"})
    assert answer["Content-Type"].startswith("application/openmetrics-text")
    families = {one.name: one for one in text_string_to_metric_families(answer.content.decode())}
    hosts = families["paddock_hosts"].samples
    assert [(one.labels, one.value) for one in hosts] == [({"paddock": "shoreline", "link": "connected"}, 1.0)]
    wanted = {"paddock_slots", "paddock_jobs_waiting", "paddock_findings", "paddock_heartbeat_gap_seconds",
              "paddock_dispatch_round_seconds"}  # fmt: skip
    assert wanted <= set(families)


def test_metrics_want_a_role_everywhere(client, shoreline):
    a_person("local", Role.ADMINISTRATOR, shoreline)
    token = make_token(COMMAND_LINE, "local", "metrics")[1]
    refused = client.get("/metrics", headers={"authorization": f"Bearer {token}"})
    assert (refused.status_code, "viewer" in refused.json()["detail"]) == (403, True)
