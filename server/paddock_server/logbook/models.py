from __future__ import annotations

from typing import Any, NoReturn

from django.db import models


class Entry(models.Model):
    """One line of the logbook. Lines are added, never changed or taken out."""

    at = models.DateTimeField(auto_now_add=True, db_index=True)
    who = models.CharField(max_length=200)
    verb = models.CharField(max_length=40)
    noun = models.CharField(max_length=40)
    thing = models.CharField(max_length=200, db_index=True)
    paddock = models.CharField(max_length=100, blank=True)
    details = models.JSONField(default=dict)

    class Meta:
        ordering = ["-id"]

    def save(self, *args: Any, **kwargs: Any) -> None:
        if self.pk is not None:
            raise TypeError("a line of the logbook is never changed")
        super().save(*args, **kwargs)

    def delete(self, *args: Any, **kwargs: Any) -> NoReturn:
        raise TypeError("a line of the logbook is never taken out")


class SyslogPosition(models.Model):
    """Up to which line the logbook has gone out as syslog; one row."""

    entry = models.BigIntegerField(default=0)
    trouble = models.CharField(max_length=300, blank=True)
