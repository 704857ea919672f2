from django.conf import settings
from django.db import models


class Role(models.TextChoices):
    """What a person may do; each role can do what those before it can."""

    VIEWER = "viewer"
    OPERATOR = "operator"
    ADMINISTRATOR = "administrator"


class Grant(models.Model):
    """One person's role, for one paddock, or for everything where ``paddock`` is empty."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="grants")
    role = models.CharField(max_length=20, choices=Role)
    paddock = models.ForeignKey("hosts.Paddock", models.CASCADE, null=True, blank=True, related_name="grants")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["user", "paddock"], name="one_grant_a_paddock", nulls_distinct=False),
        ]


class WrongLogIns(models.Model):
    """Wrong passwords from one address, or for one person, whatever the address. It goes some time after the last."""

    KINDS = [("address", "address"), ("account", "account")]

    kind = models.CharField(max_length=10, choices=KINDS)
    subject = models.CharField(max_length=150)
    tries = models.PositiveIntegerField(default=0)
    first_at = models.DateTimeField()
    last_at = models.DateTimeField(db_index=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["kind", "subject"], name="one_count_of_wrong_log_ins")]


class KnownPlace(models.Model):
    """An address from which a person has logged in: others' guessing of the password does not lock them out there."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="known_places")
    address = models.CharField(max_length=100)
    last_at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["user", "address"], name="one_place_a_person")]


class Token(models.Model):
    """A program's key to the API, acting for a person. Only the hash of it is kept."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=100)
    digest = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField(auto_now_add=True)


class AccessRequest(models.Model):
    """A person asks for a role in a paddock. Open until ``decided_at``; ``granted`` says how it ended."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="access_requests")
    role = models.CharField(max_length=20, choices=Role)
    paddock = models.ForeignKey("hosts.Paddock", models.CASCADE, related_name="access_requests")
    reason = models.CharField(max_length=300)
    asked_at = models.DateTimeField()
    decided_at = models.DateTimeField(null=True)
    decided_by = models.CharField(max_length=200, blank=True)
    granted = models.BooleanField(default=False)

    class Meta:
        ordering = ["asked_at", "id"]
        constraints = [
            models.UniqueConstraint(
                fields=["user", "role", "paddock"],
                condition=models.Q(decided_at=None),
                name="one_open_request_a_role",
            ),
        ]
