from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db.models import Count, Q, QuerySet
from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import generics, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_core.lifecycle import JobState

from ..errors import ActionError
from ..health.queries import worst_by_host
from ..hosts.actions.admit import admit
from ..hosts.actions.ask_survey import ask_survey
from ..hosts.actions.change import change
from ..hosts.actions.change_paddock import change_paddock
from ..hosts.actions.guard import dismiss_guessing, recent_guessing
from ..hosts.actions.hold import drain, hold, hold_paddock, resume
from ..hosts.actions.make_paddock import make_paddock
from ..hosts.actions.make_pass import make_pass
from ..hosts.actions.replace_pass import replace_pass
from ..hosts.actions.restart import restart
from ..hosts.actions.retire import retire, undo_retirement
from ..hosts.actions.revoke_pass import revoke_pass
from ..hosts.actions.turn_away import turn_away
from ..hosts.labels import clean_labels
from ..hosts.models import LIVING, EntryPass, Host, Paddock
from ..hosts.queries import (
    host_called,
    paddock_called,
    pass_numbered,
    record_called,
    visible_hosts,
    visible_paddocks,
    visible_records,
)
from ..people.actor import Actor, person
from ..people.models import Role
from ..rest.reading import validated
from ..work.models import Job
from ..work.visible import visible_jobs
from .plates import NewPass, Plate, plates, shown_hosts
from .serializers import (
    AdmitSerializer,
    ChangeHostSerializer,
    ChangePaddockSerializer,
    GateAnswerSerializer,
    GateSerializer,
    GuessingSerializer,
    HoldSerializer,
    HostSerializer,
    MakePassSerializer,
    NewPassSerializer,
    PaddockSerializer,
    PassSerializer,
    ReasonSerializer,
    YardSerializer,
)


class YardView(APIView):
    """The yard: paddocks with the plates of their hosts."""

    @extend_schema(responses=YardSerializer)
    def get(self, request: Request) -> Response:
        actor = person(request.user)
        by_paddock: dict[int, list[Plate]] = {}
        for plate in plates(visible_hosts(actor), worst_by_host(actor), timezone.now()):
            by_paddock.setdefault(plate.row.paddock_id, []).append(plate)
        paddocks = [
            {"name": paddock.name, "purpose": paddock.purpose, "hosts": by_paddock.get(paddock.pk, [])}
            for paddock in visible_paddocks(actor)
        ]
        states = dict(
            _jobs_seen_by(actor)
            .filter(state__in=[JobState.WAITING.value, JobState.RUNNING.value, JobState.OFFERED.value])
            .order_by()
            .values_list("state")
            .annotate(number=Count("id"))
        )
        waiting = states.pop(JobState.WAITING.value, 0)
        shown = {"paddocks": paddocks, "waiting": waiting, "running": sum(states.values())}
        return Response(YardSerializer(shown).data)


def _jobs_seen_by(actor: Actor) -> QuerySet[Job]:
    """None for people without a role, who see an empty yard."""
    return visible_jobs(actor).prefetch_related(None) if actor.may_anywhere(Role.VIEWER) else Job.objects.none()


class PaddocksView(generics.ListCreateAPIView[Any]):
    """The paddocks; make one."""

    serializer_class = PaddockSerializer

    def get_queryset(self) -> QuerySet[Paddock]:
        living = Count("hosts", filter=Q(hosts__standing__in=LIVING))
        return visible_paddocks(person(self.request.user)).annotate(living=living).order_by("name")

    def perform_create(self, serializer: serializers.BaseSerializer[Any]) -> None:
        serializer.instance = make_paddock(person(self.request.user), **serializer.validated_data)


