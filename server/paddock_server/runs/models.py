from __future__ import annotations

import contextlib
import shutil
from pathlib import Path

from django.conf import settings
from django.db import models

from ..work.models import Attempt

STEP_OUTCOMES = [
    (one, one)
    for one in (
        "running", "exited", "signalled", "cancelled", "timed out", "not started", "skipped", "agent stopped", "lost",
    )
]  # fmt: skip
TEST_OUTCOMES = [(one, one) for one in ("passed", "failed", "error", "skipped")]
FOLDER_KINDS = [(one, one) for one in ("fresh", "warm")]


class StepRun(models.Model):
    """One step of one attempt. Times are by the host's clock, corrected by the server's."""

    attempt = models.ForeignKey("work.Attempt", models.CASCADE, related_name="steps")
    number = models.PositiveIntegerField()
    outcome = models.CharField(max_length=20, choices=STEP_OUTCOMES, default="running")
    exit_code = models.IntegerField(null=True)
    signal = models.CharField(max_length=20, blank=True)
    why = models.CharField(max_length=2000, blank=True)
    commit = models.CharField(max_length=64, blank=True)
    began_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["attempt", "number"], name="one_step_a_number")]


class Output(models.Model):
    """A file that is kept of an attempt. ``have`` bytes of it are here; it is ``whole`` once their hash is right, and
    ``refused`` says why it will never be."""

    attempt = models.ForeignKey("work.Attempt", models.CASCADE, related_name="outputs")
    number = models.PositiveIntegerField()
    path = models.CharField(max_length=1000)
    size = models.BigIntegerField()
    sha256 = models.CharField(max_length=64)
    whole = models.BooleanField(default=False)
    refused = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["attempt", "number"], name="one_output_a_number")]

    @property
    def file(self) -> Path:
        """Where it is kept: by number, for a path from a host is nothing to make a file by."""
        return _outputs_folder(self.attempt) / str(self.number)


def remove_outputs(attempt: Attempt) -> None:
    """Removes all kept files of an attempt; what is known of them stays."""
    with contextlib.suppress(FileNotFoundError):
        shutil.rmtree(_outputs_folder(attempt))


def _outputs_folder(attempt: Attempt) -> Path:
    return Path(settings.OUTPUTS) / f"{attempt.job_id // 1000:06}" / attempt.wire_name


class LeftOut(models.Model):
    """What was to be kept of an attempt and was not, with why."""

    attempt = models.ForeignKey("work.Attempt", models.CASCADE, related_name="left_out")
    reason = models.CharField(max_length=2000)


class TestCase(models.Model):
    """One test of one attempt, as its JUnit XML says."""

    __test__ = False

    attempt = models.ForeignKey("work.Attempt", models.CASCADE, related_name="test_cases")
    suite = models.CharField(max_length=500, blank=True)
    name = models.CharField(max_length=500)
    outcome = models.CharField(max_length=10, choices=TEST_OUTCOMES)
    seconds = models.FloatField(default=0.0)
    message = models.CharField(max_length=4000, blank=True)
    newly = models.BooleanField(default=False)

    class Meta:
        ordering = ["id"]


class WorkFolder(models.Model):
    """A work folder of a host, as its agent last reported. Sizes in bytes."""

    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="work_folders")
    path = models.CharField(max_length=1000)
    kind = models.CharField(max_length=10, choices=FOLDER_KINDS)
    pipeline = models.CharField(max_length=100, blank=True, db_index=True)
    attempt = models.CharField(max_length=64, blank=True)
    size = models.BigIntegerField(default=0)
    files = models.BigIntegerField(default=0)
    used_at = models.DateTimeField(null=True)
    in_use = models.BooleanField(default=False)

    class Meta:
        ordering = ["-used_at"]
