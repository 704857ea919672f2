"""Writes docs/data-model.md from the models: ``.venv/bin/python tools/data_model.py``. A test compares the two."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from pathlib import Path

import django
from django.apps import apps
from django.db import models

TARGET = Path(__file__).parent.parent / "docs" / "data-model.md"
HEAD = """# Data model

The tables of the server's SQLite database, written from the models by `tools/data_model.py`; a test compares them.
Next to the database are files: logs in `logs/`, collected files in `outputs/`, and keys (see [Security](security.md)).
Every action writes through one connection, in one transaction (see [Architecture](architecture.md)).
"""
JSON_TYPES = {
    "standby.StandbyPolicy.days": "list of days of the week, 0 for Monday; empty for all",
    "standby.StandbyPolicy.terms": "list of terms",
    "standby.Wake.jobs": "list of numbers of jobs",
    "standby.Wake.tried": "list of {what, at}",
    "planning.PastDay.left_out": "{why: number of runs}",
    "planning.Rehearsal.changes": "list of changes: kind, and its fields",
    "planning.Rehearsal.pipelines": "list of names of pipelines",
    "planning.Rehearsal.result": "what the rehearsal found (core planning/question.py)",
    "bring_up.BringUp.labels": "list of labels",
    "bring_up.ReportedStep.checks": "list of the preflight's checks: name, mark, found, why, remedy",
    "bring_up.ReportedStep.remedy": "list of commands",
    "chores.Chore.paddocks": "list of names of paddocks",
    "chores.Chore.wanted": "list of terms",
    "chores.ChoreHost.changed": "list of sentences",
    "chores.ChoreHost.missing": "list of terms",
    "chores.ChoreRun.wanted": "list of terms",
    "health.Finding.evidence": "list of {text, at}",
    "health.Finding.hosts": "list of names of hosts",
    "health.Finding.possible": "list of {sentence, command}",
    "health.Finding.remedy": "{sentence, commands, action}",
    "health.Health.anomalies": "{kind: {at, sentence, logged}}",
    "health.Health.disk_trend": "fields of `core.trend.Trend`",
    "health.Health.evidence": "`wire.Evidence` of the last examination",
    "health.Health.power_evidence": "list of {what, at}: how it was woken or powered down",
    "health.Health.refused_versions": "list of {version, at, why}",
    "health.Health.report": "`wire.WatchReport`",
    "health.WatchedService.tried": "{verb, why, remedy, at} of the last start or stop",
    "hosts.EntryPass.labels": "list of labels",
    "hosts.Host.asked_labels": "list of labels",
    "hosts.Host.broken": "list of `wire.Broken`",
    "hosts.Host.cannot": "list of `wire.FailedParts`: what the agent's trial could not do",
    "hosts.Host.details": "`wire.Details` of the last survey",
    "hosts.Host.facts": "`wire.Facts` of the last connection",
    "hosts.Host.labels": "list of labels",
    "hosts.Host.looked_for": "list of names of tools",
    "hosts.Host.services": "list of names of services",
    "hosts.Paddock.networks": "list of networks (CIDR)",
    "hosts.Paddock.pipelines": "list of patterns of pipelines",
    "hosts.Paddock.services": "list of names of services",
    "logbook.Entry.details": "{name: value}; {name: {from, to}} for a change",
    "maintenance.MaintenanceTime.held": "list of keys of hosts",
    "maintenance.MaintenanceWindow.ahead": "list of wall times (ISO 8601) in the window's zone",
    "maintenance.MaintenanceWindow.moved": 'list of [the start by the rule or "", start, end]',
    "maintenance.MaintenanceWindow.left_out": "list of wall times (ISO 8601) in the window's zone",
    "notifications.NotificationRule.codes": "list of codes of findings, empty for all",
    "notifications.NotificationRule.paddocks": "list of names of paddocks, empty for all",
    "notifications.NotificationRule.quiet_days": "list of weekdays, 0 is Monday",
    "people.Identity.groups": "list of names of groups",
    "people.Token.paddocks": "list of names of paddocks",
    "pipeline_secrets.PipelineSecret.paddocks": "list of names of paddocks, or `*`",
    "pipeline_secrets.PipelineSecret.pipelines": "list of patterns of pipelines",
    "rollout.Rollout.hours": "{start, end, days, zone}: minutes after midnight, weekdays from 0 for Monday",
    "rollout.Rollout.waves": "list of sizes, as 5 or 25%",
    "rollout.RolloutHost.evidence": "list of lines from the host",
    "toolchains.Kit.labels": "list of labels",
    "toolchains.Kit.terms": "list of terms",
    "toolchains.Installation.also": "list of paths",
    "toolchains.SurveyChange.after": "{property: text}",
    "toolchains.SurveyChange.before": "{property: text}",
    "toolchains.Trial.broken": "list of `wire.Broken`",
    "toolchains.Trial.found": "list of `wire.Installation`",
    "work.Attempt.facts": "`wire.Facts` of the host at the time",
    "work.Attempt.leftover_processes": "list of `wire.LeftoverProcess`",
    "work.Attempt.tools": "list of bound installations: tool, version, path, home",
    "work.Attempt.variable_names": "list of names",
    "work.Attempt.variable_values": "{name: text}",
    "work.Job.after": "list of numbers of jobs",
    "work.Job.environment": "{name: text}",
    "work.Job.let_in": "list of names of paddocks",
    "work.Job.outputs": "list of patterns of files",
    "work.Job.paddocks": "list of names of paddocks, empty for all",
    "work.Job.prefers": "list of terms",
    "work.Job.reason_places": "list of names of paddocks",
    "work.Job.secrets": "list of names of secrets",
    "work.Job.steps": "list of steps, as the pipeline file has them",
    "work.Job.terms": "list of terms",
    "work.Job.tests": "list of patterns of files",
}
"""What each JSON field holds. A field without an entry fails the test."""


def document() -> str:
    return "\n".join([HEAD, "## Relations\n", *_relations(), *(line for room in _rooms() for line in _room(*room))])


def missing_types() -> set[str]:
    """JSON fields without a description, and descriptions without a field."""
    names = {f"{model._meta.label}.{field.name}" for _, found in _rooms() for model in found
             for field in model._meta.local_fields if isinstance(field, models.JSONField)}  # fmt: skip
    return names ^ set(JSON_TYPES)


def _rooms() -> Iterator[tuple[str, list[type[models.Model]]]]:
    for config in sorted(apps.get_app_configs(), key=lambda one: one.name):
        found = sorted(config.get_models(), key=lambda model: model.__name__)
        if config.name.startswith("paddock_server.") and found:
            yield config.label, found


def _relations() -> list[str]:
    """Each model with those that it points to."""
    lines = []
    for _, found in _rooms():
        for model in found:
            targets = [
                f"{field.related_model.__name__} ({field.name}{'' if not field.null else ', optional'})"
                for field in (*model._meta.local_fields, *model._meta.local_many_to_many)
                if field.related_model and isinstance(field.related_model, type)
            ]
            if targets:
                lines.append(f"    {model.__name__:18} → {', '.join(targets)}")
    return [*lines, ""]


def _room(name: str, found: list[type[models.Model]]) -> list[str]:
    lines = [f"## {name}", ""]
    for model in found:
        about = " ".join((model.__doc__ or "").split("\n\n")[0].split())
        own = not about.startswith(f"{model.__name__}(")
        lines += [f"### {model.__name__} (`{model._meta.db_table}`)", "", *([about, ""] if own else [])]
        lines += ["| field | type |", "|---|---|"]
        lines += [f"| `{field.name}` | {_type(model, field)} |" for field in model._meta.local_fields]
        lines += [
            f"| `{field.name}` | list of {field.related_model.__name__} |"  # type: ignore[union-attr]
            for field in model._meta.local_many_to_many
        ]
        lines.append("")
    return lines


def _type(model: type[models.Model], field: models.Field) -> str:  # type: ignore[type-arg]
    if isinstance(field, models.JSONField):
        kind = JSON_TYPES.get(f"{model._meta.label}.{field.name}", "")
    elif field.related_model and isinstance(field.related_model, type):
        kind = field.related_model.__name__
    else:
        kind = field.get_internal_type().removesuffix("Field")
        if field.choices:
            kind += f": {', '.join(str(value) for value, _ in field.choices if value)}"  # type: ignore[misc]
    marks = [mark for mark, is_so in (("key", field.primary_key), ("unique", field.unique and not field.primary_key),
                                      ("may be null", field.null)) if is_so]  # fmt: skip
    return kind + (f" ({', '.join(marks)})" if marks else "")


def main() -> int:
    TARGET.write_text(document())
    if missing := missing_types():
        print(f"JSON_TYPES of tools/data_model.py does not fit: {', '.join(sorted(missing))}.")
    return 1 if missing_types() else 0


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "paddock_server.settings")
    django.setup()
    sys.exit(main())
