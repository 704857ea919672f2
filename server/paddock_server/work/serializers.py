from __future__ import annotations

import re

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from paddock_core.pipeline_file import FileMistakes, Level, read_steps
from paddock_core.remedies import RemedyKind

from ..hosts.serializers import READINESS_CHOICES
from .models import ATTEMPT_STATES, JOB_STATES, Attempt, Job, Source, Submission

REMEDY_KINDS = [(kind.value, kind.value) for kind in RemedyKind]
LEVELS = [(level.value, level.value) for level in Level]
LARGEST_FILE = 1_000_000


class Lines(serializers.ListField):
    """Terms as somebody wrote them."""

    def __init__(self, **more) -> None:
        super().__init__(child=serializers.CharField(max_length=1000, allow_blank=True), max_length=20_000, **more)


class Paths(serializers.ListField):
    """Patterns of files below the work folder."""

    def __init__(self, **more) -> None:
        super().__init__(child=serializers.CharField(max_length=400), max_length=100, default=list, **more)

    def to_internal_value(self, data):
        paths = super().to_internal_value(data)
        for path in paths:
            if path.startswith(("/", "\\", "~")) or ".." in re.split(r"[/\\]", path) or path[1:2] == ":":
                raise serializers.ValidationError(
                    f"{path[:60]}: it has to lie in the work folder; write its path from there."
                )
        return paths


class BoundToolSerializer(serializers.Serializer):
    tool = serializers.CharField()
    version = serializers.CharField()
    path = serializers.CharField()
    home = serializers.CharField()
    plain = serializers.BooleanField()


class AttemptSerializer(serializers.ModelSerializer):
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


class SubmissionSerializer(serializers.ModelSerializer):
    """Jobs that were sent together, from one pipeline file."""

    source = serializers.CharField(source="source.url", default="", read_only=True)

    class Meta:
        model = Submission
        fields = ["id", "pipeline", "source", "ref", "commit", "submitted_at", "submitted_by"]
        read_only_fields = fields


class JobSerializer(serializers.ModelSerializer):
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
            "kept_host",
            "cancel_asked",
            "submitted_at",
            "submitted_by",
            "started_at",
            "ended_at",
            "attempts",
        ]
        read_only_fields = fields  # fmt: skip


class JobSheetSerializer(JobSerializer):
    """A job with its script, and where it came from. One that ``is_own`` is the server's, as that of a chore."""

    submission = SubmissionSerializer(allow_null=True)
    environment = serializers.DictField(child=serializers.CharField())
    outputs = serializers.ListField(child=serializers.CharField())
    tests = serializers.ListField(child=serializers.CharField())
    secrets = serializers.ListField(child=serializers.CharField())
    chore_run = serializers.SerializerMethodField(help_text="The run of a chore that it is a part of.")

    class Meta(JobSerializer.Meta):
        fields = [
            *JobSerializer.Meta.fields, "script", "shell", "environment", "outputs", "tests", "secrets", "warm",
            "again_of", "is_own", "chore_run",
        ]  # fmt: skip
        read_only_fields = fields

    @extend_schema_field(serializers.IntegerField(allow_null=True))
    def get_chore_run(self, job: Job) -> int | None:
        row = job.chore_hosts.first() if job.is_own else None
        return row.run_id if row else None


class SubmitSerializer(serializers.Serializer):
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
    after = serializers.ListField(child=serializers.IntegerField(min_value=1), max_length=100, default=list)
    environment = serializers.DictField(child=serializers.CharField(max_length=2000, allow_blank=True), default=dict)

    def validate_environment(self, environment: dict[str, str]) -> dict[str, str]:
        wrong = [name for name in environment if not name.isidentifier() or name.upper().startswith("PADDOCK_")]
        if wrong or len(environment) > 100:
            raise serializers.ValidationError(
                f"{wrong[0][:60] if wrong else 'More than 100 variables'}: names have letters, digits and _, and do "
                "not start with PADDOCK_."
            )
        return environment

    def validate(self, given):
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


class ChangeJobSerializer(serializers.Serializer):
    """What may be changed of a job that waits."""

    priority = serializers.IntegerField(min_value=-100, max_value=100, required=False)
    terms = Lines(required=False)


class LetInSerializer(serializers.Serializer):
    """Into which paddock; ``for_good`` lets in the pipeline, and not this job alone."""

    paddock = serializers.CharField(max_length=63)
    for_good = serializers.BooleanField(default=False)


class HelpSerializer(serializers.Serializer):
    """One step that would help. ``place`` is the host, or the paddock, that it is done to, "" for the job itself."""

    kind = serializers.ChoiceField(choices=REMEDY_KINDS)
    place = serializers.CharField(max_length=63, allow_blank=True)
    what = serializers.CharField(max_length=2000, allow_blank=True)
    instead = serializers.CharField(max_length=2000, allow_blank=True, help_text="The term to write, of a correction.")
    said = serializers.CharField(read_only=True)
    cost = serializers.IntegerField(read_only=True)
    can_be_done = serializers.BooleanField(read_only=True, help_text="Whether the server can carry it out.")


class ApplySerializer(serializers.Serializer):
    """A remedy to carry out. ``jobs`` are those that it is for."""

    kind = serializers.ChoiceField(choices=REMEDY_KINDS)
    place = serializers.CharField(max_length=63, allow_blank=True, default="")
    what = serializers.CharField(max_length=2000, allow_blank=True, default="")
    instead = serializers.CharField(max_length=2000, allow_blank=True, default="")
    jobs = serializers.ListField(child=serializers.IntegerField(min_value=1), max_length=2000, default=list)
    for_good = serializers.BooleanField(default=True)


