from __future__ import annotations

import math
import re
from collections.abc import Mapping
from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from paddock_agent.wire import MAX_SERVICES
from paddock_core.link_state import Link
from paddock_core.readiness import Mark, readiness_of
from paddock_core.standby.power import Power
from paddock_core.suspicion import Oddity, is_outside

from ..health.models import SEVERITIES
from ..health.serializers import WatchedServiceSerializer, WatchReportSerializer
from ..health.watch_shown import watch_shown
from ..hosts.models import LINK_CHOICES, NAME, EntryPass, Host, Paddock
from ..process import vitals
from ..rest.fields import READINESS_CHOICES
from ..toolchains.models import Installation
from .plates import HostShown, Plate

SERVICE_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._+@:$/-]*")
"""As in the term ``service NAME running``."""
LEAST_GRACE = 3


def held_words(host: Host) -> str:
    """Who holds a host, why, and until when."""
    until = f"until {host.hold_until:%Y-%m-%d %H:%M} UTC" if host.hold_until else ""
    return ": ".join(filter(None, [host.held_by, ", ".join(filter(None, [host.hold_reason, until]))]))


MARK_CHOICES = [(mark.value, mark.value) for mark in Mark]
ODDITY_CHOICES = [(one.value, one.value) for one in Oddity]


class ServiceNameField(serializers.CharField):
    """The name of a service, as the host's service manager has it."""

    def __init__(self, **more: Any) -> None:
        super().__init__(max_length=200, **more)

    def to_internal_value(self, data: Any) -> str:
        name = super().to_internal_value(data)
        if not SERVICE_NAME.fullmatch(name):
            raise serializers.ValidationError(
                f'"{name[:80]}" is not the name of a service. Use letters, digits and . _ + @ : $ / -, without spaces. '
                "On Windows it is the service's own name, not the one that is shown."
            )
        return name.lower()


class PaddockSerializer(serializers.ModelSerializer[Paddock]):
    """``networks`` are those from which agents may call, in CIDR notation; none means any. With ``admits_at_once``, who
    joins with a pass, from inside the networks, is not kept at the gate."""

    name = serializers.CharField(max_length=63, validators=[NAME])
    networks = serializers.ListField(child=serializers.CharField(max_length=50), max_length=50, required=False)
    grace = serializers.IntegerField(min_value=0, max_value=3600, required=False)
    services = serializers.ListField(child=ServiceNameField(), max_length=MAX_SERVICES, required=False)
    pipelines = serializers.ListField(
        child=serializers.CharField(max_length=100),
        max_length=200,
        required=False,
        help_text="Patterns of the pipelines that its fence lets in, in which * stands for anything.",
    )
    lease = serializers.IntegerField(min_value=0, max_value=7 * 24 * 3600, required=False)
    warm_days = serializers.IntegerField(min_value=0, max_value=3650, required=False)
    hosts = serializers.IntegerField(read_only=True, source="living", default=0)

    class Meta:
        model = Paddock
        fields = [
            "name",
            "purpose",
            "networks",
            "admits_at_once",
            "grace",
            "watch_may_start",
            "services",
            "pipelines",
            "ends_processes",
            "warm_days",
            "lease",
            "chores_need_approval",
            "rollouts_need_approval",
            "follows_versions",
            "hosts",
            "made_at",
        ]

    def validate_grace(self, grace: int) -> int:
        if 0 < grace < LEAST_GRACE:
            raise serializers.ValidationError(
                f"A grace is {LEAST_GRACE} seconds at least, or a short hiccup of the network loses hosts; "
                "0 takes the server's own."
            )
        return grace

    def validate_networks(self, networks: list[str]) -> list[str]:
        for network in networks:
            try:
                is_outside("127.0.0.1", [network])
            except ValueError:
                raise serializers.ValidationError(
                    f'"{network}" is not a network. Examples: 10.20.0.0/16, 10.20.0.7.'
                ) from None
        return networks


