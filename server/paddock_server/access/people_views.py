"""The people, for administrators: list, invitations, roles, service accounts, shutting out."""

from __future__ import annotations

import csv
import io
from dataclasses import asdict
from typing import Any

from django.contrib.auth.models import User
from django.http import HttpResponse
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..hosts.queries import paddock_called, visible_paddocks
from ..people.actor import SERVER, Actor, person
from ..people.models import Role
from ..people.sessions import has_ended
from ..people.shown import PersonShown, person_called, shown_person, visible_people
from ..people.views import SessionSerializer, address_of, session_answer
from ..rest.addresses import server_address
from ..rest.reading import validated
from ..rest.spreadsheet import spreadsheet_cell
from .actions.accept_invitation import accept_invitation
from .actions.invite import invite
from .actions.reset_log_in import reset_log_in
from .actions.service_accounts import add_service_account, change_owner
from .actions.set_role import set_role
from .actions.shut_out import delete_account, disable, enable
from .one_time_links import invitation_with
from .serializers import (
    AcceptLinkSerializer,
    ChangeOwnerSerializer,
    InviteSerializer,
    LinkSerializer,
    OpenedLinkSerializer,
    OpenLinkSerializer,
    PeopleSerializer,
    PersonSerializer,
    PersonSheetSerializer,
    ResetSerializer,
    ServiceAccountSerializer,
    SetRoleSerializer,
)

EVERYWHERE = "all paddocks"


def sessions_shown(user: User, own_digest: str = "") -> list[dict[str, Any]]:
    """A person's sessions that have not ended, the last used first."""
    living = [one for one in user.browser_sessions.order_by("-last_seen_at") if not has_ended(one)]
    return [
        {
            "id": one.session_key[:16], "opened_at": one.opened_at, "last_seen_at": one.last_seen_at,
            "address": one.address, "browser": one.browser, "method": one.method,
            "is_this": one.session_key == own_digest,
        }
        for one in living
    ]  # fmt: skip


def _shown(actor: Actor, user: User, status: int = 200) -> Response:
    return Response(PersonSerializer(shown_person(actor, user)).data, status=status)


def _link(request: Request, user: User, secret: str) -> Response:
    """The secret stands behind the #, which no browser sends to a server or to another site."""
    address = server_address(request, f"/welcome#{secret}")
    ends_at = user.invitations.get(used_at=None).ends_at
    return Response({"name": user.get_username(), "link": address, "ends_at": ends_at}, status=201)


class PeopleView(APIView):
    """Who may do what where; invite a person."""

    @extend_schema(operation_id="people_list", responses=PeopleSerializer)
    def get(self, request: Request) -> Response:
        """All people, for administrators of everything; for those of a paddock, the ones who may do something there."""
        actor = person(request.user)
        people = visible_people(actor)
        own = actor.where(Role.ADMINISTRATOR)
        paddocks = sorted(visible_paddocks(actor).values_list("name", flat=True)) if own is None else sorted(own)
        shown = {"paddocks": paddocks, "people": [asdict(one) for one in people], "may_manage": own is None}
        return Response(PeopleSerializer(shown).data)

    @extend_schema(request=InviteSerializer, responses={201: LinkSerializer})
    def post(self, request: Request) -> Response:
        """Invite a person by a one-time link, which is shown this once."""
        actor = person(request.user)
        asked = validated(InviteSerializer, request)
        paddock = paddock_called(actor, asked["paddock"]) if asked["paddock"] else None
        user, secret = invite(actor, asked["name"].strip(), Role(asked["role"]), paddock, asked["hours"])
        return _link(request, user, secret)


class PeopleReviewView(APIView):
    """The same as a spreadsheet, for a review of access."""

    @extend_schema(responses={(200, "text/csv"): OpenApiTypes.STR})
    def get(self, request: Request) -> HttpResponse:
        """One line per person and role, as CSV."""
        sheet = io.StringIO()
        table = csv.writer(sheet)
        table.writerow(
            ["account", "kind", "state", "owner", "paddock", "role", "source", "granted by", "granted at", "ends at",
             "role last used", "last seen", "living tokens", "passkeys"]
        )  # fmt: skip
        for one in visible_people(person(request.user)):
            table.writerows([spreadsheet_cell(value) for value in line] for line in _lines(one))
        response = HttpResponse(sheet.getvalue(), content_type="text/csv; charset=utf-8")
        response.headers["Content-Disposition"] = 'attachment; filename="people.csv"'
        return response


def _lines(one: PersonShown) -> list[list[object]]:
    head, tail = [one.name, one.kind, one.state, one.owner], [one.last_seen_at, one.tokens, one.passkeys]
    if not one.roles:
        return [[*head, *[""] * 7, *tail]]
    lines: list[list[object]] = []
    for held in one.roles:
        where, given = held.paddock or EVERYWHERE, held.by_provider or "here"
        role = [where, held.role, given, held.granted_by, held.granted_at, held.ends_at, held.last_used_at]
        lines.append([*head, *role, *tail])
    return lines