# ---- fit -----------------------------------------------------------------------------------------------------------


class FitRequestSerializer(serializers.Serializer):
    terms = Lines()
    paddock = serializers.CharField(max_length=63, required=False, allow_blank=True)
    pipeline = serializers.CharField(max_length=100, required=False, allow_blank=True)
    slots = serializers.IntegerField(min_value=1, max_value=1000, default=1)
    all = serializers.BooleanField(default=False, help_text="Every host, and not only those that matter.")


class VerdictSerializer(serializers.Serializer):
    term = serializers.CharField()
    holds = serializers.BooleanField()
    known = serializers.BooleanField()
    found = serializers.CharField(help_text="What is there instead, or what met the term; empty for nothing.")


class HostFitSerializer(serializers.Serializer):
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


class TermCountSerializer(serializers.Serializer):
    term = serializers.CharField()
    hosts = serializers.IntegerField(help_text="On how many admitted hosts the term holds.")


class FunnelStepSerializer(serializers.Serializer):
    name = serializers.CharField()
    left = serializers.IntegerField()
    term = serializers.IntegerField(allow_null=True)


class FitSerializer(serializers.Serializer):
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


class WordSerializer(serializers.Serializer):
    """A word that a term may have, with on how many hosts it holds."""

    word = serializers.CharField()
    hosts = serializers.IntegerField()


class WordsSerializer(serializers.Serializer):
    """The words of the fleet, for completion: by what stands in front of them."""

    subjects = serializers.ListField(child=serializers.CharField())
    after = serializers.DictField(child=WordSerializer(many=True))
    versions = serializers.DictField(child=WordSerializer(many=True), help_text="By tool.")


# ---- the board -----------------------------------------------------------------------------------------------------


class WaitingSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    pipeline = serializers.CharField()
    priority = serializers.IntegerField()
    submitted_at = serializers.DateTimeField()


class PipelineCountSerializer(serializers.Serializer):
    name = serializers.CharField()
    jobs = serializers.IntegerField()


class WaitingGroupSerializer(serializers.Serializer):
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


class HelpStepSerializer(serializers.Serializer):
    """Remedies to carry out together, and the jobs that could run then and could not before."""

    remedies = HelpSerializer(many=True)
    cost = serializers.IntegerField()
    count = serializers.IntegerField()
    jobs = serializers.ListField(child=serializers.IntegerField())


class BoardSerializer(serializers.Serializer):
    """What waits, by reason, and the smallest set of remedies that would let most of it run."""

    waiting = serializers.IntegerField()
    blocked = serializers.IntegerField(help_text="Of those, how many wait for something that does not pass by itself.")
    live = serializers.IntegerField()
    ended = serializers.IntegerField()
    groups = WaitingGroupSerializer(many=True)
    steps = HelpStepSerializer(many=True)


# ---- pipelines -----------------------------------------------------------------------------------------------------


class FileSerializer(serializers.Serializer):
    """A pipeline file."""

    text = serializers.CharField(max_length=LARGEST_FILE, trim_whitespace=False)


class RemarkSerializer(serializers.Serializer):
    """One thing about a pipeline file. Only a ``mistake`` keeps it from being sent."""

    level = serializers.ChoiceField(choices=LEVELS)
    line = serializers.IntegerField()
    column = serializers.IntegerField(allow_null=True, help_text="Within the term, from 1.")
    pointer = serializers.CharField()
    sentence = serializers.CharField()
    nearest = serializers.CharField(allow_null=True)


class SubmissionJobSerializer(serializers.Serializer):
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
    def get_jobs(self, submission: Submission) -> list[dict[str, object]]:
        return SubmissionJobSerializer(self.context["jobs"], many=True).data


class SourceSerializer(serializers.ModelSerializer):
    """A Git repository whose pipeline file is read at a commit. ``hook`` is where its webhook calls."""

    hook = serializers.SerializerMethodField()

    class Meta:
        model = Source
        fields = ["id", "url", "ref", "path", "pipeline", "made_by", "read_at", "read_commit", "trouble", "hook"]
        read_only_fields = ["id", "pipeline", "made_by", "read_at", "read_commit", "trouble", "hook"]

    def get_hook(self, source: Source) -> str:
        return f"/hooks/v1/sources/{source.pk}/"


class NewSourceSerializer(SourceSerializer):
    """A source with the secret of its webhook, shown this once."""

    secret = serializers.CharField(read_only=True)

    class Meta(SourceSerializer.Meta):
        fields = [*SourceSerializer.Meta.fields, "secret"]


class PipelineSerializer(serializers.Serializer):
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
    share = serializers.FloatField(help_text="Its part of what all pipelines had of the fleet lately, from 0 to 1.")
    paddocks = serializers.ListField(child=serializers.CharField(), help_text="Whose fences let it in.")


class PipelineHostSerializer(serializers.Serializer):
    host = serializers.CharField()
    runs = serializers.IntegerField()
    failed = serializers.IntegerField()


class PipelineRunSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    state = serializers.ChoiceField(choices=JOB_STATES)
    submitted_at = serializers.DateTimeField()
    waited = serializers.FloatField(allow_null=True)
    took = serializers.FloatField(allow_null=True)
    host = serializers.CharField()


class PipelineJobSerializer(serializers.Serializer):
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
