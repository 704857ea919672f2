from __future__ import annotations

from typing import Any

from rest_framework import serializers

from paddock_core.retention import MAX_DAYS, MAX_KEEP_LAST

from ..housekeeping.models import KINDS, BackupRun, StorageSample


class PulseStepSerializer(serializers.Serializer[Any]):
    """The worst of a few minutes. ``delay`` and ``dispatch`` in seconds."""

    at = serializers.DateTimeField()
    delay = serializers.FloatField()
    dispatch = serializers.FloatField()
    queue = serializers.IntegerField()
    commits = serializers.IntegerField()


class StorageSampleSerializer(serializers.ModelSerializer[StorageSample]):
    """Bytes."""

    class Meta:
        model = StorageSample
        fields = ["at", "database", "logs", "outputs", "free", "total"]
        read_only_fields = fields


class BackupRunSerializer(serializers.ModelSerializer[BackupRun]):
    """A backup that was made, or why it was not. ``asked_by`` is empty for the schedule."""

    class Meta:
        model = BackupRun
        fields = ["id", "began_at", "ended_at", "folder", "size", "files", "has_keys", "trouble", "asked_by"]
        read_only_fields = fields


class BackupsSerializer(serializers.Serializer[Any]):
    """The schedule, as the settings have it, and the last backups. Without a ``folder`` there is no schedule."""

    folder = serializers.CharField()
    hours = serializers.FloatField()
    keep = serializers.IntegerField()
    has_keys = serializers.BooleanField()
    next_at = serializers.DateTimeField(allow_null=True)
    running_since = serializers.DateTimeField(allow_null=True)
    runs = BackupRunSerializer(many=True)


class GrowthSerializer(serializers.Serializer[Any]):
    """One sample a day. Rates in bytes a day, over the last week. ``full_at`` is the forecast with its interval."""

    samples = StorageSampleSerializer(many=True)
    database_rate = serializers.FloatField(allow_null=True)
    logs_rate = serializers.FloatField(allow_null=True)
    outputs_rate = serializers.FloatField(allow_null=True)
    full_at = serializers.DateTimeField(allow_null=True)
    full_soonest = serializers.DateTimeField(allow_null=True)
    full_latest = serializers.DateTimeField(allow_null=True)


class ServerSerializer(serializers.Serializer[Any]):
    """The server itself."""

    version = serializers.CharField()
    began_at = serializers.DateTimeField()
    url = serializers.CharField()
    data_folder = serializers.CharField()
    agents = serializers.IntegerField()
    browsers = serializers.IntegerField()
    pulse = PulseStepSerializer(many=True)
    growth = GrowthSerializer()
    backups = BackupsSerializer()


class RetentionRuleSerializer(serializers.Serializer[Any]):
    """``days`` 0 keeps forever; ``paddock`` and ``pipeline`` are empty for all."""

    kind = serializers.ChoiceField(choices=KINDS)
    days = serializers.IntegerField(min_value=0, max_value=MAX_DAYS)
    keep_last = serializers.IntegerField(min_value=0, max_value=MAX_KEEP_LAST, default=0)
    paddock = serializers.CharField(max_length=63, allow_blank=True, default="")
    pipeline = serializers.CharField(max_length=100, allow_blank=True, default="")


class RetentionSerializer(serializers.Serializer[Any]):
    """All rules. The most specific one wins."""

    rules = RetentionRuleSerializer(many=True)


class WouldRemoveSerializer(serializers.Serializer[Any]):
    """``rule`` is the place of the rule, from 0. ``bytes`` are of logs and files."""

    rule = serializers.IntegerField()
    records = serializers.IntegerField()
    bytes = serializers.IntegerField()
    oldest_at = serializers.DateTimeField(allow_null=True)


class RetentionPreviewSerializer(serializers.Serializer[Any]):
    """What the rules would remove at this moment."""

    removes = WouldRemoveSerializer(many=True)
