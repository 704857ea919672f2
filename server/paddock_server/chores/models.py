from __future__ import annotations

from django.db import models

from paddock_core.chores import HostState, Rolling

RUN_STATES = [(one, one) for one in ("waiting for approval", "rolling", "ended", "stopped", "turned down")]
HOST_STATES = [(state.value, state.value) for state in HostState]


class Work(models.Model):
    """What is done on each host, and how it rolls. ``wanted`` are the terms that are to hold afterwards."""

    script = models.TextField()
    shell = models.CharField(max_length=40, blank=True)
    wanted = models.JSONField(default=list)
    at_once = models.PositiveIntegerField(default=1)
    stop_after = models.PositiveIntegerField(default=1)
    drain = models.BooleanField(default=True)
    time_limit = models.PositiveIntegerField(default=3600)

    class Meta:
        abstract = True


WORK = tuple(field.name for field in Work._meta.local_fields)


class Chore(Work):
    """Work saved under a name. One that is not ``is_saved`` was made for a single run. People of ``paddocks`` may see
    it and start it there before it ever ran there."""

    name = models.CharField(max_length=100)
    purpose = models.CharField(max_length=500, blank=True)
    is_saved = models.BooleanField(default=True)
    paddocks = models.JSONField(default=list)
    made_by = models.CharField(max_length=200)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-id"]


class ChoreRun(Work):
    """A chore rolling over hosts. The work that was approved is kept with it: a later change of the chore changes no
    run."""

    chore = models.ForeignKey(Chore, models.PROTECT, related_name="runs")
    chosen_by = models.CharField(max_length=2000, blank=True)
    state = models.CharField(max_length=30, choices=RUN_STATES, db_index=True)
    asked_by = models.CharField(max_length=200)
    asked_at = models.DateTimeField()
    approved_by = models.CharField(max_length=200, blank=True)
    stopped_by = models.CharField(max_length=200, blank=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]

    @property
    def rolling(self) -> Rolling:
        """For the core."""
        return Rolling(self.at_once, self.stop_after, self.drain)


class ChoreHost(models.Model):
    """One host of a run. ``job`` ran the script there; ``changed`` is what the survey after it found otherwise,
    ``missing`` the wanted terms that still do not hold. ``drained`` where the chore itself held the host, ``wakes``
    where it had to be woken for it. The survey that counts is one that began after it was ``asked_at``."""

    run = models.ForeignKey(ChoreRun, models.CASCADE, related_name="hosts")
    place = models.PositiveIntegerField()
    host = models.ForeignKey("hosts.Host", models.PROTECT, related_name="+")
    state = models.CharField(max_length=30, choices=HOST_STATES, default=HostState.WAITING.value)
    detail = models.CharField(max_length=2000, blank=True)
    job = models.ForeignKey("work.Job", models.SET_NULL, null=True, related_name="chore_hosts")
    drained = models.BooleanField(default=False)
    wakes = models.BooleanField(default=False)
    changed = models.JSONField(default=list)
    missing = models.JSONField(default=list)
    began_at = models.DateTimeField(null=True)
    ran_at = models.DateTimeField(null=True)
    asked_at = models.DateTimeField(null=True)
    surveyed_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["place"]

    @property
    def mark(self) -> str:
        """What the survey that counts comes back with."""
        return f"chore {self.pk}"
