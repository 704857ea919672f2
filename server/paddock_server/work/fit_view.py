from __future__ import annotations

from collections.abc import Collection, Sequence

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_core.fit import FitSheet, fit_sheet
from paddock_core.reasons import Remedies, funnel, why_waiting
from paddock_core.terms import Term

from ..hosts.queries import paddock_called
from ..hosts.serializers import READINESS_CHOICES
from ..people.actor import person
from ..people.models import Role
from .actions.submit import read_terms
from .fleet import fleet, terms_of
from .views import job_numbered


class FitRequestSerializer(serializers.Serializer):
    terms = serializers.ListField(child=serializers.CharField(max_length=1000, allow_blank=True), max_length=1000)
    paddock = serializers.CharField(max_length=63, required=False, allow_blank=True)


class VerdictSerializer(serializers.Serializer):
    term = serializers.CharField()
    holds = serializers.BooleanField()
    found = serializers.CharField(help_text="What is there instead, or what met the term; empty for nothing.")


class HostFitSerializer(serializers.Serializer):
    host = serializers.CharField()
    paddock = serializers.CharField()
    os = serializers.CharField()
    readiness = serializers.ChoiceField(choices=READINESS_CHOICES)
    fits = serializers.BooleanField()
    lacks = serializers.IntegerField(help_text="How many terms do not hold.")
    remedy = serializers.CharField(help_text="For a near fit: what would make it fit.")
    verdicts = VerdictSerializer(many=True)


class TermCountSerializer(serializers.Serializer):
    term = serializers.CharField()
    hosts = serializers.IntegerField(help_text="On how many admitted hosts the term holds.")


class FunnelStepSerializer(serializers.Serializer):
    name = serializers.CharField()
    left = serializers.IntegerField()
    term = serializers.IntegerField(allow_null=True)


class FitSerializer(serializers.Serializer):
    """The fit sheet: for every host each term's verdict, and for every term how many hosts meet it."""

    terms = TermCountSerializer(many=True)
    all_hosts = serializers.IntegerField(help_text="Admitted hosts that were looked at.")
    fits = serializers.IntegerField(help_text="How many of them meet every term.")
    reason = serializers.CharField(help_text="Why a job with these terms would wait, in a sentence.")
    reason_kind = serializers.CharField()
    reason_term = serializers.IntegerField(allow_null=True)
    reason_nearest = serializers.CharField()
    funnel = FunnelStepSerializer(many=True)
    hosts = HostFitSerializer(many=True)


def _sheet(terms: Sequence[Term], paddocks: Collection[str] | None) -> Response:
    sheet = fit_sheet(terms, fleet(paddocks))
    inside = FitSheet(sheet.terms, tuple(row for row in sheet.rows if row.host.is_admitted))
    reason, remedies = why_waiting(sheet), Remedies(sheet)
    shown = {
        "terms": [{"term": str(t), "hosts": n} for t, n in zip(terms, inside.counts, strict=True)],
        "all_hosts": len(inside.rows),
        "fits": len(inside.fitting),
        "reason": reason.sentence,
        "reason_kind": reason.kind.value,
        "reason_term": reason.term,
        "reason_nearest": reason.nearest or "",
        "funnel": [{"name": step.name, "left": step.left, "term": step.term} for step in funnel(sheet)],
        "hosts": [
            {
                "host": row.host.name,
                "paddock": row.host.paddock,
                "os": row.host.os,
                "readiness": row.host.readiness.value,
                "fits": row.fits,
                "lacks": row.lacks,
                "remedy": remedies.of(row),
                "verdicts": [
                    {"term": str(t), "holds": v.holds, "found": v.found}
                    for t, v in zip(terms, row.verdicts, strict=True)
                ],
            }
            for row in sheet.rows
        ],
    }
    # As FitSerializer describes it; going through it would cost more than all the rest for thousands of hosts.
    return Response(shown)


class FitView(APIView):
    """Try terms against the fleet, without submitting anything."""

    @extend_schema(request=FitRequestSerializer, responses=FitSerializer)
    def post(self, request: Request) -> Response:
        given = FitRequestSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        actor = person(request.user)
        paddocks = actor.where(Role.VIEWER)
        if name := given.validated_data.get("paddock"):
            paddocks = [paddock_called(actor, name).name]
        return _sheet(read_terms(given.validated_data["terms"]), paddocks)


class JobFitView(APIView):
    """The fit sheet of a job: which hosts could do it, and what the others lack."""

    @extend_schema(responses=FitSerializer)
    def get(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        job = job_numbered(actor, pk)
        seen = actor.where(Role.VIEWER)
        inside = job.paddocks or None
        if seen is not None:
            inside = [name for name in seen if inside is None or name in inside]
        return _sheet(terms_of(tuple(job.terms)), inside)
