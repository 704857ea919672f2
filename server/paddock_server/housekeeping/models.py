from __future__ import annotations

from django.db import models

from paddock_core.retention import RecordKind

KINDS = [(one.value, one.value) for one in RecordKind]


class RetentionRule(models.Model):
    """How long records of a kind stay: see ``paddock_core.retention``. Without paddock or pipeline it is for all."""

    kind = models.CharField(max_length=20, choices=KINDS)
    paddock = models.ForeignKey("hosts.Paddock", models.CASCADE, null=True, related_name="retention_rules")
    pipeline = models.CharField(max_length=100, blank=True)
    days = models.PositiveIntegerField()
    keep_last = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["id"]


class StorageSample(models.Model):
    """What the data folder held at a moment, in bytes, and what its disk had free."""

    at = models.DateTimeField(db_index=True)
    database = models.BigIntegerField()
    logs = models.BigIntegerField()
    outputs = models.BigIntegerField()
    free = models.BigIntegerField()
    total = models.BigIntegerField()

    class Meta:
        ordering = ["at"]


class BackupRun(models.Model):
    """One backup by the running server: made where there is no ``trouble``. ``asked_by`` is "" for the schedule;
    ``size`` in bytes, of files that it shares with other backups as well."""

    began_at = models.DateTimeField(db_index=True)
    ended_at = models.DateTimeField()
    folder = models.CharField(max_length=1000, blank=True)
    size = models.BigIntegerField(default=0)
    files = models.PositiveIntegerField(default=0)
    has_keys = models.BooleanField(default=False)
    trouble = models.CharField(max_length=1000, blank=True)
    asked_by = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-began_at"]
