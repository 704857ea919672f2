"""Takes in what a host reports of its upgrade, and answers what comes next. The host is not believed that it is proven:
the server alone decides that."""

from __future__ import annotations

from django.utils import timezone

from paddock_agent import wire
from paddock_core.rollout import AT_WORK, HostStep

from ...changes import announce
from ...errors import Invalid
from ...health.actions.record_anomaly import record_anomaly
from ...hosts.actions.hold import drain
from ...hosts.models import Host
from ...people.actor import SERVER
from ...storage import action
from ..models import RolloutHost
from ..orders import signed_order
from .roll_on import end, hold_reason, proof_failed

STEPS = {"installing": HostStep.INSTALLING, "draining": HostStep.DRAINING, "switched": HostStep.SWITCHED}
MAX_LINES = 20


def record_upgrade(host: Host, report: wire.UpgradeReport) -> wire.UpgradeAnswer:
    """Raises Invalid for an order that is not this host's, and for a report that cannot be."""
    row = RolloutHost.objects.select_related("rollout", "host__paddock", "proof").filter(
        pk=report.order, host=host
    ).first()  # fmt: skip
    if row is None:
        raise Invalid(f"{host.name} has no order {report.order} to upgrade.")
    if report.step == "proven" and row.step != HostStep.PROVEN.value:
        record_anomaly(host, "rejected_report", "It claims that its new version is proven.")
        raise Invalid("The server has not seen this version prove itself.")
    return _record(row, report)


@action
def _record(row: RolloutHost, report: wire.UpgradeReport) -> wire.UpgradeAnswer:
    row.refresh_from_db()
    is_open = HostStep(row.step) in AT_WORK or row.step == HostStep.UNREACHABLE.value
    if report.step in ("went back", "kept", "left out"):
        if is_open:
            _end(row, report)
        return wire.UpgradeAnswer()
    is_stopped = row.rollout.state in ("stopped", "turned down") or not is_open
    if report.step == "asked":
        if is_stopped:
            return wire.UpgradeAnswer(stop=True)
        _heard(row)
        text, signature = signed_order(row)
        return wire.UpgradeAnswer(order=text, signature=signature)
    if report.step == "proven" or row.step == HostStep.PROVEN.value:
        return wire.UpgradeAnswer(proven=True)
    step = STEPS.get(report.step)
    if step is None:
        raise Invalid(f"An upgrade has no step “{report.step[:40]}”.")
    if step is not HostStep.SWITCHED and is_stopped:
        return wire.UpgradeAnswer(stop=True)
    if not is_open:  # it was given up here, and went on there
        return wire.UpgradeAnswer(go_back=f"The server ended its upgrade: {row.step}. {row.detail}")
    _heard(row)
    if row.step != step.value:
        row.step, row.detail = step.value, ""
        if step is HostStep.SWITCHED:
            row.switched_at = timezone.now()
        row.save()
        _announce(row)
    if step is HostStep.DRAINING and not row.drained and not row.host.holding:
        drain(SERVER, row.host, hold_reason(row))
        row.drained = True
        row.save(update_fields=["drained"])
    return wire.UpgradeAnswer(go_back=proof_failed(row))


def _heard(row: RolloutHost) -> None:
    row.heard_at = timezone.now()
    row.save(update_fields=["heard_at"])


def _announce(row: RolloutHost) -> None:
    announce("rollout", row.rollout_id)
    announce("host", row.host.name, row.host.paddock.name)


def _end(row: RolloutHost, report: wire.UpgradeReport) -> None:
    row.evidence = [_line(line) for line in report.evidence[:MAX_LINES]]
    if report.step == "left out":
        end(row, HostStep.LEFT_OUT, report.why)
    elif report.step == "kept":
        end(row, HostStep.WENT_BACK, f"It kept {row.before or 'its version'}. {report.why}")
    else:
        end(row, HostStep.WENT_BACK, report.why)


def _line(text: str) -> str:
    return "".join(letter if letter.isprintable() else " " for letter in text[:300])