class PassSerializer(serializers.ModelSerializer[Any]):
    """A pass as it is listed, without its secret."""

    paddock = serializers.CharField(source="paddock.name", read_only=True)
    labels = serializers.ListField(child=serializers.CharField())
    hosts: serializers.SlugRelatedField[Host] = serializers.SlugRelatedField("name", many=True, read_only=True)

    class Meta:
        model = EntryPass
        fields = [
            "id",
            "name",
            "paddock",
            "labels",
            "slots",
            "uses",
            "used",
            "ends_at",
            "revoked_at",
            "made_by",
            "made_at",
            "hosts",
        ]
        read_only_fields = fields  # fmt: skip


class NewPassSerializer(PassSerializer):
    """A pass just made, with its secret: the only time that it is shown."""

    secret = serializers.CharField()

    class Meta(PassSerializer.Meta):
        fields = [*PassSerializer.Meta.fields, "secret"]


class MakePassSerializer(serializers.Serializer[Any]):
    paddock = serializers.CharField(max_length=63)
    name = serializers.CharField(max_length=100)
    hours = serializers.IntegerField(min_value=1, max_value=24 * 366, default=24)
    uses = serializers.IntegerField(min_value=1, max_value=10_000, default=1)
    labels = serializers.ListField(child=serializers.CharField(max_length=63), max_length=50, default=list)
    slots = serializers.IntegerField(min_value=0, max_value=1000, default=0)


class DifferenceSerializer(serializers.Serializer[Any]):
    """Where the agent's environment is older than the machine's; of PATH, ``fresh`` has the folders that it lacks."""

    name = serializers.CharField()
    now = serializers.CharField(default="")
    fresh = serializers.CharField(default="")


class FactsSerializer(serializers.Serializer[Any]):
    """What the host itself is; sizes in bytes. ``kept_by`` is the service that keeps the agent running, "" for none."""

    os = serializers.CharField(default="", read_only=True)
    os_version = serializers.CharField(default="", read_only=True)
    os_name = serializers.CharField(default="", read_only=True)
    arch = serializers.CharField(default="", read_only=True)
    hostname = serializers.CharField(default="", read_only=True)
    user = serializers.CharField(default="", read_only=True)
    cores = serializers.IntegerField(default=0, read_only=True)
    memory = serializers.IntegerField(default=0, read_only=True)
    disk_total = serializers.IntegerField(default=0, read_only=True)
    disk_free = serializers.IntegerField(default=0, read_only=True)
    work_folder = serializers.CharField(default="", read_only=True)
    agent_version = serializers.CharField(default="", read_only=True)
    kept_by = serializers.CharField(default="", read_only=True)
    differs = DifferenceSerializer(many=True, default=list, read_only=True)


class DetailsSerializer(serializers.Serializer[Any]):
    """The details of the host from the last survey. Of environment variables only the names are stored, and the
    values of a few that are not secret."""

    build = serializers.CharField(default="")
    processor = serializers.CharField(default="")
    features = serializers.ListField(child=serializers.CharField(), default=list)
    display = serializers.CharField(default="")
    groups = serializers.ListField(child=serializers.CharField(), default=list)
    restart_pending = serializers.CharField(default="")
    packages_updated = serializers.FloatField(default=None, allow_null=True, help_text="Seconds since the epoch.")
    variables = serializers.ListField(child=serializers.CharField(), default=list)
    values = serializers.DictField(child=serializers.CharField(), default=dict)


class InstallationSerializer(serializers.ModelSerializer[Installation]):
    also = serializers.ListField(child=serializers.CharField(), read_only=True)

    class Meta:
        model = Installation
        fields = ["tool", "version", "path", "home", "plain", "evidence", "exit_code", "output", "also", "seen_since"]
        read_only_fields = fields


class BrokenSerializer(serializers.Serializer[Any]):
    tool = serializers.CharField()
    path = serializers.CharField()
    why = serializers.CharField()
    output = serializers.CharField(source="said", default="")
    exit_code = serializers.IntegerField(default=None, allow_null=True)


