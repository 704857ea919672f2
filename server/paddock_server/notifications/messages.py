"""The texts of messages: plain text for e-mail, CloudEvents for webhooks."""

from __future__ import annotations

import json
from collections.abc import Sequence
from datetime import datetime
from typing import Any

from django.conf import settings

from ..health.models import Finding
from .models import DeliveryItem

EVENT_TYPE = "yellow-paddock.finding"
BATCH_TYPE = "application/cloudevents-batch+json"


def subject_of(items: Sequence[DeliveryItem]) -> str:
    """The subject: the most urgent opened finding, and the number of others."""
    opened = [one.finding for one in items if one.event == "opened"]
    if not opened:
        first = items[0].finding
        rest = f" and {len(items) - 1} more" if len(items) > 1 else ""
        return _one_line(f"Over: {first.title}, {where(first)}{rest}")
    rest = f" and {len(opened) - 1} more" if len(opened) > 1 else ""
    return _one_line(f"{opened[0].severity}: {opened[0].title}, {where(opened[0])}{rest}")


def text_of(items: Sequence[DeliveryItem]) -> str:
    """The text of a mail."""
    parts = []
    for one in items:
        finding = one.finding
        if one.event == "closed":
            parts.append(f"OVER  {finding.title}: {where(finding)}\n  since {finding.since:%Y-%m-%d %H:%M} UTC")
            continue
        lines = [f"{finding.severity.upper()}  {finding.title}: {where(finding)}", f"  {finding.sentence}"]
        lines += [f"  - {evidence['text']}" for evidence in finding.evidence[:6]]
        lines += [f"  Remedy: {finding.remedy['sentence']}"]
        lines += [f"    {command}" for command in finding.remedy["commands"]]
        parts.append("\n".join(lines))
    if settings.PUBLIC_URL:
        parts.append(f"{settings.PUBLIC_URL.rstrip('/')}/")
    return "\n\n".join(parts) + "\n"


def events_of(items: Sequence[DeliveryItem]) -> list[dict[str, Any]]:
    """The same as CloudEvents 1.0 (JSON batch format)."""
    return [
        {
            "specversion": "1.0",
            "id": f"{one.finding_id}-{one.event}",
            "source": settings.PUBLIC_URL or "/yellow-paddock",
            "type": f"{EVENT_TYPE}.{one.event}",
            "subject": one.finding.key,
            "time": _time(one.at),
            "datacontenttype": "application/json",
            "data": data_of(one.finding),
        }
        for one in items
    ]


def data_of(finding: Finding) -> dict[str, Any]:
    """The finding itself."""
    return {
        "code": finding.code,
        "title": finding.title,
        "severity": finding.severity,
        "sentence": finding.sentence,
        "hosts": finding.hosts,
        "paddock": finding.paddock,
        "since": _time(finding.since),
        "evidence": finding.evidence,
        "remedy": finding.remedy,
    }


def body_of(items: Sequence[DeliveryItem]) -> str:
    """The body of a webhook."""
    return json.dumps(events_of(items), ensure_ascii=False)


def where(finding: Finding) -> str:
    """Which host, or what else it is about."""
    if len(finding.hosts) == 1:
        return str(finding.hosts[0])
    return finding.about or finding.paddock or "the fleet"


def _one_line(text: str) -> str:
    return " ".join(text.split())[:200]


def _time(moment: datetime) -> str:
    return moment.isoformat().replace("+00:00", "Z")
