"""The rules of retention as the core's values."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from paddock_core.retention import RecordKind, RetentionRule, rule_for

from . import models


def retention_rules() -> list[RetentionRule]:
    """All of them."""
    return [
        RetentionRule(
            RecordKind(one.kind), one.days, one.keep_last, one.paddock.name if one.paddock else "", one.pipeline
        )
        for one in models.RetentionRule.objects.select_related("paddock")
    ]


def files_retained_until(
    rules: Sequence[RetentionRule], ended_at: datetime, paddock: str, pipeline: str
) -> datetime | None:
    """The earliest time at which the logs and files of a run are removed; None if they stay forever."""
    days = rule_for(rules, RecordKind.FILES, paddock, pipeline).days
    return ended_at + timedelta(days=days) if days else None