class PersonView(APIView):
    """One person."""

    @extend_schema(responses=PersonSheetSerializer)
    def get(self, request: Request, name: str) -> Response:
        """With sessions and tokens, for administrators of everything."""
        actor = person(request.user)
        user = person_called(actor, name)
        shown = asdict(shown_person(actor, user))
        if actor.may(Role.ADMINISTRATOR):
            more = {"open_sessions": sessions_shown(user), "all_tokens": user.tokens.order_by("-made_at")[:100]}
        else:
            more = {"open_sessions": [], "all_tokens": []}
        return Response(PersonSheetSerializer({**shown, **more}).data)

    @extend_schema(request=ChangeOwnerSerializer, responses=PersonSerializer)
    def patch(self, request: Request, name: str) -> Response:
        """Change the owner of a service account."""
        actor = person(request.user)
        user = person_called(actor, name)
        change_owner(actor, user, **validated(ChangeOwnerSerializer, request))
        return _shown(actor, user)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, name: str) -> Response:
        """Delete an account that no record names."""
        actor = person(request.user)
        delete_account(actor, person_called(actor, name))
        return Response(status=204)


class PersonRoleView(APIView):
    """A person's role in one place."""

    @extend_schema(request=SetRoleSerializer, responses={204: None})
    def put(self, request: Request, name: str) -> Response:
        """Give, change or take back a role. An administrator of a paddock names any person who is there."""
        actor = person(request.user)
        asked = validated(SetRoleSerializer, request)
        place = paddock_called(actor, asked["paddock"]).name if asked["paddock"] else ""
        role, was = (Role(asked[one]) if asked[one] else None for one in ("role", "was"))
        set_role(actor, person_called(actor, name), place, role, was=was, ends_at=asked["ends_at"])
        return Response(status=204)


class DisablePersonView(APIView):
    """Shut an account out."""

    @extend_schema(request=None, responses=PersonSerializer)
    def post(self, request: Request, name: str) -> Response:
        """End sessions, feeds and downloads at once; tokens give no access while it lasts."""
        actor = person(request.user)
        user = person_called(actor, name)
        disable(actor, user)
        return _shown(actor, user)


class EnablePersonView(APIView):
    """Let an account in again."""

    @extend_schema(request=None, responses=PersonSerializer)
    def post(self, request: Request, name: str) -> Response:
        """With roles, password and tokens as before."""
        actor = person(request.user)
        user = person_called(actor, name)
        enable(actor, user)
        return _shown(actor, user)


class ResetPersonView(APIView):
    """Reset a log-in."""

    @extend_schema(request=ResetSerializer, responses={201: LinkSerializer})
    def post(self, request: Request, name: str) -> Response:
        """End password and sessions, and make a one-time link to set a new password."""
        actor = person(request.user)
        asked = validated(ResetSerializer, request)
        user = person_called(actor, name)
        return _link(request, user, reset_log_in(actor, user, passkeys_too=asked["passkeys_too"]))


class ServiceAccountsView(APIView):
    """Accounts of programs."""

    @extend_schema(request=ServiceAccountSerializer, responses={201: PersonSerializer})
    def post(self, request: Request) -> Response:
        """Add one, owned by a person or a team."""
        actor = person(request.user)
        asked = validated(ServiceAccountSerializer, request)
        paddock = paddock_called(actor, asked["paddock"]) if asked["paddock"] else None
        owner = {name: asked[name] for name in ("owner", "team", "purpose")}
        user = add_service_account(actor, asked["name"].strip(), Role(asked["role"]), paddock, **owner)
        return _shown(actor, user, 201)


@method_decorator(csrf_protect, name="post")
class OpenLinkView(APIView):
    """Look at a one-time link."""

    permission_classes = [AllowAny]

    @extend_schema(request=OpenLinkSerializer, responses=OpenedLinkSerializer)
    def post(self, request: Request) -> Response:
        """For whom it is; it is not used up."""
        asked = validated(OpenLinkSerializer, request)
        found = invitation_with(asked["link"])
        return Response({"name": found.user.get_username(), "kind": found.kind, "ends_at": found.ends_at})


@method_decorator(csrf_protect, name="post")
class AcceptLinkView(APIView):
    """Use a one-time link."""

    permission_classes = [AllowAny]

    @extend_schema(request=AcceptLinkSerializer, responses=SessionSerializer)
    def post(self, request: Request) -> Response:
        """Set the password, and log in."""
        asked = validated(AcceptLinkSerializer, request)
        user = accept_invitation(SERVER, request._request, asked["link"], asked["password"], address_of(request))
        if user is not None:
            request.user = user
        return session_answer(request)
