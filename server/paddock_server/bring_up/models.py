from __future__ import annotations

from django.db import models

from paddock_core.bring_up import BringUpStep

SYSTEMS = [("linux", "linux"), ("macos", "macos"), ("windows", "windows")]
ARCHES = [("x64", "x64"), ("arm64", "arm64")]
SUPERVISORS = [("service", "service"), ("log-in", "log-in"), ("by hand", "by hand")]
STEPS = [(step.value, step.value) for step in BringUpStep]


class BringUp(models.Model):
    """One sheet: a machine that is to come in, what was chosen for it, and what became of it.

    ``code`` names the sheet to the machine: whoever has it may report steps to it, and nothing else. Sheets that were
    planned together share their pass and a ``batch`` code, and a machine finds its own by its name. One that
    ``repairs`` is for a machine that is a host already.
    """

    code = models.CharField(max_length=40, unique=True)
    batch = models.CharField(max_length=40, blank=True, db_index=True)
    paddock = models.ForeignKey("hosts.Paddock", models.CASCADE, related_name="bring_ups")
    entry_pass = models.ForeignKey("hosts.EntryPass", models.SET_NULL, null=True, related_name="bring_ups")
    system = models.CharField(max_length=10, choices=SYSTEMS)
    arch = models.CharField(max_length=10, choices=ARCHES)
    name = models.CharField(max_length=63, blank=True)
    labels = models.JSONField(default=list)
    slots = models.PositiveIntegerField(default=0)
    work_folder = models.CharField(max_length=200, blank=True)
    supervisor = models.CharField(max_length=10, choices=SUPERVISORS, default="service")
    account = models.CharField(max_length=100, blank=True)
    server = models.CharField(max_length=200)

    host = models.ForeignKey("hosts.Host", models.SET_NULL, null=True, related_name="bring_ups")
    repairs = models.BooleanField(default=False)
    proof = models.ForeignKey("work.Job", models.SET_NULL, null=True, related_name="+")
    hostname = models.CharField(max_length=200, blank=True)
    address = models.CharField(max_length=100, blank=True)
    made_by = models.CharField(max_length=200)
    made_at = models.DateTimeField(auto_now_add=True)
    given_up_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return self.name or self.hostname or f"sheet {self.pk}"

    @property
    def title(self) -> str:
        """What it is called on screens."""
        return str(self)


class ReportedStep(models.Model):
    """The last report of one step, by the machine or by the server for it."""

    bring_up = models.ForeignKey(BringUp, models.CASCADE, related_name="reported_steps")
    step = models.CharField(max_length=20, choices=STEPS)
    began_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)
    failed = models.BooleanField(default=False)
    found = models.CharField(max_length=2000, blank=True)
    remedy = models.JSONField(default=list)
    checks = models.JSONField(default=list)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["bring_up", "step"], name="one_account_of_a_step")]


class TrustedMachine(models.Model):
    """The SSH host key that a person trusted for an address. Another key there is refused."""

    address = models.CharField(max_length=200)
    port = models.PositiveIntegerField()
    key = models.CharField(max_length=2000)
    trusted_by = models.CharField(max_length=200)
    trusted_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["address", "port"], name="one_key_an_address")]
