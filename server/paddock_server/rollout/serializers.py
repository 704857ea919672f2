from __future__ import annotations

from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from paddock_core.rollout import RolloutInvalid, wave_size

from ..hosts.models import LINK_CHOICES
from .models import ROLLOUT_STATES, RULE_FIELDS, STEPS, Rollout, RolloutHost

DAY_MINUTES = 24 * 60


class HeldVersionSerializer(serializers.Serializer[Any]):
    """A version of the agent that this server holds: ``protocol`` is the version of the link that it speaks."""

    version = serializers.CharField()
    protocol = serializers.IntegerField()
    requires_python = serializers.CharField(allow_blank=True)
    changes = serializers.CharField(allow_blank=True)


class VersionCountSerializer(serializers.Serializer[Any]):
    version = serializers.CharField()
    hosts = serializers.IntegerField()


class PaddockVersionsSerializer(serializers.Serializer[Any]):
    """How many hosts of a paddock run which version, newest first."""

    paddock = serializers.CharField()
    follows = serializers.BooleanField()
    versions = serializers.SerializerMethodField()

    @extend_schema_field(VersionCountSerializer(many=True))
    def get_versions(self, shown: Any) -> list[dict[str, Any]]:
        return [{"version": version, "hosts": number} for version, number in shown.versions]


class HostBehindSerializer(serializers.Serializer[Any]):
    """A host whose agent is older than the newest. ``reason`` is why a rollout could not reach it, ``rollout`` the open
    one that it is in, 0 for none."""

    host = serializers.CharField()
    paddock = serializers.CharField()
    version = serializers.CharField()
    link = serializers.ChoiceField(choices=LINK_CHOICES)
    reason = serializers.CharField(allow_blank=True)
    rollout = serializers.IntegerField()


class VersionsSerializer(serializers.Serializer[Any]):
    """The versions of the agent over the yard. ``behind`` are the first 500 hosts that are, ``behind_count`` all."""

    held = HeldVersionSerializer(many=True)
    paddocks = PaddockVersionsSerializer(many=True)
    behind = HostBehindSerializer(many=True)
    behind_count = serializers.IntegerField()


class HoursSerializer(serializers.Serializer[Any]):
    """When hosts may begin: minutes after midnight in a zone, on weekdays (0 is Monday) on which the time starts."""

    start = serializers.IntegerField(min_value=0, max_value=DAY_MINUTES - 1)
    end = serializers.IntegerField(min_value=0, max_value=DAY_MINUTES - 1)
    days = serializers.ListField(
        child=serializers.IntegerField(min_value=0, max_value=6), min_length=1, max_length=7, default=list(range(7))
    )
    zone = serializers.CharField(max_length=64, default="UTC")

    def validate_zone(self, name: str) -> str:
        try:
            ZoneInfo(name)
        except (ZoneInfoNotFoundError, ValueError, OSError):
            raise serializers.ValidationError(f"No time zone is called {name}.") from None
        return name


class RulesSerializer(serializers.Serializer[Any]):
    """How a rollout goes. ``waves`` are sizes after the canaries, as "5" hosts or "25%" of all; times are in
    seconds. After ``stop_after`` hosts that went back no other begins, 0 for never."""

    waves = serializers.ListField(
        child=serializers.CharField(max_length=10), min_length=1, max_length=20, default=["100%"]
    )
    pause = serializers.IntegerField(min_value=0, max_value=30 * 86_400, default=0)
    per_paddock = serializers.IntegerField(min_value=1, max_value=5000, default=5)
    per_kind = serializers.IntegerField(min_value=1, max_value=5000, default=5)
    stop_after = serializers.IntegerField(min_value=0, max_value=5000, default=1)
    canaries = serializers.BooleanField(default=True)
    hours = HoursSerializer(allow_null=True, default=None)
    drain_limit = serializers.IntegerField(min_value=60, max_value=7 * 86_400, default=6 * 3600)
    proof_limit = serializers.IntegerField(min_value=10, max_value=3600, default=300)

    def validate_waves(self, waves: list[str]) -> list[str]:
        for text in waves:
            try:
                wave_size(text, 1)
            except RolloutInvalid as error:
                raise serializers.ValidationError(str(error)) from None
        return [text.strip() for text in waves]