class PlateSerializer(serializers.ModelSerializer[Any]):
    """A host as its plate shows it. ``trace`` is the last 24 hours in 48 steps: ``-`` lost, ``.`` absent, else how busy
    from 0 to 9; ``findings`` is how many are open and not put aside, ``worst`` the most severe of them."""

    paddock = serializers.CharField(source="paddock.name")
    os = serializers.SerializerMethodField()
    arch = serializers.SerializerMethodField()
    link = serializers.ChoiceField(choices=LINK_CHOICES)
    working = serializers.IntegerField()
    trace = serializers.CharField()
    findings = serializers.IntegerField()
    worst = serializers.ChoiceField(choices=SEVERITIES, allow_blank=True)

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
            "link_cause",
            "power",
            "holding",
            "slots",
            "working",
            "trace",
            "findings",
            "worst",
        ]
        read_only_fields = fields

    def get_os(self, host: Plate) -> str:
        return str(host.facts.get("os", ""))

    def get_arch(self, host: Plate) -> str:
        return str(host.facts.get("arch", ""))


class SuspicionSerializer(serializers.Serializer[Any]):
    """One odd thing about a host, for the person who decides at the gate."""

    oddity = serializers.ChoiceField(choices=ODDITY_CHOICES)
    sentence = serializers.CharField()


class StepSerializer(serializers.Serializer[Any]):
    """One link of the way to work."""

    name = serializers.CharField()
    mark = serializers.ChoiceField(choices=MARK_CHOICES)
    detail = serializers.CharField()


class HostSerializer(serializers.ModelSerializer[Any]):
    paddock = serializers.CharField(source="paddock.name")
    link = serializers.ChoiceField(choices=LINK_CHOICES)
    facts = FactsSerializer()
    labels = serializers.ListField(child=serializers.CharField())
    asked_labels = serializers.ListField(
        child=serializers.CharField(), help_text="Asked for by the machine at joining, beyond those of its pass."
    )
    installations = InstallationSerializer(many=True)
    broken = BrokenSerializer(many=True)
    details = DetailsSerializer()
    readiness = serializers.ChoiceField(choices=READINESS_CHOICES)
    suggested_slots = serializers.IntegerField(help_text="By its cores and memory.", read_only=True)
    working = serializers.IntegerField()
    joined_with = serializers.CharField(source="joined_with.name", default="", read_only=True)
    joined_by = serializers.CharField(
        source="joined_with.made_by", default="", read_only=True, help_text="Who made the pass that it joined with."
    )
    suspicions = SuspicionSerializer(many=True)
    services = serializers.ListField(
        child=serializers.CharField(), help_text="Watched here beyond those of the paddock."
    )
    watched = WatchedServiceSerializer(many=True)
    watch = serializers.SerializerMethodField()
    undo_until = serializers.DateTimeField(
        read_only=True, allow_null=True, help_text="Until when its retirement can be undone."
    )
    conditions = serializers.SerializerMethodField(help_text="What must be true for a job to land here.")

    class Meta:
        model = Host
        fields = [
            "name",
            "paddock",
            "standing",
            "link",
            "link_since",
            "link_cause",
            "readiness",
            "holding",
            "hold_reason",
            "held_by",
            "hold_until",
            "held_at",
            "facts",
            "labels",
            "slots",
            "suggested_slots",
            "asked_labels",
            "asked_slots",
            "reserved",
            "working",
            "surveyed_at",
            "installations",
            "broken",
            "details",
            "address",
            "joined_at",
            "joined_with",
            "decided_at",
            "joined_by",
            "decided_by",
            "undo_until",
            "retired_because",
            "suspicions",
            "services",
            "watched",
            "watch",
            "conditions",
        ]
        read_only_fields = fields  # fmt: skip

    @extend_schema_field(WatchReportSerializer(allow_null=True))
    def get_watch(self, host: HostShown) -> Mapping[str, Any] | None:
        shown = watch_shown(host.row, timezone.now())
        return WatchReportSerializer(shown).data if shown else None

    @extend_schema_field(StepSerializer(many=True))
    def get_conditions(self, shown: HostShown) -> Any:
        host = shown.row
        steps = readiness_of(
            link=Link(host.link),
            link_cause=host.link_cause,
            kept_by=host.facts.get("kept_by", ""),
            admitted=host.standing == Host.Standing.ADMITTED,
            holding=host.holding,
            hold_reason=held_words(host),
            surveyed=host.surveyed_at is not None,
            installations=len(host.installations.all()),
            slots=host.slots,
            working=shown.working,
            disk_free=_disk_free(host),
            watch="" if host.sleeps else _watch_word(host),
            unable=host.unable,
            power=Power(host.power),
        )
        return StepSerializer(steps, many=True).data


