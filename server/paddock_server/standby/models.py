from __future__ import annotations

from datetime import time
from enum import StrEnum

from django.db import models

from paddock_core.standby.decide import SETTLE_SECONDS, Mode

from ..people.models import Role

MODES = [(mode.value, mode.value) for mode in Mode]


class WakeWay(StrEnum):
    NETWORK = "wake-on-lan"
    REDFISH = "redfish"
    SCRIPT = "script"
    BY_HAND = "by hand"


WAKE_WAYS = [(way.value, way.value) for way in WakeWay]


class PowerSettings(models.Model):
    """How one host is woken, and whether the server may power it down. ``hardware`` is the hardware address to wake,
    "" for the one that its agent reported last. ``watts`` are drawn when it is on, ``watts_asleep`` when it sleeps;
    None where they were not entered; what its controller measured is kept beside them.

    The controller is what speaks Redfish at ``controller``, an https address; its password is sealed, and
    ``certificate`` is PEM, "" for those that the system trusts. ``refused`` says why its controller is not asked any
    more until an administrator saves these settings again. ``script`` runs on ``script_host``."""

    host = models.OneToOneField("hosts.Host", models.CASCADE, related_name="power_settings")
    way = models.CharField(max_length=20, choices=WAKE_WAYS, default=WakeWay.NETWORK.value)
    hardware = models.CharField(max_length=17, blank=True)
    may_power_down = models.BooleanField(default=False)
    watts = models.FloatField(null=True)
    watts_asleep = models.FloatField(null=True)
    measured_watts = models.FloatField(null=True)
    measured_watts_asleep = models.FloatField(null=True)
    measured_at = models.DateTimeField(null=True)
    controller = models.CharField(max_length=300, blank=True)
    controller_user = models.CharField(max_length=100, blank=True)
    controller_password = models.BinaryField(default=bytes)
    certificate = models.TextField(blank=True)
    system = models.CharField(max_length=100, blank=True)
    refused = models.CharField(max_length=300, blank=True)
    script = models.TextField(blank=True)
    script_host = models.ForeignKey("hosts.Host", models.SET_NULL, null=True, related_name="+")

    @property
    def sealed_for(self) -> str:
        """The name in the seal of the password: sealed for another controller it cannot be opened."""
        return f"redfish {self.controller_user}@{self.controller}"

    @property
    def draws(self) -> float | None:
        """Watts when idle: entered, else measured."""
        return self.measured_watts if self.watts is None else self.watts

    @property
    def draws_asleep(self) -> float | None:
        """Watts when asleep: entered, else measured."""
        return self.measured_watts_asleep if self.watts_asleep is None else self.watts_asleep


class StandbyPolicy(models.Model):
    """What the server may do with the power of a paddock's hosts, or of one host. Times in seconds. Hosts power down
    between ``begins`` and ``ends`` on ``days`` (0 for Monday) by the clock of ``zone``; at any time where both are the
    same. At least ``keep_awake`` of the hosts that meet ``terms`` stay on, and ``keep_free`` of them free. People who
    have the role ``wakers`` may wake the hosts and power them down."""

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
    wakers = models.CharField(max_length=20, choices=Role.choices, default=Role.OPERATOR.value)
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
    """One wake of a host: who asked for it, for which jobs, rule or other work, and what was tried. ``tried`` are the
    tries, each with ``what`` and ``at`` (seconds since the epoch). ``worked`` is None until it is over. A host that
    ``returns`` powers down again after the work, even if otherwise only a person powers it down."""

    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="wakes")
    at = models.DateTimeField()
    by = models.CharField(max_length=200)
    jobs = models.JSONField(default=list)
    keeps = models.CharField(max_length=200, blank=True)
    returns = models.BooleanField(default=False)
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