class AskedRolloutSerializer(RulesSerializer):
    """A version, "" for the newest, and hosts: by name, by terms (a kit is a term: ``kit NAME``), or all of paddocks.
    Without any of them, all hosts."""

    version = serializers.CharField(max_length=60, allow_blank=True, default="")
    hosts = serializers.ListField(child=serializers.CharField(max_length=63), max_length=5000, default=list)
    terms = serializers.ListField(child=serializers.CharField(max_length=1000), max_length=20, default=list)
    paddocks = serializers.ListField(child=serializers.CharField(max_length=63), max_length=200, default=list)


class LeftOutSerializer(serializers.Serializer[Any]):
    host = serializers.CharField()
    reason = serializers.CharField()


class PlannedRolloutSerializer(serializers.Serializer[Any]):
    """What a rollout would do. The first of the ``waves`` are the canaries, which may be none."""

    version = serializers.CharField()
    waves = serializers.ListField(child=serializers.ListField(child=serializers.CharField()))
    left_out = LeftOutSerializer(many=True)
    needs_approval = serializers.ListField(child=serializers.CharField())


class RolloutHostSerializer(serializers.ModelSerializer[RolloutHost]):
    """One host. ``detail`` says why it went back, was left out or is unreachable, and what a waiting one waits for;
    ``evidence`` are lines from the host. ``proof`` is its proof job."""

    host = serializers.CharField(source="host.name")
    paddock = serializers.CharField(source="host.paddock.name")
    step = serializers.ChoiceField(choices=STEPS)
    detail = serializers.SerializerMethodField()
    evidence = serializers.ListField(child=serializers.CharField())
    working = serializers.SerializerMethodField()

    class Meta:
        model = RolloutHost
        fields = [
            "host", "paddock", "wave", "version", "before", "step", "detail", "evidence", "working", "proof",
            "begun_at", "switched_at", "connected_at", "surveyed_at", "ended_at",
        ]  # fmt: skip
        read_only_fields = fields

    @extend_schema_field(serializers.CharField(allow_blank=True))
    def get_detail(self, row: RolloutHost) -> str:
        waits: dict[str, str] = self.context.get("waits", {})
        return row.detail or waits.get(row.host.name, "")

    @extend_schema_field(serializers.ListField(child=serializers.CharField()))
    def get_working(self, row: RolloutHost) -> list[str]:
        """The jobs that a draining host still has to finish."""
        if row.step != "draining":
            return []
        live = row.host.attempts.filter(state__in=("offered", "running")).select_related("job")
        return [f"{one.job.name} (job {one.job_id})" for one in live]


class RolloutSerializer(serializers.ModelSerializer[Rollout]):
    """A rollout in a line: how many hosts are at which step. ``undoes`` is the rollout whose hosts it takes back."""

    state = serializers.ChoiceField(choices=ROLLOUT_STATES)
    counts = serializers.SerializerMethodField()

    class Meta:
        model = Rollout
        fields = [
            "id", "version", "undoes", "state", "reason", "chosen_by", "asked_by", "asked_at", "approved_by",
            "stopped_by", "ended_at", "counts",
        ]  # fmt: skip
        read_only_fields = fields

    @extend_schema_field(serializers.DictField(child=serializers.IntegerField()))
    def get_counts(self, rollout: Rollout) -> dict[str, int]:
        counts: dict[str, int] = {}
        for row in rollout.hosts.all():
            counts[row.step] = counts.get(row.step, 0) + 1
        return counts


class RolloutSheetSerializer(RolloutSerializer):
    """A rollout with its rules and hosts."""

    hosts = RolloutHostSerializer(many=True)
    waves = serializers.ListField(child=serializers.CharField())
    hours = HoursSerializer(allow_null=True)

    class Meta(RolloutSerializer.Meta):
        fields = [*RolloutSerializer.Meta.fields, *RULE_FIELDS, "hosts"]
        read_only_fields = fields
