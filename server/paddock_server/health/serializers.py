from __future__ import annotations

from typing import Any

from rest_framework import serializers

from paddock_core.findings.finding import Action
from paddock_core.vitals import NAMES

from .models import SEVERITIES, Finding, WatchedService

READING_CHOICES = [(name, name) for name in NAMES]
ACTION_CHOICES = [(one.value, one.value) for one in Action if one is not Action.NONE]


class EvidenceSerializer(serializers.Serializer[Any]):
    """One thing that was read or that happened; ``at`` is in seconds since the epoch, 0 where that says nothing."""

    text = serializers.CharField()
    at = serializers.FloatField()


class RemedySerializer(serializers.Serializer[Any]):
    """What to do, with commands for the host's own system; ``action`` is what the server can do itself, "" for
    nothing."""

    sentence = serializers.CharField()
    commands = serializers.ListField(child=serializers.CharField())
    action = serializers.ChoiceField(choices=ACTION_CHOICES, allow_blank=True)


class PossibilitySerializer(serializers.Serializer[Any]):
    """One of several causes that fit the evidence, with a command that tells it from the others."""

    sentence = serializers.CharField()
    command = serializers.CharField()


class FindingSerializer(serializers.ModelSerializer[Any]):
    """One diagnosed trouble. ``aside``: it is acknowledged or snoozed."""

    severity = serializers.ChoiceField(choices=SEVERITIES)
    evidence = EvidenceSerializer(many=True)
    remedy = RemedySerializer()
    possible = PossibilitySerializer(many=True)
    hosts = serializers.ListField(child=serializers.CharField())
    aside = serializers.BooleanField()

    class Meta:
        model = Finding
        fields = [
            "id",
            "code",
            "about",
            "title",
            "severity",
            "sentence",
            "since",
            "evidence",
            "remedy",
            "unknown",
            "possible",
            "hosts",
            "paddock",
            "opened_at",
            "closed_at",
            "acknowledged_by",
            "acknowledged_at",
            "note",
            "snoozed_until",
            "aside",
        ]
        read_only_fields = fields


class ExaminationSerializer(serializers.Serializer[Any]):
    """What a host's watch found when it examined the host: the doctor's report with the raw evidence. ``is_asked``:
    another one is on its way."""

    at = serializers.DateTimeField(allow_null=True)
    text = serializers.CharField(allow_blank=True)
    is_asked = serializers.BooleanField()


class FindingsSerializer(serializers.Serializer[Any]):
    findings = FindingSerializer(many=True)


class NoteSerializer(serializers.Serializer[Any]):
    note = serializers.CharField(max_length=1000, default="", allow_blank=True)


class SnoozeSerializer(NoteSerializer):
    until = serializers.DateTimeField()


class TryServiceSerializer(serializers.Serializer[Any]):
    name = serializers.CharField(max_length=200)
    verb = serializers.ChoiceField(choices=[("start", "start"), ("stop", "stop")])


class TriedSerializer(serializers.Serializer[Any]):
    """What came of starting or stopping a service last; ``why`` is "" where it was done."""

    verb = serializers.CharField(default="")
    why = serializers.CharField(default="")
    remedy = serializers.ListField(child=serializers.CharField(), default=list)
    at = serializers.DateTimeField(default=None)


class WatchedServiceSerializer(serializers.ModelSerializer[WatchedService]):
    tried = TriedSerializer()

    class Meta:
        model = WatchedService
        fields = ["name", "running", "detail", "since", "tried"]
        read_only_fields = fields


class WatchReportSerializer(serializers.Serializer[Any]):
    """The last report of a host's watch on its agent's service."""

    at = serializers.DateTimeField()
    service = serializers.CharField()
    running = serializers.CharField()
    start_type = serializers.CharField()
    starts_at_boot = serializers.BooleanField()
    account = serializers.CharField()
    restarts = serializers.IntegerField()
    uptime = serializers.FloatField()
    sentence = serializers.CharField()
    is_silent = serializers.BooleanField()


class AvailabilitySerializer(serializers.Serializer[Any]):
    """Of one window. ``share`` is the time connected of the time that it should have been, planned holds left out; null
    where it should have been at no time. Seconds otherwise."""

    share = serializers.FloatField(allow_null=True)
    connected = serializers.FloatField()
    wanted = serializers.FloatField()
    losses = serializers.IntegerField()
    between_losses = serializers.FloatField(allow_null=True)
    to_repair = serializers.FloatField(allow_null=True)


class WindowsSerializer(serializers.Serializer[Any]):
    day = AvailabilitySerializer()
    week = AvailabilitySerializer()
    month = AvailabilitySerializer()


class WatchedHostSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    paddock = serializers.CharField()
    link = serializers.CharField()
    is_flapping = serializers.BooleanField()
    availability = WindowsSerializer()
    watch = WatchReportSerializer(allow_null=True)
    services = WatchedServiceSerializer(many=True)


class WatchedPaddockSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    hosts = serializers.IntegerField()
    availability = WindowsSerializer()


class ForecastSerializer(serializers.Serializer[Any]):
    """A disk that fills up: ``read`` are pairs of when and bytes free; ``forecast`` has when, expected, lowest and
    highest. ``full_in`` and its bounds are seconds from now."""

    host = serializers.CharField()
    paddock = serializers.CharField()
    full_in = serializers.FloatField()
    full_soonest = serializers.FloatField()
    full_latest = serializers.FloatField()
    total = serializers.FloatField()
    read = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))
    forecast = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))


class RunningOutSerializer(serializers.Serializer[Any]):
    """A pass or certificate that ends within the next weeks."""

    what = serializers.CharField()
    name = serializers.CharField()
    paddock = serializers.CharField()
    ends_at = serializers.DateTimeField()


class WatchSerializer(serializers.Serializer[Any]):
    paddocks = WatchedPaddockSerializer(many=True)
    hosts = WatchedHostSerializer(many=True)
    forecasts = ForecastSerializer(many=True)
    running_out = RunningOutSerializer(many=True)


class SpanSerializer(serializers.Serializer[Any]):
    """From ``start`` to ``end``, in seconds since the epoch."""

    start = serializers.FloatField()
    end = serializers.FloatField()
    state = serializers.CharField()
    detail = serializers.CharField()


class JobSpanSerializer(SpanSerializer):
    job = serializers.IntegerField()


class FindingSpanSerializer(SpanSerializer):
    is_open = serializers.BooleanField()


class LaneSerializer(serializers.Serializer[Any]):
    """One service over time; the agent's own has no name."""

    name = serializers.CharField(allow_blank=True)
    spans = SpanSerializer(many=True)


class MomentSerializer(serializers.Serializer[Any]):
    at = serializers.FloatField()
    what = serializers.CharField()
    detail = serializers.CharField()


class WeekSerializer(serializers.Serializer[Any]):
    start = serializers.FloatField()
    end = serializers.FloatField()
    link = SpanSerializer(many=True)
    holds = SpanSerializer(many=True)
    services = LaneSerializer(many=True)
    jobs = JobSpanSerializer(many=True)
    tools = MomentSerializer(many=True)
    findings = FindingSpanSerializer(many=True)


class ReadingsSerializer(serializers.Serializer[Any]):
    """One reading over time: rows of when (seconds since the epoch), least, mean and most."""

    name = serializers.ChoiceField(choices=READING_CHOICES)
    unit = serializers.CharField()
    title = serializers.CharField()
    rows = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))