class PassesView(generics.ListCreateAPIView[Any]):
    """The entry passes; make one. The answer to making one is the only place where its secret is ever shown."""

    serializer_class = PassSerializer

    def get_queryset(self) -> QuerySet[EntryPass]:
        passes = EntryPass.objects.select_related("paddock").prefetch_related("hosts")
        paddocks = person(self.request.user).where(Role.ADMINISTRATOR)
        return passes if paddocks is None else passes.filter(paddock__name__in=paddocks)

    @extend_schema(request=MakePassSerializer, responses={201: NewPassSerializer})
    def post(self, request: Request) -> Response:
        given = validated(MakePassSerializer, request)
        actor = person(request.user)
        made, secret = make_pass(
            actor,
            paddock_called(actor, given["paddock"]),
            given["name"],
            given["hours"],
            given["uses"],
            tuple(clean_labels(given["labels"])),
            given["slots"],
        )
        return Response(NewPassSerializer(NewPass(made, secret)).data, status=201)


class PaddockView(APIView):
    """One paddock."""

    @extend_schema(request=ChangePaddockSerializer, responses=PaddockSerializer)
    def patch(self, request: Request, name: str) -> Response:
        """Change what its fence says."""
        actor = person(request.user)
        paddock = paddock_called(actor, name)
        given = ChangePaddockSerializer(data=request.data, partial=True)
        given.is_valid(raise_exception=True)
        change_paddock(actor, paddock, **given.validated_data)
        return Response(PaddockSerializer(paddock).data)


class ReplacePassView(APIView):
    """Replace a pass: the old one dies, the new one's secret is shown this once."""

    @extend_schema(request=None, responses={201: NewPassSerializer})
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        made, secret = replace_pass(actor, pass_numbered(actor, pk))
        return Response(NewPassSerializer(NewPass(made, secret)).data, status=201)


class RevokePassView(APIView):
    """Revoke a pass: no agent can join with it any more."""

    @extend_schema(request=None, responses=PassSerializer)
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        found = pass_numbered(actor, pk)
        revoke_pass(actor, found)
        return Response(PassSerializer(found).data)


@extend_schema(
    parameters=[OpenApiParameter("standing", str, description="`at the gate`, `admitted`, `turned away` or `retired`.")]
)
class HostsView(generics.ListAPIView[Any]):
    """The hosts, at the gate and inside."""

    serializer_class = HostSerializer

    def get_queryset(self) -> QuerySet[Host]:
        actor, standing = person(self.request.user), self.request.query_params.get("standing")
        hosts = visible_records(actor).filter(standing=standing) if standing else visible_hosts(actor)
        return hosts.prefetch_related("installations", "watched")

    def paginate_queryset(self, queryset: Any) -> list[Any]:
        return shown_hosts(super().paginate_queryset(queryset) or (), person(self.request.user))


def _sheet(request: Request, name: str) -> Response:
    actor = person(request.user)
    host = record_called(actor, name)
    return Response(HostSerializer(shown_hosts([host], actor)[0]).data)


class HostView(APIView):
    """One host, with its installations."""

    @extend_schema(responses=HostSerializer)
    def get(self, request: Request, name: str) -> Response:
        return _sheet(request, name)

    @extend_schema(request=ChangeHostSerializer, responses=HostSerializer)
    def patch(self, request: Request, name: str) -> Response:
        """Change labels, slots or watched services."""
        return _after(change, request, name, **validated(ChangeHostSerializer, request))


def _after(action: Callable[..., None], request: Request, name: str, **more: object) -> Response:
    """Does something to a host, and answers with its sheet as it is then."""
    actor = person(request.user)
    action(actor, host_called(actor, name), **more)
    return _sheet(request, name)


class AdmitView(APIView):
    """Let a host in from the gate."""

    @extend_schema(request=AdmitSerializer, responses=HostSerializer)
    def post(self, request: Request, name: str) -> Response:
        return _after(admit, request, name, **validated(AdmitSerializer, request))


