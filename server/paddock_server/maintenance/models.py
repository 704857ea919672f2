from __future__ import annotations

from django.conf import settings
from django.db import models

HOWS = [("drain", "drain"), ("hold", "hold")]


class MaintenanceWindow(models.Model):
    """A planned time during which the hosts of a paddock, or one host, take no jobs; once, or by a recurrence rule
    (RFC 5545). ``zone`` is where its clock hangs: a window at eight stays at eight when summer time begins. ``ahead``
    are the times of its rule by that clock, in order, as they were computed up to ``ahead_until``. ``left_out`` are
    times of the rule that were cancelled; ``moved`` are those that are elsewhere (see ``times.MovedTime``)."""

    what = models.CharField(max_length=200)
    paddock = models.ForeignKey("hosts.Paddock", models.CASCADE, related_name="maintenance_windows")
    host = models.ForeignKey("hosts.Host", models.CASCADE, null=True, related_name="maintenance_windows")
    how = models.CharField(max_length=10, choices=HOWS, default="drain")
    starts_at = models.DateTimeField()
    ends_at = models.DateTimeField()
    zone = models.CharField(max_length=64, default="UTC")
    rule = models.CharField(max_length=500, blank=True)
    left_out = models.JSONField(default=list)
    moved = models.JSONField(default=list)
    ahead = models.JSONField(default=list)
    ahead_until = models.DateTimeField(null=True)
    uid = models.CharField(max_length=300, unique=True)
    made_by = models.CharField(max_length=200)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["starts_at"]


class MaintenanceTime(models.Model):
    """One occurrence of a window that has begun. ``held`` are the hosts that it held, by key: one that a person resumes
    early is not held again."""

    window = models.ForeignKey(MaintenanceWindow, models.CASCADE, related_name="times")
    starts_at = models.DateTimeField()
    ends_at = models.DateTimeField()
    held = models.JSONField(default=list)
    over_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["window", "starts_at"], name="one_maintenance_time")]


class CalendarAddress(models.Model):
    """The address at which a person's own calendar reads the maintenance windows that the person may see. Only the hash
    of its secret part is kept."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="calendar_address")
    digest = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField()
