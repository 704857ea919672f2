from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from paddock_core.retention import RetentionRule
from paddock_core.runs.compare import IN_ORDER

from ..housekeeping.rules import files_retained_until, retention_rules
from ..rest.shown import Shown
from ..work.actions.run_again import Where
from ..work.models import ATTEMPT_STATES, Attempt
from ..work.serializers import AttemptSerializer, Lines
from .evidence import steps_of, times
from .failure import failure_of
from .log_lines import Log
from .models import FOLDER_KINDS, STEP_OUTCOMES, TEST_OUTCOMES, Output, TestCase, WorkFolder

GROUPS = [(one, one) for one in IN_ORDER]
WHERES = [(one.value, one.value) for one in Where]


class CheckoutSerializer(serializers.Serializer[Any]):
    """What a checkout step fetches. An empty ``url`` is that of the Git source that the job came from."""

    url = serializers.CharField(max_length=2000, allow_blank=True, default="")
    ref = serializers.CharField(max_length=200, allow_blank=True, default="")
    commit = serializers.CharField(max_length=64, allow_blank=True, default="")
    depth = serializers.IntegerField(min_value=0, default=0)
    submodules = serializers.BooleanField(default=False)
    clean = serializers.BooleanField(default=False)
    secret = serializers.CharField(max_length=100, allow_blank=True, default="")


class StepRunSerializer(serializers.Serializer[Any]):
    """A step, and how it went: ``outcome`` is empty where it was not come to. Times are by the host's clock."""

    number = serializers.IntegerField()
    name = serializers.CharField()
    script = serializers.CharField(allow_blank=True)
    shell = serializers.CharField(allow_blank=True)
    folder = serializers.CharField(allow_blank=True)
    always = serializers.BooleanField()
    time_limit = serializers.IntegerField()
    checkout = CheckoutSerializer(allow_null=True)
    outcome = serializers.ChoiceField(choices=STEP_OUTCOMES, allow_blank=True)
    exit_code = serializers.IntegerField(allow_null=True)
    signal = serializers.CharField(allow_blank=True)
    why = serializers.CharField(allow_blank=True)
    commit = serializers.CharField(allow_blank=True)
    began_at = serializers.DateTimeField(allow_null=True)
    ended_at = serializers.DateTimeField(allow_null=True)
    line = serializers.IntegerField(allow_null=True, help_text="The line of the log on which it begins.")


class LeftProcessSerializer(serializers.Serializer[Any]):
    """A process that outlived the attempt."""

    pid = serializers.IntegerField()
    name = serializers.CharField()
    ended = serializers.BooleanField(default=False, help_text="Whether the agent put an end to it.")


class OutputSerializer(serializers.ModelSerializer[Output]):
    """A file that is kept; ``whole`` once all of it is here."""

    class Meta:
        model = Output
        fields = ["number", "path", "size", "sha256", "whole", "refused"]
        read_only_fields = fields


class TestCaseSerializer(serializers.ModelSerializer[TestCase]):
    """One test; ``newly`` where it fails now and did not in the run before."""

    outcome = serializers.ChoiceField(choices=TEST_OUTCOMES)

    class Meta:
        model = TestCase
        fields = ["suite", "name", "outcome", "seconds", "message", "newly"]
        read_only_fields = fields


class TestSummarySerializer(serializers.Serializer[Any]):
    """The tests of an attempt: counts, and those that did not pass, the new ones first."""

    passed = serializers.IntegerField()
    failed = serializers.IntegerField()
    skipped = serializers.IntegerField()
    newly_failing = serializers.IntegerField()
    cases = TestCaseSerializer(many=True)


class TimesSerializer(serializers.Serializer[Any]):
    """Seconds that it waited, was set up, and ran; null for what is not over."""

    waited = serializers.FloatField()
    set_up = serializers.FloatField(allow_null=True)
    ran = serializers.FloatField(allow_null=True)


class OtherRunSerializer(serializers.Serializer[Any]):
    """A run to compare with: of the same job of its pipeline, with the other result."""

    name = serializers.CharField()
    state = serializers.ChoiceField(choices=ATTEMPT_STATES)
    host = serializers.CharField(source="host.name")
    at = serializers.DateTimeField(source="offered_at")


