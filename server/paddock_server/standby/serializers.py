from __future__ import annotations

from datetime import time
from typing import Any

from rest_framework import serializers

from paddock_core.standby.decide import SETTLE_SECONDS

from ..hosts.models import POWER_CHOICES, Host
from ..people.models import Role
from ..rest.zones import demand_zone
from .models import MODES, WAKE_WAYS, PowerSettings, StandbyPolicy, Wake

MAX_WATTS = 100_000
MAX_SECONDS = 30 * 86_400


class ClockField(serializers.RegexField):
    """A time of day as 22:30."""

    def __init__(self, **named: Any) -> None:
        super().__init__(r"^([01][0-9]|2[0-3]):[0-5][0-9]$", **named)

    def to_representation(self, value: time) -> str:  # type: ignore[override]
        return f"{value:%H:%M}"


class HostNameField(serializers.CharField):
    """A host by its name; null for none."""

    def to_representation(self, value: Host) -> str:  # type: ignore[override]
        return value.name


class PowerSettingsSerializer(serializers.ModelSerializer[PowerSettings]):
    """How a host is woken, and whether the server may power it down. ``hardware`` is "" for the address that its agent
    reported; watts are null where they were not entered. ``controller_password`` is written only; without it the one
    before stays. ``refused`` says why the controller is not asked any more, until these settings are saved with a
    password."""

    way = serializers.ChoiceField(choices=WAKE_WAYS, required=False)
    hardware = serializers.CharField(max_length=40, allow_blank=True, required=False)
    watts = serializers.FloatField(min_value=0, max_value=MAX_WATTS, allow_null=True, required=False)
    watts_asleep = serializers.FloatField(min_value=0, max_value=MAX_WATTS, allow_null=True, required=False)

    controller = serializers.CharField(max_length=300, allow_blank=True, required=False)
    controller_user = serializers.CharField(max_length=100, allow_blank=True, required=False)
    controller_password = serializers.CharField(
        max_length=200, allow_blank=True, required=False, write_only=True, trim_whitespace=False
    )
    has_password = serializers.SerializerMethodField()
    certificate = serializers.CharField(max_length=20_000, allow_blank=True, required=False)
    system = serializers.CharField(max_length=100, allow_blank=True, required=False)
    script = serializers.CharField(max_length=20_000, allow_blank=True, required=False, trim_whitespace=False)
    script_host = HostNameField(max_length=63, allow_blank=True, allow_null=True, required=False)

    class Meta:
        model = PowerSettings
        fields = [
            "way", "hardware", "may_power_down", "watts", "watts_asleep", "measured_watts", "measured_watts_asleep",
            "measured_at", "controller", "controller_user", "controller_password", "has_password", "certificate",
            "system", "refused", "script", "script_host",
        ]  # fmt: skip
        read_only_fields = ["measured_watts", "measured_watts_asleep", "measured_at", "refused"]

    def get_has_password(self, settings: PowerSettings) -> bool:
        """Whether one is kept; it is never shown."""
        return bool(settings.controller_password)


class StandbyPolicySerializer(serializers.ModelSerializer[StandbyPolicy]):
    """What the server may do with the power of the hosts of ``place``, a paddock or a host. Times in seconds."""

    place = serializers.CharField(max_length=63, write_only=True)
    paddock = serializers.CharField(source="paddock.name", read_only=True)
    host = serializers.SerializerMethodField()
    mode = serializers.ChoiceField(choices=MODES)
    idle_seconds = serializers.IntegerField(min_value=10, max_value=MAX_SECONDS, default=1800)
    up_seconds = serializers.IntegerField(min_value=0, max_value=MAX_SECONDS, default=int(SETTLE_SECONDS))
    begins = ClockField(default="00:00")
    ends = ClockField(default="00:00")
    days = serializers.ListField(child=serializers.IntegerField(min_value=0, max_value=6), max_length=7, default=list)
    zone = serializers.CharField(max_length=64, default="UTC", validators=[demand_zone])
    terms = serializers.ListField(child=serializers.CharField(max_length=300), max_length=20, default=list)
    keep_awake = serializers.IntegerField(min_value=0, max_value=5000, default=0)
    keep_free = serializers.IntegerField(min_value=0, max_value=5000, default=0)
    wakers = serializers.ChoiceField(choices=Role.choices, default=Role.OPERATOR.value)

    class Meta:
        model = StandbyPolicy
        fields = [
            "id", "place", "paddock", "host", "mode", "idle_seconds", "up_seconds", "begins", "ends", "days", "zone",
            "terms", "keep_awake", "keep_free", "wakers", "changed_by", "changed_at",
        ]  # fmt: skip
        read_only_fields = ["id", "changed_by", "changed_at"]

    def get_host(self, policy: StandbyPolicy) -> str:
        """The one host, "" for the whole paddock."""
        return policy.host.name if policy.host else ""


