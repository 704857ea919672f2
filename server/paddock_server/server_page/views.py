from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Any

from django.conf import settings
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_core.retention import RecordKind, RetentionRule

from .. import __version__
from ..housekeeping.actions.ask_backup import ask_backup
from ..housekeeping.models import BackupRun
from ..housekeeping.rules import retention_rules
from ..housekeeping.running import RunningBackup
from ..housekeeping.schedule import backup_schedule, next_backup
from ..people.actor import Actor, person
from ..people.models import Role
from ..process import connections
from ..process.pulse import Pulse, PulseStep
from ..process.state import part
from ..rest.reading import validated
from ..retention.actions.save_rules import checked, save_rules
from ..retention.preview import preview
from .growth import growth
from .serializers import RetentionPreviewSerializer, RetentionSerializer, ServerSerializer

SHOWN_BACKUPS = 20
PULSE_GROUP, SINGLE_STEPS = 5, 60
"""Minutes per point of the chart. Within the first SINGLE_STEPS minutes of a server, each minute is a point."""


def _administrator(request: Request, what: str) -> Actor:
    actor = person(request.user)
    actor.demand(Role.ADMINISTRATOR, None, what)
    return actor


class ServerView(APIView):
    """The server itself: its health, its growth, its backups."""

    @extend_schema(responses=ServerSerializer)
    def get(self, request: Request) -> Response:
        """As it is now."""
        _administrator(request, "Looking at the server")
        pulse = part(Pulse)
        shown = {
            "version": __version__,
            "began_at": datetime.fromtimestamp(pulse.began, UTC),
            "url": settings.PUBLIC_URL,
            "data_folder": str(settings.DATA),
            "agents": connections.number(),
            "browsers": pulse.browsers,
            "pulse": _in_groups(list(pulse.steps)),
            "growth": growth(timezone.now()),
            "backups": _backups(),
        }
        return Response(ServerSerializer(shown).data)


def _in_groups(steps: list[PulseStep]) -> list[dict[str, Any]]:
    """The worst of every few minutes. The groups end with the newest step."""
    size = 1 if len(steps) <= SINGLE_STEPS else PULSE_GROUP
    groups = [steps[max(0, end - size) : end] for end in range(len(steps), 0, -size)]
    return [
        {
            "at": datetime.fromtimestamp(group[-1].at, UTC),
            "delay": max(one.delay for one in group),
            "dispatch": max(one.dispatch for one in group),
            "queue": max(one.queue for one in group),
            "commits": sum(one.commits for one in group),
        }
        for group in reversed(groups)
    ]


def _backups() -> dict[str, Any]:
    schedule = backup_schedule()
    return {
        "folder": str(schedule.folder) if schedule else "",
        "hours": schedule.interval.total_seconds() / 3600 if schedule else 0.0,
        "keep": schedule.keep if schedule else 0,
        "has_keys": bool(schedule and schedule.passphrase_file),
        "next_at": next_backup(schedule, timezone.now()) if schedule else None,
        "running_since": part(RunningBackup).began_at,
        "runs": BackupRun.objects.all()[:SHOWN_BACKUPS],
    }


class BackupView(APIView):
    """A backup now."""

    @extend_schema(request=None, responses={202: ServerSerializer})
    def post(self, request: Request) -> Response:
        """It begins at once; the server's page shows when it is done."""
        ask_backup(person(request.user))
        return Response(ServerView().get(request).data, status=202)


class RetentionView(APIView):
    """How long records stay."""

    @extend_schema(responses=RetentionSerializer)
    def get(self, request: Request) -> Response:
        """All rules."""
        _administrator(request, "Looking at retention")
        return _rules(retention_rules())

    @extend_schema(request=RetentionSerializer, responses=RetentionSerializer)
    def put(self, request: Request) -> Response:
        """Replace all rules. Expired records are removed within an hour."""
        save_rules(person(request.user), _read(request))
        return _rules(retention_rules())


class RetentionPreviewView(APIView):
    """What rules would remove."""

    @extend_schema(request=RetentionSerializer, responses=RetentionPreviewSerializer)
    def post(self, request: Request) -> Response:
        """Counts what these rules would remove now, and changes nothing."""
        _administrator(request, "Looking at retention")
        rules = _read(request)
        checked(rules)
        return Response(RetentionPreviewSerializer({"removes": preview(rules, timezone.now())}).data)


def _read(request: Request) -> list[RetentionRule]:
    given = validated(RetentionSerializer, request)["rules"]
    return [RetentionRule(**{**one, "kind": RecordKind(one["kind"])}) for one in given]


def _rules(rules: Iterable[RetentionRule]) -> Response:
    return Response(RetentionSerializer({"rules": list(rules)}).data)