class FailureSerializer(serializers.Serializer[Any]):
    """What the end of a failed step means, and what most likely helps."""

    step = serializers.IntegerField()
    sentence = serializers.CharField()
    cure = serializers.CharField(help_text="Empty where nothing is likely.")
    tool = serializers.CharField(help_text="A tool that the script calls and no term names; empty for none.")
    evidence = serializers.CharField(help_text="The line of the log that says so.")
    hosts_left = serializers.IntegerField(allow_null=True, help_text="How many hosts fit if the job names the tool.")


@dataclass(frozen=True)
class AttemptShown(Shown[Attempt]):
    """An attempt with its log, and the run that it is compared with, if there is one."""

    log: Log
    compare_with: object


class AttemptSheetSerializer(AttemptSerializer):
    """One attempt with all its evidence. Memory in bytes, processor time in seconds, both of all that it started."""

    job = serializers.IntegerField(source="job_id")
    identity = serializers.CharField(
        source="wire_name", help_text="What it is called between server and agent, and no other attempt ever is."
    )
    paddock = serializers.CharField(source="host.paddock.name")
    facts = serializers.DictField()
    variable_names = serializers.ListField(child=serializers.CharField())
    variable_values = serializers.DictField(child=serializers.CharField())
    leftover_processes = LeftProcessSerializer(many=True)
    steps = serializers.SerializerMethodField()
    outputs = OutputSerializer(many=True)
    left_out: serializers.SlugRelatedField[Any] = serializers.SlugRelatedField(
        many=True, read_only=True, slug_field="reason"
    )
    tests = serializers.SerializerMethodField()
    times = serializers.SerializerMethodField()
    failure = serializers.SerializerMethodField(help_text="Why it failed, if known.")
    compare_with = OtherRunSerializer(allow_null=True)
    retained_until = serializers.SerializerMethodField(help_text="When its log and its files are removed.")
    removed_at = serializers.DateTimeField(allow_null=True, help_text="When they were.")
    log_size = serializers.IntegerField(source="log.size")
    log_lines = serializers.IntegerField(source="log.total")

    class Meta(AttemptSerializer.Meta):
        fields = [
            *AttemptSerializer.Meta.fields, "job", "identity", "paddock", "facts", "warm", "variable_names",
            "variable_values", "commit", "processor", "memory", "leftover_processes", "steps", "outputs", "left_out",
            "tests", "times", "failure", "compare_with", "retained_until", "removed_at", "log_size", "log_lines",
        ]  # fmt: skip
        read_only_fields = fields

    @cached_property
    def _rules(self) -> list[RetentionRule]:
        """The same for all attempts of an answer."""
        return retention_rules()

    @extend_schema_field(serializers.DateTimeField(allow_null=True))
    def get_retained_until(self, attempt: AttemptShown) -> datetime | None:
        row = attempt.row
        if row.ended_at is None:
            return None
        return files_retained_until(self._rules, row.ended_at, row.host.paddock.name, row.job.pipeline)

    @extend_schema_field(StepRunSerializer(many=True))
    def get_steps(self, attempt: AttemptShown) -> Any:
        runs = {step.number: step for step in attempt.row.steps.all()}
        begins = {section.step: section.line for section in attempt.log.sections()}
        shown = []
        for number, step in enumerate(steps_of(attempt.row.job)):
            run = runs.get(number)
            result = {
                name: getattr(run, name, None if name in ("exit_code", "began_at", "ended_at") else "")
                for name in ("outcome", "exit_code", "signal", "why", "commit", "began_at", "ended_at")
            }
            if result["outcome"] == "running" and attempt.row.ended_at:
                result["outcome"] = "lost"
            shown.append({**step, **result, "number": number, "line": begins.get(number)})
        return StepRunSerializer(shown, many=True).data

    @extend_schema_field(TestSummarySerializer(allow_null=True))
    def get_tests(self, attempt: AttemptShown) -> dict[str, object] | None:
        counts: dict[str, int] = {}
        for outcome in attempt.row.test_cases.values_list("outcome", flat=True):
            counts[outcome] = counts.get(outcome, 0) + 1
        if not counts:
            return None
        bad = attempt.row.test_cases.filter(outcome__in=("failed", "error")).order_by("-newly", "id")
        return TestSummarySerializer(
            {
                "passed": counts.get("passed", 0),
                "failed": counts.get("failed", 0) + counts.get("error", 0),
                "skipped": counts.get("skipped", 0),
                "newly_failing": bad.filter(newly=True).count(),
                "cases": bad[:200],
            }
        ).data

    @extend_schema_field(FailureSerializer(allow_null=True))
    def get_failure(self, attempt: AttemptShown) -> dict[str, object] | None:
        return failure_of(attempt.row, attempt.log)

    @extend_schema_field(TimesSerializer)
    def get_times(self, attempt: AttemptShown) -> dict[str, float | None]:
        return times(attempt.row)


