from __future__ import annotations

from pathlib import Path

from django.conf import settings
from django.db import models

from paddock_core.lifecycle import AttemptState, JobState

JOB_STATES = [(state.value, state.value) for state in JobState]
ATTEMPT_STATES = [(state.value, state.value) for state in AttemptState]


class Source(models.Model):
    """A Git repository with a pipeline file in it. The secret of its webhook is not kept: it follows from the server's
    own secret and ``secret_number``, which a new secret raises."""

    url = models.CharField(max_length=500)
    ref = models.CharField(max_length=200)
    path = models.CharField(max_length=200, default="paddock.yaml")
    secret_number = models.PositiveIntegerField(default=1)
    made_by = models.CharField(max_length=200)
    made_at = models.DateTimeField(auto_now_add=True)
    read_at = models.DateTimeField(null=True)
    read_commit = models.CharField(max_length=64, blank=True)
    pipeline = models.CharField(max_length=100, blank=True)
    trouble = models.CharField(max_length=2000, blank=True)

    class Meta:
        ordering = ["id"]


class Delivery(models.Model):
    """A message of a source's webhook that was taken: one that comes again is a replay."""

    source = models.ForeignKey(Source, models.CASCADE, related_name="deliveries")
    name = models.CharField(max_length=200)
    at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["source", "name"], name="one_delivery_a_name")]


class Submission(models.Model):
    """Jobs that were sent together, from one pipeline file; ``commit`` is where it was read, "" for a file that
    sent by hand."""

    pipeline = models.CharField(max_length=100, db_index=True)
    source = models.ForeignKey(Source, models.SET_NULL, null=True, related_name="submissions")
    ref = models.CharField(max_length=200, blank=True)
    commit = models.CharField(max_length=64, blank=True)
    submitted_at = models.DateTimeField()
    submitted_by = models.CharField(max_length=200)

    class Meta:
        ordering = ["-id"]


class Job(models.Model):
    """What a pipeline asks to have run. ``terms`` and ``prefers`` are canonical.

    ``paddocks`` are those within its sender's reach, empty for all; ``let_in`` those into which it was let this once,
    past their fences. The server's own jobs (``is_internal``) go past fences and reservations. ``after`` are the
    numbers of jobs that have to pass first. ``earmarked_host`` is the host that is kept for it, until it has as many
    slots as the job asks for. A job has ``steps``, or else one script; ``secrets`` are names of those that it is given.
    ``rerun_of`` is the job that it repeats."""

    name = models.CharField(max_length=100)
    pipeline = models.CharField(max_length=100, db_index=True)
    submission = models.ForeignKey(Submission, models.SET_NULL, null=True, related_name="jobs")
    terms = models.JSONField(default=list)
    prefers = models.JSONField(default=list)
    script = models.TextField()
    shell = models.CharField(max_length=40, blank=True)
    slots = models.PositiveIntegerField(default=1)
    priority = models.IntegerField(default=0)
    time_limit = models.PositiveIntegerField(default=0)
    retries_left = models.PositiveIntegerField(default=0)
    waits_for_new_host = models.BooleanField(default=False)
    after = models.JSONField(default=list)
    environment = models.JSONField(default=dict)
    outputs = models.JSONField(default=list)
    tests = models.JSONField(default=list)
    steps = models.JSONField(default=list)
    secrets = models.JSONField(default=list)
    warm = models.BooleanField(default=False)
    rerun_of = models.PositiveIntegerField(null=True)
    paddocks = models.JSONField(default=list)
    let_in = models.JSONField(default=list)
    is_internal = models.BooleanField(default=False)

    state = models.CharField(max_length=20, choices=JOB_STATES, default=JobState.WAITING.value, db_index=True)
    reason = models.CharField(max_length=2000, blank=True)
    reason_kind = models.CharField(max_length=60, blank=True)
    reason_term = models.IntegerField(null=True)
    reason_nearest = models.CharField(max_length=200, blank=True)
    reason_places = models.JSONField(default=list)
    earmarked_host = models.CharField(max_length=63, blank=True)
    cancel_asked = models.BooleanField(default=False)

    submitted_at = models.DateTimeField()
    submitted_by = models.CharField(max_length=200)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["pipeline", "name", "ended_at"]), models.Index(fields=["ended_at"])]


class Attempt(models.Model):
    """One try of a job on one host. ``identity`` is random and signed: job and number may come again in a restored
    database, the identity never does; one from before there were identities has none. ``tools`` are the installations
    that its terms were bound to; ``why`` says why it went to this host; ``facts`` are what the host was then.
    ``variable_names`` are the names of its environment, ``variable_values`` the values of a few that are not secret.
    ``processor`` in seconds, ``memory`` in bytes at most; ``leftover_processes`` are those that outlived it. Its log is
    packed some time after its end, and removed with its files when the paddock no longer keeps them."""

    job = models.ForeignKey(Job, models.CASCADE, related_name="attempts")
    number = models.PositiveIntegerField()
    identity = models.CharField(max_length=32, blank=True)
    host = models.ForeignKey("hosts.Host", models.PROTECT, related_name="attempts")
    state = models.CharField(max_length=20, choices=ATTEMPT_STATES, db_index=True)
    account = models.CharField(max_length=200, blank=True)
    folder = models.CharField(max_length=2000, blank=True)
    tools = models.JSONField(default=list)
    why = models.CharField(max_length=1000, blank=True)
    exit_code = models.IntegerField(null=True)
    note = models.CharField(max_length=2000, blank=True)
    facts = models.JSONField(default=dict)
    warm = models.BooleanField(default=False)
    variable_names = models.JSONField(default=list)
    variable_values = models.JSONField(default=dict)
    commit = models.CharField(max_length=64, blank=True)
    processor = models.FloatField(null=True)
    memory = models.BigIntegerField(null=True)
    leftover_processes = models.JSONField(default=list)
    offered_at = models.DateTimeField()
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)
    packed_at = models.DateTimeField(null=True)
    removed_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["job", "number"], name="one_attempt_a_number")]
        indexes = [
            models.Index("ended_at", name="attempts_to_pack", condition=models.Q(packed_at=None)),
            models.Index("ended_at", name="attempts_that_are_kept", condition=models.Q(removed_at=None)),
        ]

    @property
    def name(self) -> str:
        """What people call it."""
        return f"{self.job_id}-{self.number}"

    @property
    def wire_name(self) -> str:
        """What it is called between server and agent, and its folder on the host: with its identity, so that another
        attempt with the same numbers, of a database that was restored since, is never taken for it."""
        return f"{self.name}-{self.identity}" if self.identity else self.name

    @property
    def log_file(self) -> Path:
        """Where its log is kept; a folder holds a thousand jobs."""
        return Path(settings.LOGS) / f"{self.job_id // 1000:06}" / f"{self.wire_name}.log"
