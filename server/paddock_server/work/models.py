from __future__ import annotations

from pathlib import Path

from django.conf import settings
from django.db import models

from paddock_core.lifecycle import AttemptState, JobState

JOB_STATES = [(state.value, state.value) for state in JobState]
ATTEMPT_STATES = [(state.value, state.value) for state in AttemptState]


class Job(models.Model):
    """What a pipeline asks to have run. ``terms`` are canonical; ``paddocks`` those it may go into, empty for all."""

    name = models.CharField(max_length=100)
    pipeline = models.CharField(max_length=100, db_index=True)
    terms = models.JSONField(default=list)
    script = models.TextField()
    shell = models.CharField(max_length=40, blank=True)
    priority = models.IntegerField(default=0)
    time_limit = models.PositiveIntegerField(default=0)
    retries_left = models.PositiveIntegerField(default=0)
    paddocks = models.JSONField(default=list)

    state = models.CharField(max_length=20, choices=JOB_STATES, default=JobState.WAITING.value, db_index=True)
    reason = models.CharField(max_length=2000, blank=True)
    reason_kind = models.CharField(max_length=60, blank=True)
    reason_term = models.IntegerField(null=True)
    reason_nearest = models.CharField(max_length=200, blank=True)
    cancel_asked = models.BooleanField(default=False)

    submitted_at = models.DateTimeField()
    submitted_by = models.CharField(max_length=200)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]


class Attempt(models.Model):
    """One try of a job on one host. ``tools`` are the installations that its terms were bound to."""

    job = models.ForeignKey(Job, models.CASCADE, related_name="attempts")
    number = models.PositiveIntegerField()
    host = models.ForeignKey("hosts.Host", models.PROTECT, related_name="attempts")
    state = models.CharField(max_length=20, choices=ATTEMPT_STATES, db_index=True)
    account = models.CharField(max_length=200, blank=True)
    folder = models.CharField(max_length=2000, blank=True)
    tools = models.JSONField(default=list)
    exit_code = models.IntegerField(null=True)
    note = models.CharField(max_length=2000, blank=True)
    offered_at = models.DateTimeField()
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["job", "number"], name="one_attempt_a_number")]

    @property
    def wire_name(self) -> str:
        """What the attempt is called between server and agent, and its folder on the host."""
        return f"{self.job_id}-{self.number}"

    @property
    def log_file(self) -> Path:
        """Where its log is kept."""
        return log_file(self.job_id, self.number)


def log_file(job: int, number: int) -> Path:
    """Where the log of one attempt is kept; a folder holds a thousand jobs."""
    return Path(settings.LOGS) / f"{job // 1000:06}" / f"{job}-{number}.log"
