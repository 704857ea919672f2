"""Takes in what a host's watch reports, and answers whether the watch may start the agent's service.

A watch has a key with which it can report on its own host, and nothing else. What it says is not believed where it
cannot be: such a report is refused, and the refusal is found.
"""

from __future__ import annotations

import time
from datetime import timedelta
from typing import Any

import msgspec
from django.utils import timezone

from paddock_agent import wire
from paddock_agent.wire import as_plain
from paddock_core.link_state import Link
from paddock_core.standby.power import Power

from ...changes import announce
from ...errors import Invalid
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import Actor
from ...storage import action
from ...toolchains.catalogue import signing_key
from .. import reevaluation, watches
from ..events import PowerDownRefused, power_down_refused
from ..models import Health, ServiceChange
from .record_anomaly import record_anomaly

MAX_LINE_LENGTH, MAX_LINES = 300, 10
MAX_RESTARTS = 1_000_000
ASKED_FOR = timedelta(minutes=5)
"""How long a person's wish to have the service started waits for the watch."""


def record_watch_report(host: Host, report: wire.WatchReport) -> wire.WatchAnswer:
    """Raises Invalid for a report that cannot be."""
    if why := why_impossible(host, report, time.time()):
        record_anomaly(host, "rejected_report", f"From {host.address or 'somewhere'}: {why}")
        raise Invalid(f"The report was not taken in: {why}")
    shown = _clipped(report)
    if shown.power_refused:
        _refuse_power_down(host, shown.power_refused)
    is_away = host.link != Link.CONNECTED
    needed = shown.state.running in ("stopped", "failed") and is_away
    if watches.note(host.pk, host.watch_digest or "", report) or needed or is_away or watches.is_asked(host.pk):
        return _take(host, shown, needed)
    return _with_power_order(host, wire.WatchAnswer(upgrade=watches.order_for(host.pk)))


@action
def _refuse_power_down(host: Host, why: str) -> None:
    """The host stays on: nothing more is ordered until it is decided again."""
    if host.power == Power.GOING_DOWN.value:
        power_down_refused.send(PowerDownRefused(host, why))


def _with_power_order(host: Host, answer: wire.WatchAnswer) -> wire.WatchAnswer:
    """The answer with the signed order to power down, if one waits for this watch and the host still shall."""
    number = watches.power_order_for(host.pk)
    if not number or host.power != Power.GOING_DOWN.value:
        return answer
    text = wire.power_order_text(host.name, number)
    signature = signing_key().sign(wire.signed_power_order(text)).signature.hex()
    return msgspec.structs.replace(answer, power_down=text, signature=signature)


def why_impossible(host: Host, report: wire.WatchReport, now: float) -> str:
    """Why a report cannot be true, "" where it can."""
    state = report.state
    if report.host.lower() != host.name.lower():
        return f"it reports on {report.host[:80]}, and its key is that of {host.name}."
    if not 0 <= state.restarts <= MAX_RESTARTS:
        return f"it tells of {state.restarts} restarts."
    if state.family != host.facts.get("os", state.family):
        return f"it speaks of a service of {state.family}, and the host is one of {host.facts['os']}."
    return watches.why_no_time(report, now)


def _clipped(report: wire.WatchReport) -> wire.WatchReport:
    """The report with lines that people can read: short, and without control characters."""
    state = report.state
    clean: dict[str, Any] = {
        name: _line(value) if isinstance(value, str) else value for name, value in vars(state).items()
    }
    shown = msgspec.structs.replace(
        report,
        why_absent=_line(report.why_absent),
        power_refused=_line(report.power_refused),
        evidence=report.evidence and msgspec.convert(as_plain(report.evidence), wire.Evidence),
        state=type(state)(
            **{
                **clean,
                "family": state.family,
                "running": state.running,
                "cause": state.cause,
                "evidence": tuple(_line(one) for one in state.evidence[-MAX_LINES:]),
            }
        ),
    )
    return shown


def _line(text: str) -> str:
    return "".join(letter if letter.isprintable() else " " for letter in text[:MAX_LINE_LENGTH])


@action
def _take(host: Host, report: wire.WatchReport, needed: bool) -> wire.WatchAnswer:
    health, _ = Health.objects.select_for_update().get_or_create(host=host)
    before = _state_word(health.report) if health.report else ""
    now = timezone.now()
    health.report, health.reported_at = msgspec.to_builtins(msgspec.structs.replace(report, evidence=None)), now
    word = _state_word(health.report)
    if report.started:
        health.started_at = now
        write(Actor(f"the watch of {host.name}", None), "started", "service", report.state.name, host.paddock.name)
    if word != before:
        health.state_since = now
        ServiceChange.objects.create(host=host, at=now, state=report.state.running, detail=_detail_of(report))
        announce("host", host.name, host.paddock.name)
    wanted = report.evidence is None and (watches.is_asked(host.pk) or host.link != Link.CONNECTED)
    if report.evidence is not None:
        _save_evidence(host, health, report.evidence)
    asked = health.start_asked_at is not None and health.start_asked_at > now - ASKED_FOR
    start = needed and host.paddock.watch_may_start and host.standing == Host.Standing.ADMITTED
    if asked and start:
        health.start_asked_at = None
    health.save()
    reevaluation.mark_dirty(host.name)
    order = watches.order_for(host.pk)
    return _with_power_order(host, wire.WatchAnswer(start=start, asked=asked and start, examine=wanted, upgrade=order))


def _save_evidence(host: Host, health: Health, evidence: wire.Evidence) -> None:
    """Keeps the evidence with the time, for the findings and for who asked."""
    health.evidence, health.examined_at = msgspec.to_builtins(evidence), timezone.now()
    if watches.is_asked(host.pk):
        watches.answered(host.pk)
        write(Actor(f"the watch of {host.name}", None), "examined", "host", host.name, host.paddock.name)
        announce("host", host.name, host.paddock.name)


def _state_word(report: dict[str, Any]) -> str:
    state = report["state"]
    return " ".join(str(state.get(name)) for name in ("running", "cause", "starts_at_boot")) + str(
        report.get("boot", "")
    )


def _detail_of(report: wire.WatchReport) -> str:
    return (report.why_absent or wire.diagnose(report.state).sentence)[:500]
