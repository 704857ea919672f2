from __future__ import annotations

from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from paddock_core.bring_up import BringUpStep, Phase, State

from ..rest.fields import AddressField
from .models import ARCHES, STEPS, SUPERVISORS, SYSTEMS, BringUp
from .queries import SheetShown

PHASES = [(phase.value, phase.value) for phase in Phase]
STATES = [(state.value, state.value) for state in State]
MARKS = [("ok", "ok"), ("mind", "mind"), ("missing", "missing")]


class CheckSerializer(serializers.Serializer[Any]):
    """One check of the preflight, as the machine reported it."""

    name = serializers.CharField()
    mark = serializers.ChoiceField(choices=MARKS)
    found = serializers.CharField(default="")
    why = serializers.CharField(default="")
    remedy = serializers.ListField(child=serializers.CharField(), default=list)


class StepRowSerializer(serializers.Serializer[Any]):
    """One step of a bring-up. Times in seconds since the epoch; ``remedy`` are commands for the machine."""

    step = serializers.ChoiceField(choices=STEPS)
    title = serializers.CharField()
    state = serializers.ChoiceField(choices=STATES)
    at = serializers.FloatField(allow_null=True)
    seconds = serializers.FloatField(allow_null=True)
    detail = serializers.CharField()
    remedy = serializers.ListField(child=serializers.CharField())


class BringUpLineSerializer(serializers.ModelSerializer[Any]):
    """A machine that is coming in, in one line."""

    paddock = serializers.CharField(source="paddock.name")
    host = serializers.CharField(source="host.name", default=None, allow_null=True)
    title = serializers.CharField()
    phase = serializers.ChoiceField(choices=PHASES, source="progress.phase")
    sentence = serializers.CharField(source="progress.sentence")

    class Meta:
        model = BringUp
        fields = [
            "id",
            "title",
            "paddock",
            "system",
            "arch",
            "host",
            "batch",
            "made_by",
            "made_at",
            "phase",
            "sentence",
        ]
        read_only_fields = fields


class BringUpSerializer(serializers.ModelSerializer[Any]):
    """A bring-up sheet: what was chosen, and how far the machine is."""

    paddock = serializers.CharField(source="paddock.name")
    labels = serializers.ListField(child=serializers.CharField())
    host = serializers.CharField(source="host.name", default=None, allow_null=True)
    proof = serializers.IntegerField(source="proof_id", allow_null=True)
    title = serializers.CharField()
    phase = serializers.ChoiceField(choices=PHASES, source="progress.phase")
    sentence = serializers.CharField(source="progress.sentence")
    steps = StepRowSerializer(source="progress.rows", many=True)
    checks = serializers.SerializerMethodField()
    pass_ends_at = serializers.DateTimeField(source="entry_pass.ends_at", default=None, allow_null=True)

    pass_number = serializers.IntegerField(source="entry_pass_id", default=None, allow_null=True)
    pass_is_good = serializers.SerializerMethodField(help_text="Whether a machine could join with it now.")

    class Meta:
        model = BringUp
        fields = [
            "id", "title", "paddock", "system", "arch", "name", "labels", "slots", "work_folder", "supervisor",
            "account", "server", "batch", "host", "proof", "hostname", "address", "made_by", "made_at", "phase",
            "sentence", "steps", "checks", "pass_ends_at", "pass_number", "pass_is_good",
        ]  # fmt: skip
        read_only_fields = fields

    def get_pass_is_good(self, sheet: SheetShown) -> bool:
        made = sheet.row.entry_pass
        return bool(made and not made.revoked_at and made.used < made.uses and made.ends_at > timezone.now())

    @extend_schema_field(CheckSerializer(many=True))
    def get_checks(self, sheet: SheetShown) -> Any:
        reported = next(
            (one for one in sheet.row.reported_steps.all() if one.step == BringUpStep.PREFLIGHT.value), None
        )
        known = [one for one in (reported.checks if reported else []) if one.get("mark") in ("ok", "mind", "missing")]
        return CheckSerializer(known, many=True).data


