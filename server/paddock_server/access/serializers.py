from __future__ import annotations

from typing import Any

from rest_framework import serializers

from paddock_core.access.roles import Scope

from ..people.models import ACCOUNT_KINDS, SCOPES, Role
from .one_time_links import INVITATION_HOURS, MAX_INVITATION_HOURS

ACCOUNT_STATES = [(one, one) for one in ("active", "invited", "disabled")]


class HeldRoleSerializer(serializers.Serializer[Any]):
    """A role; ``paddock`` is empty for all paddocks, ``by_provider`` the provider whose groups give it."""

    paddock = serializers.CharField()
    role = serializers.ChoiceField(choices=Role.choices)
    by_provider = serializers.CharField()
    ends_at = serializers.DateTimeField(allow_null=True)
    granted_by = serializers.CharField()
    granted_at = serializers.DateTimeField(allow_null=True)
    last_used_at = serializers.DateTimeField(allow_null=True)


class PersonSerializer(serializers.Serializer[Any]):
    """An account, and what it may do where."""

    name = serializers.CharField()
    kind = serializers.ChoiceField(choices=ACCOUNT_KINDS)
    state = serializers.ChoiceField(choices=ACCOUNT_STATES)
    owner = serializers.CharField()
    purpose = serializers.CharField()
    roles = HeldRoleSerializer(many=True)
    added_at = serializers.DateTimeField()
    added_by = serializers.CharField()
    last_seen_at = serializers.DateTimeField(allow_null=True)
    invitation_ends_at = serializers.DateTimeField(allow_null=True)
    disabled_by = serializers.CharField()
    tokens = serializers.IntegerField()
    sessions = serializers.IntegerField()
    passkeys = serializers.IntegerField()
    sign_on = serializers.ListField(child=serializers.CharField())
    may_manage = serializers.BooleanField()


class PeopleSerializer(serializers.Serializer[Any]):
    """The people, and the paddocks for which roles can be given here. ``may_manage``: also people themselves."""

    paddocks = serializers.ListField(child=serializers.CharField())
    people = PersonSerializer(many=True)
    may_manage = serializers.BooleanField()


class TokenSerializer(serializers.Serializer[Any]):
    """A token without its secret."""

    id = serializers.IntegerField()
    account = serializers.CharField(source="user.username")
    name = serializers.CharField()
    scope = serializers.ChoiceField(choices=SCOPES)
    paddocks = serializers.ListField(child=serializers.CharField())
    made_at = serializers.DateTimeField()
    made_by = serializers.CharField()
    ends_at = serializers.DateTimeField(allow_null=True)
    last_used_at = serializers.DateTimeField(allow_null=True)
    last_used_from = serializers.CharField()
    revoked_at = serializers.DateTimeField(allow_null=True)
    revoked_by = serializers.CharField()


class NewTokenSerializer(TokenSerializer):
    """With the token itself, which is shown this once."""

    token = serializers.CharField()


class MakeTokenSerializer(serializers.Serializer[Any]):
    """``account`` is empty for oneself, or names a service account."""

    account = serializers.CharField(max_length=150, required=False, allow_blank=True, default="")
    name = serializers.CharField(max_length=100)
    scope = serializers.ChoiceField(choices=SCOPES, default=Scope.READ.value)
    paddocks = serializers.ListField(child=serializers.CharField(max_length=63), max_length=200, default=list)
    days = serializers.IntegerField(min_value=1, max_value=366, default=90)


class SessionOfPersonSerializer(serializers.Serializer[Any]):
    """A log-in in a browser. ``id`` is the start of the key's hash."""

    id = serializers.CharField()
    opened_at = serializers.DateTimeField(allow_null=True)
    last_seen_at = serializers.DateTimeField(allow_null=True)
    address = serializers.CharField()
    browser = serializers.CharField()
    method = serializers.CharField()
    is_this = serializers.BooleanField()


