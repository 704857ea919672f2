from __future__ import annotations

from typing import Any

from rest_framework import serializers

from paddock_core.remedies import RemedyKind

from ..people.models import Role
from ..rest.fields import READINESS_CHOICES, NumberField
from ..work.serializers import Lines

REMEDY_KINDS = [(kind.value, kind.value) for kind in RemedyKind]


class LetInSerializer(serializers.Serializer[Any]):
    """Into which paddock; ``for_good`` lets in the pipeline, and not this job alone."""

    paddock = serializers.CharField(max_length=63)
    for_good = serializers.BooleanField(default=False)


class HelpSerializer(serializers.Serializer[Any]):
    """One step that would help. ``place`` is the host, or the paddock, that it is done to, "" for the job itself."""

    kind = serializers.ChoiceField(choices=REMEDY_KINDS)
    place = serializers.CharField(max_length=63, allow_blank=True)
    what = serializers.CharField(max_length=2000, allow_blank=True)
    instead = serializers.CharField(max_length=2000, allow_blank=True, help_text="The term to write, of a correction.")
    text = serializers.CharField(read_only=True)
    cost = serializers.IntegerField(read_only=True)
    can_be_done = serializers.BooleanField(read_only=True, help_text="Whether the server can carry it out.")
    needs_role = serializers.ChoiceField(choices=Role.choices, read_only=True, help_text="The least that may do it.")
    borrows_label = serializers.BooleanField(
        read_only=True, help_text="It adds a label that other hosts have: it may say what is not true here."
    )


class ApplySerializer(serializers.Serializer[Any]):
    """A remedy to carry out. ``jobs`` are those that it is for."""

    kind = serializers.ChoiceField(choices=REMEDY_KINDS)
    place = serializers.CharField(max_length=63, allow_blank=True, default="")
    what = serializers.CharField(max_length=2000, allow_blank=True, default="")
    instead = serializers.CharField(max_length=2000, allow_blank=True, default="")
    jobs = serializers.ListField(child=NumberField(), max_length=2000, default=list)
    for_good = serializers.BooleanField(default=True)


# ---- fit -----------------------------------------------------------------------------------------------------------


class FitRequestSerializer(serializers.Serializer[Any]):
    terms = Lines()
    paddock = serializers.CharField(max_length=63, required=False, allow_blank=True)
    pipeline = serializers.CharField(max_length=100, required=False, allow_blank=True)
    slots = serializers.IntegerField(min_value=1, max_value=1000, default=1)
    all = serializers.BooleanField(default=False, help_text="Every host, and not only those that matter.")


class VerdictSerializer(serializers.Serializer[Any]):
    term = serializers.CharField()
    holds = serializers.BooleanField()
    known = serializers.BooleanField()
    found = serializers.CharField(help_text="What is there instead, or what met the term; empty for nothing.")


class HostFitSerializer(serializers.Serializer[Any]):
    host = serializers.CharField()
    paddock = serializers.CharField()
    os = serializers.CharField()
    readiness = serializers.ChoiceField(choices=READINESS_CHOICES)
    fits = serializers.BooleanField()
    lacks = serializers.IntegerField(
        help_text="How much is missing: terms that do not hold, and what else is in the way."
    )
    blocks = serializers.ListField(child=serializers.CharField(), help_text="What beside terms is in the way.")
    remedy = serializers.CharField(
        help_text="What would let the job run there, in words; empty where nothing little does."
    )
    cost = serializers.IntegerField(allow_null=True)
    remedies = HelpSerializer(many=True)
    verdicts = VerdictSerializer(many=True)
    prefers = serializers.ListField(child=serializers.CharField(), help_text="The preferences that it meets.")
    surveyed_at = serializers.DateTimeField(
        allow_null=True,
        help_text="When a host that sleeps was surveyed last: its tools count as they were then.",
    )


class TermCountSerializer(serializers.Serializer[Any]):
    term = serializers.CharField()
    hosts = serializers.IntegerField(help_text="On how many admitted hosts the term holds.")


class FunnelStepSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    left = serializers.IntegerField()
    term = serializers.IntegerField(allow_null=True)


class FitSerializer(serializers.Serializer[Any]):
    """Hosts against terms. ``hosts`` are those that fit, then the near fits with the cheapest remedy first; ``folded``
    is how many more there are."""

    terms = TermCountSerializer(many=True)
    prefers = TermCountSerializer(many=True)
    lines = TermCountSerializer(many=True, help_text="When terms are tried: the lines as they were given, each read.")
    all_hosts = serializers.IntegerField(help_text="Admitted hosts that were looked at.")
    fits = serializers.IntegerField(help_text="How many of them fit.")
    folded = serializers.IntegerField()
    reason = serializers.CharField(help_text="Why a job with these terms would wait, in a sentence.")
    reason_kind = serializers.CharField()
    reason_term = serializers.IntegerField(allow_null=True)
    reason_nearest = serializers.CharField()
    funnel = FunnelStepSerializer(many=True)
    hosts = HostFitSerializer(many=True)


class WordSerializer(serializers.Serializer[Any]):
    """A word that a term may have, with on how many hosts it holds."""

    word = serializers.CharField()
    hosts = serializers.IntegerField()


class WordsSerializer(serializers.Serializer[Any]):
    """The words of the fleet, for completion: by what stands in front of them."""

    subjects = serializers.ListField(child=serializers.CharField())
    after = serializers.DictField(child=WordSerializer(many=True))
    versions = serializers.DictField(child=WordSerializer(many=True), help_text="By tool.")


# ---- the board -----------------------------------------------------------------------------------------------------


class WaitingSerializer(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    pipeline = serializers.CharField()
    priority = serializers.IntegerField()
    submitted_at = serializers.DateTimeField()


class PipelineCountSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    jobs = serializers.IntegerField()


class WaitingGroupSerializer(serializers.Serializer[Any]):
    """Waiting jobs that ask for the same and wait for the same. ``jobs`` are the first fifty of ``count``."""

    kind = serializers.CharField()
    reason = serializers.CharField()
    terms = serializers.ListField(child=serializers.CharField())
    prefers = serializers.ListField(child=serializers.CharField())
    slots = serializers.IntegerField()
    count = serializers.IntegerField()
    oldest = serializers.DateTimeField()
    pipelines = PipelineCountSerializer(many=True)
    jobs = WaitingSerializer(many=True)


class HelpStepSerializer(serializers.Serializer[Any]):
    """Remedies to carry out together, and the jobs that could run then and could not before."""

    remedies = HelpSerializer(many=True)
    cost = serializers.IntegerField()
    count = serializers.IntegerField()
    jobs = serializers.ListField(child=serializers.IntegerField())


class BoardSerializer(serializers.Serializer[Any]):
    """What waits, by reason, and the smallest set of remedies that would let most of it run."""

    waiting = serializers.IntegerField()
    blocked = serializers.IntegerField(help_text="Of those, how many wait for something that does not pass by itself.")
    live = serializers.IntegerField()
    ended = serializers.IntegerField()
    groups = WaitingGroupSerializer(many=True)
    steps = HelpStepSerializer(many=True)