class LogSpanSerializer(serializers.Serializer[Any]):
    """Text in one style. ``styles`` are names: bold, faint, italic, underlined, a colour, on- and a colour."""

    text = serializers.CharField()
    styles = serializers.ListField(child=serializers.CharField())


class LogLineSerializer(serializers.Serializer[Any]):
    """One line; ``at`` is when its start was read, by the host's clock."""

    number = serializers.IntegerField()
    at = serializers.DateTimeField(allow_null=True)
    step = serializers.IntegerField()
    spans = LogSpanSerializer(many=True)


class LogSectionSerializer(serializers.Serializer[Any]):
    """Where the part of one step begins."""

    step = serializers.IntegerField()
    line = serializers.IntegerField()


class LogLinesSerializer(serializers.Serializer[Any]):
    """A part of a log. ``total`` counts all its lines, ``size`` all its bytes."""

    total = serializers.IntegerField()
    size = serializers.IntegerField()
    is_over = serializers.BooleanField()
    sections = LogSectionSerializer(many=True)
    lines = LogLineSerializer(many=True)


class FoundLinesSerializer(serializers.Serializer[Any]):
    """The numbers of matching lines; ``more`` where there are more than are listed."""

    lines = serializers.ListField(child=serializers.IntegerField())
    more = serializers.BooleanField()


class RunAgainSerializer(serializers.Serializer[Any]):
    where = serializers.ChoiceField(choices=WHERES, default=Where.ANYWHERE.value)
    added = Lines(default=list, help_text="Terms that the new job asks for beyond those of the old one.")


class RunDifferenceSerializer(serializers.Serializer[Any]):
    """One thing that was otherwise; null where a run had none."""

    group = serializers.ChoiceField(choices=GROUPS)
    name = serializers.CharField()
    first = serializers.CharField(allow_null=True)
    second = serializers.CharField(allow_null=True)
    used = serializers.BooleanField(help_text="Whether the job asked for it.")


class RunNameSerializer(serializers.Serializer[Any]):
    """One of two runs that are compared."""

    job = serializers.IntegerField(source="job_id")
    number = serializers.IntegerField()
    name = serializers.CharField(source="job.name")
    pipeline = serializers.CharField(source="job.pipeline")
    host = serializers.CharField(source="host.name")
    state = serializers.CharField()
    offered_at = serializers.DateTimeField()


class ComparisonSerializer(serializers.Serializer[Any]):
    """What differed between two runs."""

    first = RunNameSerializer()
    second = RunNameSerializer()
    differences = RunDifferenceSerializer(many=True)


class HostWorkSerializer(serializers.Serializer[Any]):
    """A job at work on a host. ``usual`` is how long the last ones that passed took in the mean, in seconds."""

    job = serializers.IntegerField()
    name = serializers.CharField()
    pipeline = serializers.CharField()
    since = serializers.DateTimeField()
    usual = serializers.FloatField(allow_null=True)


class WorkFolderSerializer(serializers.ModelSerializer[WorkFolder]):
    """A work folder. Sizes in bytes; ``attempt`` is the last one that worked in it."""

    kind = serializers.ChoiceField(choices=FOLDER_KINDS)

    class Meta:
        model = WorkFolder
        fields = ["path", "kind", "pipeline", "attempt", "size", "files", "used_at", "in_use"]
        read_only_fields = fields


class ClearFoldersSerializer(serializers.Serializer[Any]):
    """Which folders to remove; none for all that are not in use."""

    paths = serializers.ListField(child=serializers.CharField(max_length=1000), max_length=500, default=list)