class TurnAwayView(APIView):
    """Turn a host away from the gate: its key dies."""

    @extend_schema(request=ReasonSerializer, responses={204: None})
    def post(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        turn_away(actor, host_called(actor, name), **validated(ReasonSerializer, request))
        return Response(status=204)


class GateView(APIView):
    """Decide on several hosts at the gate. Each is decided by itself: one that cannot be does not stop the rest."""

    verbs = {"admit": admit, "turn-away": turn_away}

    @extend_schema(request=GateSerializer, responses=GateAnswerSerializer)
    def post(self, request: Request, verb: str) -> Response:
        given = validated(GateSerializer, request)
        actor = person(request.user)
        decided, refused = [], {}
        for name in dict.fromkeys(given["names"]):
            try:
                self.verbs[verb](actor, host_called(actor, name), given["reason"])
                decided.append(name)
            except ActionError as error:
                refused[name] = error.detail
        return Response(GateAnswerSerializer({"decided": decided, "refused": refused}).data)


class HoldView(APIView):
    """Take no new job from now on."""

    @extend_schema(request=HoldSerializer, responses=HostSerializer)
    def post(self, request: Request, name: str) -> Response:
        return _after(hold, request, name, **validated(HoldSerializer, request))


class DrainView(APIView):
    """Finish what runs, then hold."""

    @extend_schema(request=HoldSerializer, responses=HostSerializer)
    def post(self, request: Request, name: str) -> Response:
        return _after(drain, request, name, **validated(HoldSerializer, request))


class HoldPaddockView(APIView):
    """Hold, drain or resume all hosts of a paddock."""

    @extend_schema(
        operation_id="paddocks_hold",
        parameters=[OpenApiParameter("verb", str, OpenApiParameter.PATH, enum=["hold", "drain", "resume"])],
        request=HoldSerializer,
        responses=serializers.ListSerializer(child=serializers.CharField()),
    )
    def post(self, request: Request, name: str, verb: str) -> Response:
        """Answers with the hosts that changed."""
        actor = person(request.user)
        changed = hold_paddock(actor, paddock_called(actor, name), verb, **validated(HoldSerializer, request))
        return Response([host.name for host in changed])


class ResumeView(APIView):
    """Take jobs again."""

    @extend_schema(request=None, responses=HostSerializer)
    def post(self, request: Request, name: str) -> Response:
        return _after(resume, request, name)


class RetireView(APIView):
    """Take a host out: its key no longer works, its record stays. It can be undone for a week."""

    @extend_schema(request=ReasonSerializer, responses={204: None})
    def post(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        retire(actor, host_called(actor, name), **validated(ReasonSerializer, request))
        return Response(status=204)


class UndoRetirementView(APIView):
    """Put a retired host back as it was; its agent has to be started again."""

    @extend_schema(request=None, responses=HostSerializer)
    def post(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        undo_retirement(actor, record_called(actor, name))
        return _sheet(request, name)


class SurveyView(APIView):
    """Ask for a survey now; what it finds comes in a moment."""

    @extend_schema(request=None, responses={202: None})
    def post(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        ask_survey(actor, host_called(actor, name))
        return Response(status=202)


class GuessingView(APIView):
    """Wrong passes that look like guessing, by the address that they came from."""

    @extend_schema(responses=GuessingSerializer(many=True))
    def get(self, request: Request) -> Response:
        administers = person(request.user).may(Role.ADMINISTRATOR)
        return Response(GuessingSerializer(recent_guessing() if administers else [], many=True).data)

    @extend_schema(request=GuessingSerializer, responses={204: None})
    def post(self, request: Request) -> Response:
        """Say that they were looked at. They come back with the next wrong pass from there."""
        given = validated(GuessingSerializer, request)
        dismiss_guessing(person(request.user), given["address"])
        return Response(status=204)


class RestartView(APIView):
    """Restart a host's agent, with the environment of a new log-in, once no job runs on it."""

    @extend_schema(request=None, responses={202: None})
    def post(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        restart(actor, host_called(actor, name))
        return Response(status=202)
