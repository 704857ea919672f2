from __future__ import annotations

from rest_framework import serializers

from .models import ATTEMPT_STATES, JOB_STATES, Attempt, Job


class BoundToolSerializer(serializers.Serializer):
    tool = serializers.CharField()
    version = serializers.CharField()
    path = serializers.CharField()
    home = serializers.CharField()
    plain = serializers.BooleanField()


class AttemptSerializer(serializers.ModelSerializer):
    host = serializers.CharField(source="host.name")
    state = serializers.ChoiceField(choices=ATTEMPT_STATES)
    tools = BoundToolSerializer(many=True)

    class Meta:
        model = Attempt
        fields = [
            "number",
            "host",
            "state",
            "account",
            "folder",
            "tools",
            "exit_code",
            "note",
            "offered_at",
            "started_at",
            "ended_at",
        ]
        read_only_fields = fields  # fmt: skip


class JobSerializer(serializers.ModelSerializer):
    """``reason`` says in a sentence why the job waits; "" once it does not. ``reason_term`` is the position of the term
    that no host meets, where it is one term's fault."""

    state = serializers.ChoiceField(choices=JOB_STATES)
    terms = serializers.ListField(child=serializers.CharField())
    attempts = AttemptSerializer(many=True)

    class Meta:
        model = Job
        fields = [
            "id",
            "name",
            "pipeline",
            "state",
            "reason",
            "reason_kind",
            "reason_term",
            "reason_nearest",
            "terms",
            "priority",
            "time_limit",
            "retries_left",
            "cancel_asked",
            "submitted_at",
            "submitted_by",
            "started_at",
            "ended_at",
            "attempts",
        ]
        read_only_fields = fields  # fmt: skip


class JobSheetSerializer(JobSerializer):
    """A job with its script."""

    class Meta(JobSerializer.Meta):
        fields = [*JobSerializer.Meta.fields, "script", "shell"]
        read_only_fields = fields


class SubmitSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=100)
    pipeline = serializers.CharField(max_length=100)
    terms = serializers.ListField(child=serializers.CharField(max_length=1000, allow_blank=True), max_length=1000)
    script = serializers.CharField(max_length=200_000, trim_whitespace=False)
    shell = serializers.CharField(max_length=40, default="", allow_blank=True)
    priority = serializers.IntegerField(min_value=-100, max_value=100, default=0)
    time_limit = serializers.IntegerField(min_value=0, max_value=7 * 24 * 3600, default=0)
    retries = serializers.IntegerField(min_value=0, max_value=10, default=0)