class PasskeySerializer(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    made_at = serializers.DateTimeField()
    last_used_at = serializers.DateTimeField(allow_null=True)


class NewPasskeySerializer(PasskeySerializer):
    """``recovery_codes`` are there with the first passkey alone, and are shown this once."""

    recovery_codes = serializers.ListField(child=serializers.CharField())


class RecoveryCodesSerializer(serializers.Serializer[Any]):
    recovery_codes = serializers.ListField(child=serializers.CharField())


class AddPasskeySerializer(serializers.Serializer[Any]):
    name = serializers.CharField(max_length=100)
    credential = serializers.DictField()


class PersonSheetSerializer(PersonSerializer):
    """One person with sessions and tokens, for administrators."""

    open_sessions = SessionOfPersonSerializer(many=True)
    all_tokens = TokenSerializer(many=True)


class OwnSerializer(serializers.Serializer[Any]):
    """Oneself."""

    name = serializers.CharField()
    email = serializers.CharField()
    roles = HeldRoleSerializer(many=True)
    has_password = serializers.BooleanField()
    password_changed_at = serializers.DateTimeField(allow_null=True)
    sessions = SessionOfPersonSerializer(many=True)
    tokens = TokenSerializer(many=True)
    service_accounts = serializers.ListField(child=serializers.CharField())
    passkeys = PasskeySerializer(many=True)
    recovery_codes_left = serializers.IntegerField()
    sign_on = serializers.ListField(child=serializers.CharField())
    time_zone = serializers.CharField()
    clock_hours = serializers.CharField()


class ChangeOwnSerializer(serializers.Serializer[Any]):
    """What one changes of oneself."""

    email = serializers.EmailField(required=False, allow_blank=True, max_length=200)
    time_zone = serializers.CharField(required=False, allow_blank=True, max_length=60)
    clock_hours = serializers.ChoiceField(choices=["", "12", "24"], required=False)


class ChangePasswordSerializer(serializers.Serializer[Any]):
    old = serializers.CharField(max_length=500, trim_whitespace=False)
    password = serializers.CharField(max_length=500, trim_whitespace=False)


class SessionsEndedSerializer(serializers.Serializer[Any]):
    sessions_ended = serializers.IntegerField()


class InviteSerializer(serializers.Serializer[Any]):
    """``paddock`` null: the role is for everything."""

    name = serializers.CharField(max_length=150)
    role = serializers.ChoiceField(choices=Role.choices)
    paddock = serializers.CharField(max_length=63, required=False, allow_null=True, default=None)
    hours = serializers.IntegerField(min_value=1, max_value=MAX_INVITATION_HOURS, default=INVITATION_HOURS)


class LinkSerializer(serializers.Serializer[Any]):
    """A one-time link, which is shown this once."""

    name = serializers.CharField()
    link = serializers.CharField()
    ends_at = serializers.DateTimeField()


class ResetSerializer(serializers.Serializer[Any]):
    passkeys_too = serializers.BooleanField(default=False)


class ServiceAccountSerializer(serializers.Serializer[Any]):
    """Owned by the person ``owner`` or by the team ``team``."""

    name = serializers.CharField(max_length=150)
    role = serializers.ChoiceField(choices=Role.choices)
    paddock = serializers.CharField(max_length=63, required=False, allow_null=True, default=None)
    owner = serializers.CharField(max_length=150, required=False, allow_blank=True, default="")
    team = serializers.CharField(max_length=100, required=False, allow_blank=True, default="")
    purpose = serializers.CharField(max_length=300, required=False, allow_blank=True, default="")


class ChangeOwnerSerializer(serializers.Serializer[Any]):
    owner = serializers.CharField(max_length=150, required=False, allow_blank=True, default="")
    team = serializers.CharField(max_length=100, required=False, allow_blank=True, default="")
    purpose = serializers.CharField(max_length=300, required=False, allow_blank=True, default="")


class SetRoleSerializer(serializers.Serializer[Any]):
    """``paddock`` "" stands for everything; ``role`` null takes the role back; ``was`` is the role that the editor
    saw."""

    paddock = serializers.CharField(max_length=63, allow_blank=True)
    role = serializers.ChoiceField(choices=Role.choices, allow_null=True)
    was = serializers.ChoiceField(choices=Role.choices, allow_null=True)
    ends_at = serializers.DateTimeField(required=False, allow_null=True, default=None)


class OpenLinkSerializer(serializers.Serializer[Any]):
    link = serializers.CharField(max_length=200)


class OpenedLinkSerializer(serializers.Serializer[Any]):
    """For whom a one-time link is."""

    name = serializers.CharField()
    kind = serializers.ChoiceField(choices=["invitation", "reset"])
    ends_at = serializers.DateTimeField()


class AcceptLinkSerializer(OpenLinkSerializer):
    password = serializers.CharField(max_length=500, trim_whitespace=False)