class ChangePaddockSerializer(PaddockSerializer):
    """What may be changed of a paddock; its name stays."""

    name = serializers.CharField(read_only=True)


class GateSerializer(serializers.Serializer[Any]):
    """Several hosts at once, by name, with one reason."""

    names = serializers.ListField(child=serializers.CharField(max_length=63), min_length=1, max_length=500)
    reason = serializers.CharField(max_length=300, default="", allow_blank=True)


class GateAnswerSerializer(serializers.Serializer[Any]):
    """What became of each: those that were decided, and those that were not, with why."""

    decided = serializers.ListField(child=serializers.CharField())
    refused = serializers.DictField(child=serializers.CharField())


class ChangeHostSerializer(serializers.Serializer[Any]):
    labels = serializers.ListField(child=serializers.CharField(max_length=63), max_length=50, required=False)
    slots = serializers.IntegerField(min_value=1, max_value=1000, required=False)
    reserved = serializers.BooleanField(required=False, help_text="Takes only jobs that ask for one of its labels.")
    services = serializers.ListField(child=ServiceNameField(), max_length=MAX_SERVICES, required=False)
    accept_slots = serializers.BooleanField(default=False, help_text="Takes more slots than the machine has cores.")


def _disk_free(host: Host) -> float:
    """As of the last heartbeat; before the first one, as of the hello."""
    newest = vitals.of(host.pk).median("disk_free")
    return host.facts.get("disk_free", 0) if math.isnan(newest) else newest


def _watch_word(host: Host) -> str:
    """The watch's report on the service since the host went away, "" without one."""
    shown = watch_shown(host, timezone.now())
    if not shown or host.link == Link.CONNECTED or not host.link_since or shown["at"] <= host.link_since:
        return ""
    return "its service runs, but its agent is not heard" if shown["running"] == "running" else str(shown["sentence"])


class ReasonSerializer(serializers.Serializer[Any]):
    reason = serializers.CharField(max_length=300, default="", allow_blank=True)


class AdmitSerializer(ReasonSerializer):
    """``as_asked`` gives it the labels and slots that it asked for at joining."""

    as_asked = serializers.BooleanField(default=False)


class HoldSerializer(ReasonSerializer):
    """``until`` is when it is resumed by itself."""

    until = serializers.DateTimeField(allow_null=True, default=None)


class YardPaddockSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    purpose = serializers.CharField()
    hosts = PlateSerializer(many=True)


class YardSerializer(serializers.Serializer[Any]):
    """Everything that the yard shows, in one answer."""

    paddocks = YardPaddockSerializer(many=True)
    waiting = serializers.IntegerField()
    running = serializers.IntegerField()


class GuessingSerializer(serializers.Serializer[Any]):
    """Wrong passes from one address."""

    address = serializers.CharField()
    tries = serializers.IntegerField(read_only=True)
    first_at = serializers.DateTimeField(read_only=True)
    last_at = serializers.DateTimeField(read_only=True)
