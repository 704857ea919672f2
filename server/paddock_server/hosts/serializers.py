from __future__ import annotations

from rest_framework import serializers

from paddock_core.fleet import Readiness

from ..toolchains.models import Installation
from .models import LINK_CHOICES, NAME, EntryPass, Host, Paddock

READINESS_CHOICES = [(one.value, one.value) for one in Readiness]


class PaddockSerializer(serializers.ModelSerializer):
    name = serializers.CharField(max_length=63, validators=[NAME])
    hosts = serializers.IntegerField(read_only=True, source="living", default=0)

    class Meta:
        model = Paddock
        fields = ["name", "purpose", "hosts", "made_at"]


class PassSerializer(serializers.ModelSerializer):
    """A pass as it is listed: without its secret, which nobody has."""

    paddock = serializers.CharField(source="paddock.name", read_only=True)
    labels = serializers.ListField(child=serializers.CharField())
    hosts = serializers.SlugRelatedField("name", many=True, read_only=True)

    class Meta:
        model = EntryPass
        fields = ["id", "name", "paddock", "labels", "slots", "uses", "used", "ends_at", "revoked_at", "made_by",
                  "made_at", "hosts"]  # fmt: skip


class NewPassSerializer(PassSerializer):
    """A pass just made, with its secret: the only time that it is shown."""

    secret = serializers.CharField()

    class Meta(PassSerializer.Meta):
        fields = [*PassSerializer.Meta.fields, "secret"]


class MakePassSerializer(serializers.Serializer):
    paddock = serializers.CharField(max_length=63)
    name = serializers.CharField(max_length=100)
    hours = serializers.IntegerField(min_value=1, max_value=24 * 366, default=24)
    uses = serializers.IntegerField(min_value=1, max_value=10_000, default=1)
    labels = serializers.ListField(child=serializers.CharField(max_length=63), max_length=50, default=list)
    slots = serializers.IntegerField(min_value=0, max_value=1000, default=0)


class FactsSerializer(serializers.Serializer):
    """What the host itself is; sizes in bytes. ``kept_by`` is the service that keeps the agent running, "" for none."""

    os = serializers.CharField(default="")
    os_version = serializers.CharField(default="")
    os_name = serializers.CharField(default="")
    arch = serializers.CharField(default="")
    hostname = serializers.CharField(default="")
    user = serializers.CharField(default="")
    cores = serializers.IntegerField(default=0)
    memory = serializers.IntegerField(default=0)
    disk_total = serializers.IntegerField(default=0)
    disk_free = serializers.IntegerField(default=0)
    work_folder = serializers.CharField(default="")
    agent_version = serializers.CharField(default="")
    kept_by = serializers.CharField(default="")


class InstallationSerializer(serializers.ModelSerializer):
    class Meta:
        model = Installation
        fields = ["tool", "version", "path", "home", "plain", "evidence", "seen_since"]


class BrokenSerializer(serializers.Serializer):
    tool = serializers.CharField()
    path = serializers.CharField()
    why = serializers.CharField()


class PlateSerializer(serializers.ModelSerializer):
    """A host as its plate shows it. ``trace`` is the last 24 hours in 48 steps: ``-`` lost, ``.`` absent, else how busy
    from 0 to 9."""

    paddock = serializers.CharField(source="paddock.name")
    os = serializers.SerializerMethodField()
    arch = serializers.SerializerMethodField()
    link = serializers.ChoiceField(choices=LINK_CHOICES)
    working = serializers.IntegerField()
    trace = serializers.CharField()

    class Meta:
        model = Host
        fields = [
            "name",
            "paddock",
            "os",
            "arch",
            "standing",
            "link",
            "link_since",
            "holding",
            "slots",
            "working",
            "trace",
        ]

    def get_os(self, host: Host) -> str:
        return host.facts.get("os", "")

    def get_arch(self, host: Host) -> str:
        return host.facts.get("arch", "")


class HostSerializer(serializers.ModelSerializer):
    paddock = serializers.CharField(source="paddock.name")
    link = serializers.ChoiceField(choices=LINK_CHOICES)
    facts = FactsSerializer()
    labels = serializers.ListField(child=serializers.CharField())
    installations = InstallationSerializer(many=True)
    broken = BrokenSerializer(many=True)
    readiness = serializers.ChoiceField(choices=READINESS_CHOICES)
    working = serializers.IntegerField()
    joined_with = serializers.CharField(source="joined_with.name", default="")

    class Meta:
        model = Host
        fields = [
            "name", "paddock", "standing", "link", "link_since", "link_cause", "readiness", "holding", "hold_reason",
            "facts", "labels", "slots", "working", "surveyed_at", "installations", "broken", "address", "joined_at",
            "joined_with", "decided_at", "decided_by",
        ]  # fmt: skip


class ChangeHostSerializer(serializers.Serializer):
    labels = serializers.ListField(child=serializers.CharField(max_length=63), max_length=50, required=False)
    slots = serializers.IntegerField(min_value=1, max_value=1000, required=False)


class ReasonSerializer(serializers.Serializer):
    reason = serializers.CharField(max_length=300, default="", allow_blank=True)


class YardPaddockSerializer(serializers.Serializer):
    name = serializers.CharField()
    purpose = serializers.CharField()
    hosts = PlateSerializer(many=True)


class YardSerializer(serializers.Serializer):
    """Everything that the yard shows, in one answer."""

    paddocks = YardPaddockSerializer(many=True)
    waiting = serializers.IntegerField()
    running = serializers.IntegerField()
