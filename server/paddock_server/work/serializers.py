from __future__ import annotations

import re
from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from paddock_core.pipeline_file import FileMistakes, read_steps
from paddock_core.pipeline_file.reading import MAX_STARS

from ..rest.fields import NumberField
from .actions.submit import implied_by
from .models import ATTEMPT_STATES, JOB_STATES, Attempt, Job, Submission


class Lines(serializers.ListField):
    """Terms as written."""

    def __init__(self, **more: Any) -> None:
        super().__init__(child=serializers.CharField(max_length=1000, allow_blank=True), max_length=20_000, **more)


class Paths(serializers.ListField):
    """Patterns of files below the work folder."""

    def __init__(self, **more: Any) -> None:
        super().__init__(child=serializers.CharField(max_length=400), max_length=100, default=list, **more)

    def to_internal_value(self, data: Any) -> list[Any]:
        paths = super().to_internal_value(data)
        for path in paths:
            if path.startswith(("/", "\\", "~")) or ".." in re.split(r"[/\\]", path) or path[1:2] == ":":
                raise serializers.ValidationError(
                    f"{path[:60]}: it must be inside the work folder. Write its path from there."
                )
            if path.count("*") > MAX_STARS:
                raise serializers.ValidationError(f"{path[:60]}: a pattern has at most {MAX_STARS} stars.")
        return paths


class BoundToolSerializer(serializers.Serializer[Any]):
    tool = serializers.CharField()
    version = serializers.CharField()
    path = serializers.CharField()
    home = serializers.CharField()
    plain = serializers.BooleanField()


class AttemptSerializer(serializers.ModelSerializer[Any]):
    """``why`` says why it went to this host and not another."""

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
            "why",
            "exit_code",
            "note",
            "commit",
            "offered_at",
            "started_at",
            "ended_at",
        ]
        read_only_fields = fields  # fmt: skip


class SubmissionSerializer(serializers.ModelSerializer[Submission]):
    """Jobs that were sent together, from one pipeline file."""

    source = serializers.CharField(source="source.url", default="", read_only=True)  # type: ignore[assignment]

    class Meta:
        model = Submission
        fields = ["id", "pipeline", "source", "ref", "commit", "submitted_at", "submitted_by"]
        read_only_fields = fields


class JobSerializer(serializers.ModelSerializer[Job]):
    """``reason`` says in a sentence why the job waits; "" once it does not. ``reason_term`` is the position of the term
    that no host meets, where it is one term's fault; ``reason_places`` are the paddocks that do not let it in."""

    state = serializers.ChoiceField(choices=JOB_STATES)
    terms = serializers.ListField(child=serializers.CharField())
    prefers = serializers.ListField(child=serializers.CharField())
    reason_places = serializers.ListField(child=serializers.CharField())
    after = serializers.ListField(child=serializers.IntegerField())
    attempts = AttemptSerializer(many=True)

    class Meta:
        model = Job
        fields = [
            "id",
            "name",
            "pipeline",
            "submission",
            "state",
            "reason",
            "reason_kind",
            "reason_term",
            "reason_nearest",
            "reason_places",
            "terms",
            "prefers",
            "slots",
            "priority",
            "time_limit",
            "retries_left",
            "waits_for_new_host",
            "after",
            "earmarked_host",
            "cancel_asked",
            "submitted_at",
            "submitted_by",
            "started_at",
            "ended_at",
            "attempts",
        ]
        read_only_fields = fields  # fmt: skip


class JobSheetSerializer(JobSerializer):
    """A job with its script, and where it came from. One that ``is_internal`` is the server's, as that of a chore."""

    submission = SubmissionSerializer(allow_null=True)
    environment = serializers.DictField(child=serializers.CharField())
    outputs = serializers.ListField(child=serializers.CharField())
    tests = serializers.ListField(child=serializers.CharField())
    secrets = serializers.ListField(child=serializers.CharField())
    implied = serializers.SerializerMethodField(help_text="Those of its terms that its shells imply.")
    chore_run = serializers.SerializerMethodField(help_text="The run of a chore that it is a part of.")

    class Meta(JobSerializer.Meta):
        fields = [
            *JobSerializer.Meta.fields, "script", "shell", "environment", "outputs", "tests", "secrets", "warm",
            "rerun_of", "is_internal", "implied", "chore_run",
        ]  # fmt: skip
        read_only_fields = fields

    def get_implied(self, job: Job) -> list[str]:
        return implied_by(job)

    @extend_schema_field(serializers.IntegerField(allow_null=True))
    def get_chore_run(self, job: Job) -> int | None:
        row = job.chore_hosts.first() if job.is_internal else None
        return row.run_id if row else None


class SubmitSerializer(serializers.Serializer[Any]):
    """One job. A line of ``terms`` that begins with ``prefer`` never excludes a host."""

    name = serializers.CharField(max_length=100)
    pipeline = serializers.CharField(max_length=100)
    terms = Lines()
    script = serializers.CharField(max_length=200_000, trim_whitespace=False, default="", allow_blank=True)
    shell = serializers.CharField(max_length=40, default="", allow_blank=True)
    steps = serializers.ListField(
        child=serializers.JSONField(),
        max_length=50,
        default=list,
        help_text="Instead of a script: steps as in a pipeline file (docs/pipelines.md), each a script or a checkout.",
    )
    secrets = serializers.ListField(child=serializers.CharField(max_length=100), max_length=50, default=list)
    outputs = Paths(help_text="Patterns of files to keep.")
    tests = Paths(help_text="Patterns of files with test results (JUnit XML), which are kept too.")
    warm = serializers.BooleanField(default=False, help_text="In a folder that its pipeline worked in before.")
    slots = serializers.IntegerField(min_value=1, max_value=1000, default=1)
    priority = serializers.IntegerField(min_value=-100, max_value=100, default=0)
    time_limit = serializers.IntegerField(min_value=0, max_value=7 * 24 * 3600, default=0)
    retries = serializers.IntegerField(min_value=0, max_value=10, default=0)
    waits_for_new_host = serializers.BooleanField(default=False)
    after = serializers.ListField(child=NumberField(), max_length=100, default=list)
    environment = serializers.DictField(child=serializers.CharField(max_length=2000, allow_blank=True), default=dict)

    def validate_environment(self, environment: dict[str, str]) -> dict[str, str]:
        wrong = [name for name in environment if not name.isidentifier() or name.upper().startswith("PADDOCK_")]
        if wrong or len(environment) > 100:
            raise serializers.ValidationError(
                f"{wrong[0][:60] if wrong else 'More than 100 variables'}: names have letters, digits and _, and do "
                "not start with PADDOCK_."
            )
        return environment

    def validate(self, given: dict[str, Any]) -> dict[str, Any]:
        """Steps are read by the reader of pipeline files. Either they or the script are there."""
        if bool(given["script"].strip()) == bool(given["steps"]):
            raise serializers.ValidationError({"script": "A job has either a script or steps."})
        try:
            given["steps"] = read_steps(given["steps"], given["secrets"])
        except FileMistakes as error:
            raise serializers.ValidationError({"steps": [one.sentence for one in error.remarks][:20]}) from None
        given["script"] = given["script"] or next((one.script for one in given["steps"] if one.script), "")
        given["outputs"] = list(dict.fromkeys([*given["outputs"], *given["tests"]]))
        return given


class ChangeJobSerializer(serializers.Serializer[Any]):
    """What may be changed of a job that waits."""

    priority = serializers.IntegerField(min_value=-100, max_value=100, required=False)
    terms = Lines(required=False)
