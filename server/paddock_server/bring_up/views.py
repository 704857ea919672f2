from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_agent.wire import MAX_WORK_FOLDER_LENGTH

from ..errors import NotNow
from ..hosts.queries import paddock_called
from ..install.index import agent_version
from ..people.actor import Actor, person
from ..rest.addresses import server_address
from ..rest.paging import PagedView
from ..rest.reading import validated
from . import ssh
from .actions.connect_over_ssh import forget_key, go_in, look
from .actions.give_up import give_up
from .actions.make_sheet import ARCHES_OF, Wanted, make_sheet
from .actions.plan import plan
from .actions.prove import prove
from .actions.renew import renew
from .choices import choices_for_all, choices_of
from .commands import PREREQUISITES, Command, command_for
from .models import BringUp
from .queries import open_sheets, sheet_numbered, sheet_shown, visible_sheets, with_progress
from .serializers import (
    BringUpLineSerializer,
    BringUpSerializer,
    ChoicesSerializer,
    FoundKeySerializer,
    GoInSerializer,
    LookSerializer,
    MakeBringUpSerializer,
    NewBringUpSerializer,
    NewPlanSerializer,
    PlanSerializer,
)

NOT_GATHERED = "The packages for hosts have not been gathered on this server. `make wheels` does so."
SYSTEMS = {
    "linux": {
        "supervisor": ["service", "by hand"],
        "work_folder": "/var/lib/paddock-agent/work",
        "own_account": "paddock",
    },
    "macos": {
        "supervisor": ["service", "log-in", "by hand"],
        "work_folder": "/usr/local/var/paddock-agent/work",
        "own_account": "paddock",
    },
    "windows": {
        "supervisor": ["service", "by hand"],
        "work_folder": r"C:\ProgramData\paddock-agent\work",
        "own_account": "a virtual account that Windows keeps for the service",
    },
}


def _command(sheet: BringUp, secret: str) -> Command:
    if not agent_version():
        raise NotNow(NOT_GATHERED)
    return command_for(sheet.server, sheet.code, secret, sheet.system, choices_of(sheet))


class ChoicesView(APIView):
    """What can be chosen for a machine that is to come in, and what it needs before anything is run."""

    @extend_schema(responses=ChoicesSerializer)
    def get(self, request: Request) -> Response:
        systems = [
            {
                "system": system,
                "arches": ARCHES_OF[system],
                "longest_work_folder": MAX_WORK_FOLDER_LENGTH[system],
                "prerequisites": PREREQUISITES[system],
                **more,
            }
            for system, more in SYSTEMS.items()
        ]
        shown = {
            "agent_version": agent_version(),
            "server": server_address(request),
            "public_key": ssh.public_key(),
            "systems": systems,
        }
        return Response(ChoicesSerializer(shown).data)


class BringUpsView(PagedView):
    """The machines that are coming in."""

    @extend_schema(
        parameters=[OpenApiParameter("all", bool, description="With those that are at their end, newest first.")],
        responses=BringUpLineSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        actor = person(request.user)
        everything = request.query_params.get("all") in ("true", "1")
        if everything:
            return self.page_of(visible_sheets(actor), BringUpLineSerializer, with_progress)
        return self.page_of(open_sheets(actor), BringUpLineSerializer)

    @extend_schema(request=MakeBringUpSerializer, responses={201: NewBringUpSerializer})
    def post(self, request: Request) -> Response:
        """Say which machine is coming: the answer has its command, with a pass that is shown this once."""
        given = validated(MakeBringUpSerializer, request)
        actor = person(request.user)
        if not agent_version():
            raise NotNow(NOT_GATHERED)
        hours = given.pop("hours")
        paddock, repairs = paddock_called(actor, given.pop("paddock")), given.pop("repairs")
        sheet, secret = make_sheet(actor, paddock, Wanted(**given), hours, repairs=repairs)
        return _with_command(actor, sheet, secret)


def _with_command(actor: Actor, sheet: BringUp, secret: str) -> Response:
    shown = {"sheet": sheet_shown(actor, sheet.pk), "command": _command(sheet, secret)}
    return Response(NewBringUpSerializer(shown).data, status=201)


class PlanView(APIView):
    """Say that many machines are coming, from a table."""

    @extend_schema(request=PlanSerializer, responses={201: NewPlanSerializer})
    def post(self, request: Request) -> Response:
        given = validated(PlanSerializer, request)
        actor = person(request.user)
        if not agent_version():
            raise NotNow(NOT_GATHERED)
        paddock = paddock_called(actor, given["paddock"])
        sheets, secret = plan(actor, paddock, given["text"], given["server"], given["hours"])
        commands = []
        for system in dict.fromkeys(sheet.system for sheet in sheets):
            alike = [sheet for sheet in sheets if sheet.system == system]
            command = command_for(alike[0].server, alike[0].batch, secret, system, choices_for_all(alike))
            commands.append({"system": system, "hosts": [sheet.name for sheet in alike], **vars(command)})
        fresh = with_progress(visible_sheets(actor).filter(pk__in=[sheet.pk for sheet in sheets]).order_by("id"))
        return Response(NewPlanSerializer({"sheets": fresh, "commands": commands}).data, status=201)


class BringUpView(APIView):
    """One bring-up sheet."""

    @extend_schema(responses=BringUpSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return _sheet(request, pk)


def _sheet(request: Request, pk: int) -> Response:
    return Response(BringUpSerializer(sheet_shown(person(request.user), pk)).data)


class RenewView(APIView):
    """A new command for a sheet: the pass in its old one dies."""

    @extend_schema(request=None, responses={201: NewBringUpSerializer})
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        sheet = sheet_numbered(actor, pk)
        return _with_command(actor, sheet, renew(actor, sheet))


class GiveUpView(APIView):
    """Give a bring-up up: its pass dies."""

    @extend_schema(request=None, responses=BringUpSerializer)
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        give_up(actor, sheet_numbered(actor, pk))
        return _sheet(request, pk)


class ProveView(APIView):
    """Send the proof job again."""

    @extend_schema(request=None, responses=BringUpSerializer)
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        prove(actor, sheet_numbered(actor, pk))
        return _sheet(request, pk)


class SshLookView(APIView):
    """Look at the key that a machine shows over SSH, before anything is sent to it."""

    @extend_schema(request=LookSerializer, responses=FoundKeySerializer)
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        found = look(actor, sheet_numbered(actor, pk), **validated(LookSerializer, request))
        return Response(FoundKeySerializer(found).data)


class SshGoInView(APIView):
    """Go into a machine over SSH, and run its bring-up script there. Its sheet follows."""

    @extend_schema(request=GoInSerializer, responses={202: BringUpSerializer})
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        go_in(actor, sheet_numbered(actor, pk), **validated(GoInSerializer, request))
        return Response(BringUpSerializer(sheet_shown(actor, pk)).data, status=202)


class SshForgetView(APIView):
    """Forget the key of a machine that was reinstalled."""

    @extend_schema(request=LookSerializer, responses={204: None})
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        forget_key(actor, sheet_numbered(actor, pk), **validated(LookSerializer, request))
        return Response(status=204)
