"""The rules of retention as the core's values."""

from __future__ import annotations

from datetime import datetime, timedelta

from paddock_core.retention import Kind, RetentionRule, rule_for

from . import models


def retention_rules() -> list[RetentionRule]:
    """All of them."""
    return [
        RetentionRule(Kind(one.kind), one.days, one.keep_last, one.paddock.name if one.paddock else "", one.pipeline)
        for one in models.RetentionRule.objects.select_related("paddock")
    ]


def files_retained_until(ended_at: datetime, paddock: str, pipeline: str) -> datetime | None:
    """When the logs and files of a run may go at the soonest; None where they stay for ever."""
    days = rule_for(retention_rules(), Kind.FILES, paddock, pipeline).days
    return ended_at + timedelta(days=days) if days else None
