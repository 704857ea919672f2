from __future__ import annotations

from django.db import models


class PipelineSecret(models.Model):
    """A secret. ``sealed`` is its value, encrypted with a key that is not in the database. ``pipelines`` are patterns,
    ``paddocks`` names or ``*``; with ``sources_only`` it goes only to jobs that were read from a Git source."""

    name = models.CharField(max_length=100, unique=True)
    purpose = models.CharField(max_length=200, blank=True)
    sealed = models.BinaryField()
    pipelines = models.JSONField(default=list)
    paddocks = models.JSONField(default=list)
    sources_only = models.BooleanField(default=False)
    made_by = models.CharField(max_length=200)
    made_at = models.DateTimeField(auto_now_add=True)
    changed_by = models.CharField(max_length=200)
    changed_at = models.DateTimeField()
    given_at = models.DateTimeField(null=True)
    given_to = models.CharField(max_length=40, blank=True)

    class Meta:
        ordering = ["name"]