class TrySerializer(serializers.Serializer[Any]):
    """Something that was done to wake the host; ``at`` in seconds since the epoch."""

    what = serializers.CharField()
    at = serializers.FloatField()


class WakeSerializer(serializers.ModelSerializer[Wake]):
    """One wake. ``worked`` is null until it is over."""

    jobs = serializers.ListField(child=serializers.IntegerField())
    tried = TrySerializer(many=True)

    class Meta:
        model = Wake
        fields = ["id", "at", "by", "jobs", "keeps", "returns", "tries", "tried", "ended_at", "worked"]
        read_only_fields = fields


class HostPowerSerializer(serializers.Serializer[Any]):
    """The power of a host. ``stays`` says why it cannot power down now, "" where it can; ``may_change`` is whether the
    person may wake it and power it down; ``hardware_known`` are the
    hardware addresses that its agent reported; ``wake_seconds`` is what a wake usually takes."""

    host = serializers.CharField(source="host.name")
    power = serializers.ChoiceField(choices=POWER_CHOICES, source="host.power")
    power_since = serializers.DateTimeField(source="host.power_since", allow_null=True)
    power_cause = serializers.CharField(source="host.power_cause", allow_blank=True)
    wake_seconds = serializers.FloatField(source="host.wake_seconds")
    settings = PowerSettingsSerializer()
    policy = StandbyPolicySerializer(allow_null=True)
    mode = serializers.ChoiceField(choices=MODES)
    stays = serializers.CharField(allow_blank=True)
    may_change = serializers.BooleanField()
    hardware_known = serializers.ListField(child=serializers.CharField())
    wakes = WakeSerializer(many=True)


class SavedSerializer(serializers.Serializer[Any]):
    """Energy is null where no host's watts are known, money where no prices were entered."""

    asleep_hours = serializers.FloatField()
    kilowatt_hours = serializers.FloatField(allow_null=True)
    money = serializers.FloatField(allow_null=True)
    waited_minutes = serializers.FloatField()
    wakes = serializers.IntegerField()
    failed = serializers.IntegerField()


class SleeperSerializer(serializers.Serializer[Any]):
    """A host that may sleep, with what standby saved on it in the last 30 days."""

    host = serializers.CharField(source="host.name")
    paddock = serializers.CharField(source="host.paddock.name")
    power = serializers.ChoiceField(choices=POWER_CHOICES, source="host.power")
    power_since = serializers.DateTimeField(source="host.power_since", allow_null=True)
    power_cause = serializers.CharField(source="host.power_cause", allow_blank=True)
    wake_seconds = serializers.FloatField(source="host.wake_seconds")
    mode = serializers.ChoiceField(choices=MODES)
    saved = SavedSerializer()


class MonthSavedSerializer(serializers.Serializer[Any]):
    month = serializers.CharField(help_text="As 2026-11.")
    saved = SavedSerializer()


class StandbySerializer(serializers.Serializer[Any]):
    """Standby at a glance. ``currency`` is that of Plan, "" without prices. ``short`` are the paddocks whose policy
    keeps more hosts awake than there are, with how many are missing."""

    sleepers = SleeperSerializer(many=True)
    months = MonthSavedSerializer(many=True)
    currency = serializers.CharField(allow_blank=True)
    short = serializers.DictField(child=serializers.IntegerField())


class WakeForSurveySerializer(serializers.Serializer[Any]):
    """Which hosts to wake, so that they are surveyed."""

    hosts = serializers.ListField(child=serializers.CharField(max_length=63), min_length=1, max_length=500)


class WokenSerializer(serializers.Serializer[Any]):
    """The hosts that are being woken."""

    hosts = serializers.ListField(child=serializers.CharField())
