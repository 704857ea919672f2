from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from paddock_core.pipeline_file import Level

from ..rest.shown import Shown
from .models import JOB_STATES, Source, Submission
from .serializers import SubmissionSerializer

LEVELS = [(level.value, level.value) for level in Level]
MAX_FILE_BYTES = 1_000_000


class FileSerializer(serializers.Serializer[Any]):
    """A pipeline file."""

    text = serializers.CharField(max_length=MAX_FILE_BYTES, trim_whitespace=False)


class RemarkSerializer(serializers.Serializer[Any]):
    """One thing about a pipeline file. Only a ``mistake`` keeps it from being sent."""

    level = serializers.ChoiceField(choices=LEVELS)
    line = serializers.IntegerField()
    column = serializers.IntegerField(allow_null=True, help_text="Within the term, from 1.")
    pointer = serializers.CharField()
    sentence = serializers.CharField()
    nearest = serializers.CharField(allow_null=True)


class SubmissionJobSerializer(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    state = serializers.ChoiceField(choices=JOB_STATES)
    reason = serializers.CharField()


class SubmissionSheetSerializer(SubmissionSerializer):
    """A submission with its jobs."""

    jobs = serializers.SerializerMethodField()

    class Meta(SubmissionSerializer.Meta):
        fields = [*SubmissionSerializer.Meta.fields, "jobs"]
        read_only_fields = fields

    @extend_schema_field(SubmissionJobSerializer(many=True))
    def get_jobs(self, submission: Submission) -> Any:
        return SubmissionJobSerializer(self.context["jobs"], many=True).data


class SourceSerializer(serializers.ModelSerializer[Any]):
    """A Git repository whose pipeline file is read at a commit. ``hook`` is where its webhook calls."""

    hook = serializers.SerializerMethodField()

    class Meta:
        model = Source
        fields = ["id", "url", "ref", "path", "pipeline", "made_by", "read_at", "read_commit", "trouble", "hook"]
        read_only_fields = ["id", "pipeline", "made_by", "read_at", "read_commit", "trouble", "hook"]

    def get_hook(self, source: Source) -> str:
        return f"/hooks/v1/sources/{source.pk}/"


@dataclass(frozen=True)
class NewSource(Shown[Source]):
    """A source, with the secret of its webhook."""

    secret: str


class NewSourceSerializer(SourceSerializer):
    """A source with the secret of its webhook, shown this once."""

    secret = serializers.CharField(read_only=True)

    class Meta(SourceSerializer.Meta):
        fields = [*SourceSerializer.Meta.fields, "secret"]


class PipelineSerializer(serializers.Serializer[Any]):
    """A pipeline in the last 30 days. Times are in seconds; a wait is from being sent to the first start."""

    name = serializers.CharField()
    jobs = serializers.IntegerField()
    waiting = serializers.IntegerField()
    running = serializers.IntegerField()
    failed = serializers.IntegerField()
    hosts = serializers.IntegerField(help_text="On how many hosts it ran.")
    wait_median = serializers.FloatField(allow_null=True)
    wait_longest = serializers.FloatField(allow_null=True)
    last_at = serializers.DateTimeField()
    share = serializers.FloatField(help_text="Its share of the recent usage of the fleet, from 0 to 1.")
    paddocks = serializers.ListField(child=serializers.CharField(), help_text="Whose fences let it in.")


class PipelineHostSerializer(serializers.Serializer[Any]):
    host = serializers.CharField()
    runs = serializers.IntegerField()
    failed = serializers.IntegerField()


class PipelineRunSerializer(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    state = serializers.ChoiceField(choices=JOB_STATES)
    submitted_at = serializers.DateTimeField()
    waited = serializers.FloatField(allow_null=True)
    took = serializers.FloatField(allow_null=True)
    host = serializers.CharField()


class PipelineJobSerializer(serializers.Serializer[Any]):
    """One job of a pipeline, by name: what it asked the last time, where it ran, and its newest runs, oldest first."""

    name = serializers.CharField()
    terms = serializers.ListField(child=serializers.CharField())
    prefers = serializers.ListField(child=serializers.CharField())
    slots = serializers.IntegerField()
    times = serializers.IntegerField()
    wait_median = serializers.FloatField(allow_null=True)
    took_median = serializers.FloatField(allow_null=True)
    fits = serializers.IntegerField(help_text="Hosts that fit what it asks now.")
    hosts = PipelineHostSerializer(many=True)
    runs = PipelineRunSerializer(many=True)


class PipelineSheetSerializer(PipelineSerializer):
    """A pipeline with its jobs."""

    sheet = PipelineJobSerializer(many=True)
