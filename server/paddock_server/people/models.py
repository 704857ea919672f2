from __future__ import annotations

from django.conf import settings
from django.contrib.auth.models import User
from django.contrib.sessions.base_session import AbstractBaseSession
from django.db import models
from django.utils import timezone

from paddock_core.access.roles import Scope


class Role(models.TextChoices):
    """What a person may do; each role can do what those before it can."""

    VIEWER = "viewer"
    OPERATOR = "operator"
    ADMINISTRATOR = "administrator"


ACCOUNT_KINDS = [("person", "person"), ("service", "service")]
SCOPES = [(one.value, one.value) for one in Scope]


class Account(models.Model):
    """What is known of a person or a service account beside name, password and whether it may do anything at all
    (``user.is_active``). ``skeleton`` is what the name looks like: no two accounts look the same."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="account")
    kind = models.CharField(max_length=10, choices=ACCOUNT_KINDS, default="person")
    skeleton = models.CharField(max_length=200, blank=True, db_index=True)
    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, models.SET_NULL, null=True, blank=True, related_name="service_accounts"
    )
    owner_team = models.CharField(max_length=100, blank=True)
    purpose = models.CharField(max_length=300, blank=True)
    added_by = models.CharField(max_length=200, blank=True)
    disabled_at = models.DateTimeField(null=True, blank=True)
    disabled_by = models.CharField(max_length=200, blank=True)
    password_changed_at = models.DateTimeField(null=True, blank=True)
    last_seen_at = models.DateTimeField(null=True, blank=True)
    time_zone = models.CharField(max_length=60, blank=True)
    clock_hours = models.CharField(max_length=2, blank=True)


def not_ended(prefix: str = "") -> models.Q:
    """Of rows with ``ends_at``, those that have not ended; ``prefix`` leads to them from another model."""
    field = f"{prefix}ends_at"
    return models.Q(**{field: None}) | models.Q(**{f"{field}__gt": timezone.now()})


class Grant(models.Model):
    """One person's role, for one paddock, or for everything where ``paddock`` is empty; the highest counts.
    ``provider`` is set where a group of a sign-on provider gives the role. After ``ends_at`` it gives nothing."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="grants")
    role = models.CharField(max_length=20, choices=Role)
    paddock = models.ForeignKey("hosts.Paddock", models.CASCADE, null=True, blank=True, related_name="grants")
    provider = models.ForeignKey("people.SignOnProvider", models.CASCADE, null=True, blank=True, related_name="grants")
    ends_at = models.DateTimeField(null=True, blank=True)
    granted_at = models.DateTimeField(null=True, auto_now_add=True)
    granted_by = models.CharField(max_length=200, blank=True)
    last_used_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["user", "paddock", "provider", "role"],
                name="one_grant_a_paddock_and_role",
                nulls_distinct=False,
            ),
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
    """A program's key to the API, acting for a person or a service account. Only its hash is stored. ``paddocks``
    limits it to these, by name; empty: no limit beyond its person's roles."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=100)
    digest = models.CharField(max_length=64, unique=True)
    scope = models.CharField(max_length=10, choices=SCOPES, default=Scope.ALL.value)
    paddocks = models.JSONField(default=list)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.CharField(max_length=200, blank=True)
    ends_at = models.DateTimeField(null=True, blank=True)
    last_used_at = models.DateTimeField(null=True, blank=True)
    last_used_from = models.CharField(max_length=100, blank=True)
    revoked_at = models.DateTimeField(null=True, blank=True)
    revoked_by = models.CharField(max_length=200, blank=True)


class Session(AbstractBaseSession):
    """A log-in of a person in a browser. ``session_key`` is the hash of the key in the browser's cookie, so that who
    reads the database cannot take a session over. Rows without a user are browsers that have not logged in."""

    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, models.CASCADE, null=True, blank=True, related_name="browser_sessions"
    )
    opened_at = models.DateTimeField(null=True, blank=True)
    last_seen_at = models.DateTimeField(null=True, blank=True)
    address = models.CharField(max_length=100, blank=True)
    browser = models.CharField(max_length=300, blank=True)
    method = models.CharField(max_length=40, blank=True)
    provider = models.ForeignKey(
        "people.SignOnProvider", models.SET_NULL, null=True, blank=True, related_name="browser_sessions"
    )


class Invitation(models.Model):
    """A one-time link with which a person sets a password: the first one, or a new one after a reset."""

    KINDS = [("invitation", "invitation"), ("reset", "reset")]

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="invitations")
    kind = models.CharField(max_length=10, choices=KINDS)
    digest = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.CharField(max_length=200)
    ends_at = models.DateTimeField()
    used_at = models.DateTimeField(null=True, blank=True)


class Passkey(models.Model):
    """A WebAuthn credential: a person's second factor."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="passkeys")
    name = models.CharField(max_length=100)
    credential = models.CharField(max_length=1400, unique=True)
    public_key = models.BinaryField()
    sign_count = models.BigIntegerField(default=0)
    made_at = models.DateTimeField(auto_now_add=True)
    last_used_at = models.DateTimeField(null=True, blank=True)


class RecoveryCode(models.Model):
    """One code that stands in for a passkey, once."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="recovery_codes")
    digest = models.CharField(max_length=64)
    used_at = models.DateTimeField(null=True, blank=True)


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


class SignOnProvider(models.Model):
    """An OpenID Connect provider. The client secret is sealed. ``groups_claim`` names the claim of the ID token that
    lists a person's groups."""

    name = models.CharField(max_length=60, unique=True)
    issuer = models.CharField(max_length=300, unique=True)
    client_id = models.CharField(max_length=200)
    client_secret = models.BinaryField(default=bytes, blank=True)
    groups_claim = models.CharField(max_length=60, default="groups")
    is_on = models.BooleanField(default=True)
    trouble = models.CharField(max_length=400, blank=True)
    trouble_at = models.DateTimeField(null=True, blank=True)
    version = models.PositiveIntegerField(default=1)


class GroupRole(models.Model):
    """Members of a provider's group have a role in a paddock; for everything where ``paddock`` is empty."""

    provider = models.ForeignKey(SignOnProvider, models.CASCADE, related_name="group_roles")
    group = models.CharField(max_length=200)
    role = models.CharField(max_length=20, choices=Role)
    paddock = models.ForeignKey("hosts.Paddock", models.CASCADE, null=True, blank=True, related_name="group_roles")

    class Meta:
        ordering = ["group", "id"]
        constraints = [
            models.UniqueConstraint(
                fields=["provider", "group", "paddock"], name="one_role_a_group_and_paddock", nulls_distinct=False
            ),
        ]


class Identity(models.Model):
    """A person as a provider knows them, by its ``sub``. ``groups`` are those of the last sign-on."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="identities")
    provider = models.ForeignKey(SignOnProvider, models.CASCADE, related_name="identities")
    subject = models.CharField(max_length=255)
    groups = models.JSONField(default=list)
    last_signed_on_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["provider", "subject"], name="one_identity_a_subject")]


def account_of(user: User) -> Account:
    """The account of a user. Users that were made without one get an unsaved one."""
    try:
        return user.account
    except Account.DoesNotExist:
        return Account(user=user)
