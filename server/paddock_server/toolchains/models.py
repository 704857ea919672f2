from django.db import models


class Installation(models.Model):
    """One version of one tool at one place on one host, as the last survey found it."""

    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="installations")
    tool = models.CharField(max_length=200, db_index=True)
    version = models.CharField(max_length=200)
    path = models.CharField(max_length=2000)
    home = models.CharField(max_length=2000, blank=True)
    plain = models.BooleanField(default=False)
    evidence = models.CharField(max_length=2000, blank=True)
    seen_since = models.DateTimeField()

    class Meta:
        ordering = ["tool", "-plain", "path"]