class CommandSerializer(serializers.Serializer[Any]):
    """What to paste, and where. ``look`` runs the checks alone."""

    shell = serializers.CharField()
    run = serializers.CharField()
    look = serializers.CharField()
    sha256 = serializers.CharField()


class NewBringUpSerializer(serializers.Serializer[Any]):
    """A sheet with its command: the only time that the pass in it is shown."""

    sheet = BringUpSerializer()
    command = CommandSerializer()


class MakeBringUpSerializer(serializers.Serializer[Any]):
    paddock = serializers.CharField(max_length=63)
    system = serializers.ChoiceField(choices=SYSTEMS)
    arch = serializers.ChoiceField(choices=ARCHES)
    server = serializers.CharField(max_length=200)
    name = serializers.CharField(max_length=80, allow_blank=True, default="")
    labels = serializers.ListField(child=serializers.CharField(max_length=80), max_length=50, default=list)
    slots = serializers.IntegerField(min_value=0, max_value=1000, default=0)
    work_folder = serializers.CharField(max_length=200, allow_blank=True, default="")
    supervisor = serializers.ChoiceField(choices=SUPERVISORS, default="service")
    account = serializers.CharField(max_length=100, allow_blank=True, default="")
    hours = serializers.IntegerField(min_value=1, max_value=24 * 366, default=24)
    repairs = serializers.BooleanField(default=False, help_text="For a host of this name, which keeps its key.")


class PlanSerializer(serializers.Serializer[Any]):
    """Machines that are expected together. ``text`` is CSV with a heading line, or JSON: a list of objects."""

    paddock = serializers.CharField(max_length=63)
    server = serializers.CharField(max_length=200)
    text = serializers.CharField(max_length=500_000, trim_whitespace=False)
    hours = serializers.IntegerField(min_value=1, max_value=24 * 366, default=24 * 7)


class SystemCommandSerializer(CommandSerializer):
    """The command for the machines of one system."""

    system = serializers.ChoiceField(choices=SYSTEMS)
    hosts = serializers.ListField(child=serializers.CharField())


class NewPlanSerializer(serializers.Serializer[Any]):
    sheets = BringUpLineSerializer(many=True)
    commands = SystemCommandSerializer(many=True)


class SystemChoicesSerializer(serializers.Serializer[Any]):
    """What can be chosen for a system, and what its machines need before anything is run."""

    system = serializers.ChoiceField(choices=SYSTEMS)
    arches = serializers.ListField(child=serializers.ChoiceField(choices=ARCHES))
    supervisor = serializers.ListField(child=serializers.ChoiceField(choices=SUPERVISORS))
    work_folder = serializers.CharField()
    longest_work_folder = serializers.IntegerField()
    own_account = serializers.CharField()
    prerequisites = serializers.ListField(child=serializers.CharField())


class ChoicesSerializer(serializers.Serializer[Any]):
    """``agent_version`` is "" where the packages for hosts have not been gathered, and nothing can be handed out;
    ``public_key`` is what a machine has to know to let this server in over SSH."""

    agent_version = serializers.CharField()
    server = serializers.CharField()
    public_key = serializers.CharField()
    systems = SystemChoicesSerializer(many=True)


class LookSerializer(serializers.Serializer[Any]):
    """Where the machine answers to SSH."""

    address = AddressField(max_length=200)
    port = serializers.IntegerField(min_value=1, max_value=65535, default=22)


class FoundKeySerializer(serializers.Serializer[Any]):
    """The machine's key. ``standing`` is new, trusted, or changed since it was trusted."""

    fingerprint = serializers.CharField()
    kind = serializers.CharField()
    standing = serializers.ChoiceField(choices=[("new", "new"), ("trusted", "trusted"), ("changed", "changed")])


class GoInSerializer(LookSerializer):
    """``fingerprint`` is the one that was shown and is trusted; ``password`` "" for the server's own key. A password is
    used once and never kept."""

    user = serializers.CharField(max_length=100)
    fingerprint = serializers.CharField(max_length=200)
    password = serializers.CharField(
        max_length=500, allow_blank=True, default="", write_only=True, trim_whitespace=False
    )
