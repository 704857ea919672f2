from __future__ import annotations

from enum import StrEnum

from django.db import models


class RehearsalState(StrEnum):
    WAITING = "waiting"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"


REHEARSAL_STATES = [(state.value, state.value) for state in RehearsalState]
UNFINISHED = (RehearsalState.WAITING.value, RehearsalState.RUNNING.value)
OWN = ""
"""The source of what this server recorded itself."""


class PastDay(models.Model):
    """The runs that ended on one day (UTC), packed (``paddock_core.planning.past``). ``source`` is "" for this server's
    own, else the name under which a past was imported. ``left_out`` counts runs with impossible times, by why."""

    day = models.DateField()
    source = models.CharField(max_length=60, blank=True)
    runs = models.PositiveIntegerField()
    cancelled = models.PositiveIntegerField(default=0)
    left_out = models.JSONField(default=dict)
    data = models.BinaryField()

    class Meta:
        ordering = ["day", "source"]
        constraints = [models.UniqueConstraint(fields=["day", "source"], name="one_past_a_day_and_source")]


class PastClosure(models.Model):
    """A time in an imported past during which a host took no jobs."""

    source = models.CharField(max_length=60)
    host = models.CharField(max_length=63)
    since = models.DateTimeField()
    until = models.DateTimeField()

    class Meta:
        ordering = ["since"]


class Rehearsal(models.Model):
    """A stretch of the past, played again with changes. ``changes`` are those of ``paddock_core.planning.changes``.
    With a ``target`` in seconds, it also finds how many hosts like ``like`` keep the 95th wait of ``pipelines`` under
    it, and when their growth breaks it. ``is_outlook``: the server asked for it, once a day. ``input_hash`` is that of
    all that went in; with the same one and the same ``seed`` the ``result`` is the same."""

    name = models.CharField(max_length=100)
    is_outlook = models.BooleanField(default=False)
    asked_by = models.CharField(max_length=200)
    asked_at = models.DateTimeField()
    since = models.DateTimeField()
    until = models.DateTimeField()
    zone = models.CharField(max_length=64, default="UTC")
    changes = models.JSONField(default=list)
    seed = models.PositiveIntegerField(default=0)
    target = models.PositiveIntegerField(default=0)
    pipelines = models.JSONField(default=list)
    like = models.CharField(max_length=63, blank=True)

    state = models.CharField(max_length=20, choices=REHEARSAL_STATES, default=RehearsalState.WAITING.value)
    progress = models.FloatField(default=0.0)
    seconds_left = models.FloatField(null=True)
    detail = models.CharField(max_length=1000, blank=True)
    input_hash = models.CharField(max_length=64, blank=True)
    result = models.JSONField(null=True)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]


class Cost(models.Model):
    """What a host costs, or each host of a paddock that has no cost of its own. Owned: ``price`` over ``years``, mean
    ``watts``, and ``room`` a month. Rented: ``per_hour`` and ``per_start``. All in the currency of PlanSettings."""

    host = models.OneToOneField("hosts.Host", models.CASCADE, null=True, related_name="cost")
    paddock = models.OneToOneField("hosts.Paddock", models.CASCADE, null=True, related_name="cost")
    is_rented = models.BooleanField(default=False)
    price = models.FloatField(default=0.0)
    years = models.FloatField(default=4.0)
    watts = models.FloatField(default=0.0)
    room = models.FloatField(default=0.0)
    per_hour = models.FloatField(default=0.0)
    per_start = models.FloatField(default=0.0)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=models.Q(host=None) ^ models.Q(paddock=None), name="cost_of_a_host_or_a_paddock"
            )
        ]


class PlanSettings(models.Model):
    """One row. ``target`` in seconds: 95 of 100 jobs should not wait longer. ``rented_per_hour`` and
    ``rented_per_start`` are the price of a machine that could be rented instead; 0 for none."""

    target = models.PositiveIntegerField(default=900)
    currency = models.CharField(max_length=10, blank=True)
    energy_price = models.FloatField(default=0.0)
    rented_per_hour = models.FloatField(default=0.0)
    rented_per_start = models.FloatField(default=0.0)
