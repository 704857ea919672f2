from __future__ import annotations

from datetime import time
from enum import StrEnum

from django.db import models

from paddock_core.standby.decide import SETTLE_SECONDS, Mode

MODES = [(mode.value, mode.value) for mode in Mode]


class WakeWay(StrEnum):
    NETWORK = "wake-on-lan"
    BY_HAND = "by hand"


WAKE_WAYS = [(way.value, way.value) for way in WakeWay]


class PowerSettings(models.Model):
    """How one host is woken, and whether the server may power it down. ``hardware`` is the hardware address to wake,
    "" for the one that its agent reported last. ``watts`` are drawn when it is on, ``watts_asleep`` when it sleeps;
    None where they were not entered."""

    host = models.OneToOneField("hosts.Host", models.CASCADE, related_name="power_settings")
    way = models.CharField(max_length=20, choices=WAKE_WAYS, default=WakeWay.NETWORK.value)
    hardware = models.CharField(max_length=17, blank=True)
    may_power_down = models.BooleanField(default=False)
    watts = models.FloatField(null=True)
    watts_asleep = models.FloatField(null=True)


class StandbyPolicy(models.Model):
    """What the server may do with the power of a paddock's hosts, or of one host. Times in seconds. Hosts power down
    between ``begins`` and ``ends`` on ``days`` (0 for Monday) by the clock of ``zone``; at any time where both are the
    same. At least ``keep_awake`` of the hosts that meet ``terms`` stay on, and ``keep_free`` of them free."""

    paddock = models.ForeignKey("hosts.Paddock", models.CASCADE, related_name="standby_policies")
    host = models.OneToOneField("hosts.Host", models.CASCADE, null=True, related_name="standby_policy")
    mode = models.CharField(max_length=20, choices=MODES, default=Mode.BY_HAND.value)
    idle_seconds = models.PositiveIntegerField(default=1800)
    up_seconds = models.PositiveIntegerField(default=int(SETTLE_SECONDS))
    begins = models.TimeField(default=time(0))
    ends = models.TimeField(default=time(0))
    days = models.JSONField(default=list)
    zone = models.CharField(max_length=64, default="UTC")
    terms = models.JSONField(default=list)
    keep_awake = models.PositiveIntegerField(default=0)
    keep_free = models.PositiveIntegerField(default=0)
    changed_by = models.CharField(max_length=200)
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["paddock__name", "host__name"]
        constraints = [
            models.UniqueConstraint(
                fields=["paddock"], condition=models.Q(host=None), name="one_standby_policy_a_paddock"
            )
        ]


class Wake(models.Model):
    """One wake of a host: who asked for it, for which jobs or rule, and what was tried. ``tried`` are the tries, each
    with ``what`` and ``at`` (seconds since the epoch). ``worked`` is None until it is over."""

    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="wakes")
    at = models.DateTimeField()
    by = models.CharField(max_length=200)
    jobs = models.JSONField(default=list)
    keeps = models.CharField(max_length=200, blank=True)
    tries = models.PositiveIntegerField(default=0)
    tried_at = models.DateTimeField(null=True)
    tried = models.JSONField(default=list)
    ended_at = models.DateTimeField(null=True)
    worked = models.BooleanField(null=True)

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(fields=["host"], condition=models.Q(ended_at=None), name="one_open_wake_a_host")
        ]
