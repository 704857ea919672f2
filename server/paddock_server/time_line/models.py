from __future__ import annotations

from django.db import models


class TimeLine(models.Model):
    """One history of this database; the last row is the present one. ``mark`` is a random word that is also written to
    a file beside the database, and changes while the server runs: a database with an older one was set back.
    ``previous_mark`` is the one before, for a server that was killed between the two writes."""

    identity = models.CharField(max_length=32, unique=True)
    began_at = models.DateTimeField(auto_now_add=True)
    why = models.CharField(max_length=400)
    mark = models.CharField(max_length=32)
    previous_mark = models.CharField(max_length=32, blank=True)

    class Meta:
        ordering = ["id"]
