from __future__ import annotations

from collections.abc import Callable
from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..errors import Invalid
from ..hosts.models import Host
from ..hosts.queries import paddock_called, visible_hosts
from ..people.actor import Actor, person
from ..rest.paging import PagedView
from ..work.chosen_hosts import chosen_hosts
from .actions.start_rollout import (
    approve,
    go_back_for_all,
    pause,
    resume,
    start_rollout,
    stop_rollout,
    waves_of,
)
from .candidates import demand_version, why_left_out
from .models import RULE_FIELDS, Rollout
from .queries import demand_viewer, rollout_numbered, versions_shown, visible_rollouts, waits_of
from .serializers import (
    AskedRolloutSerializer,
    PlannedRolloutSerializer,
    RolloutSerializer,
    RolloutSheetSerializer,
    VersionsSerializer,
)


class VersionsView(APIView):
    """The versions of the agent: which this server holds, and which the hosts run."""

    @extend_schema(responses=VersionsSerializer)
    def get(self, request: Request) -> Response:
        return Response(VersionsSerializer(versions_shown(person(request.user))).data)


def asked_hosts(actor: Actor, asked: dict[str, Any]) -> tuple[list[Host], str]:
    """The hosts that a rollout is asked for, and how they were chosen, in words. Raises Invalid, NotThere."""
    if sum(bool(asked[name]) for name in ("hosts", "terms", "paddocks")) > 1:
        raise Invalid("Choose hosts by name, by terms or by paddocks.")
    if asked["hosts"] or asked["terms"]:
        return chosen_hosts(actor, asked["hosts"], asked["terms"])
    hosts = visible_hosts(actor).filter(standing=Host.Standing.ADMITTED)
    if asked["paddocks"]:
        names = [paddock_called(actor, name).name for name in asked["paddocks"]]
        return list(hosts.filter(paddock__name__in=names)), ", ".join(sorted(names))
    return list(hosts), "all hosts"


def _read(request: Request) -> dict[str, Any]:
    given = AskedRolloutSerializer(data=request.data)
    given.is_valid(raise_exception=True)
    asked: dict[str, Any] = given.validated_data
    return asked


class PlanRolloutView(APIView):
    """What a rollout would do, before anything is started."""

    @extend_schema(request=AskedRolloutSerializer, responses={200: PlannedRolloutSerializer})
    def post(self, request: Request) -> Response:
        actor, asked = person(request.user), _read(request)
        demand_viewer(actor)
        hosts, _ = asked_hosts(actor, asked)
        held = demand_version(asked["version"])
        rules = Rollout(**{field: asked[field] for field in RULE_FIELDS}).rules
        reasons = {host.name: why_left_out(host, held) for host in hosts}
        shown = {
            "version": held.version,
            "waves": waves_of(rules, hosts, held),
            "left_out": [{"host": name, "reason": why} for name, why in sorted(reasons.items()) if why],
            "needs_approval": sorted({host.paddock.name for host in hosts if host.paddock.rollouts_need_approval}),
        }
        return Response(PlannedRolloutSerializer(shown).data)


class RolloutsView(PagedView):
    """The rollouts, newest first; start another."""

    @extend_schema(responses=RolloutSerializer(many=True))
    def get(self, request: Request) -> Response:
        """The rollouts, newest first."""
        return self.page_of(visible_rollouts(person(request.user)), RolloutSerializer)

    @extend_schema(request=AskedRolloutSerializer, responses={201: RolloutSheetSerializer})
    def post(self, request: Request) -> Response:
        """Start a rollout."""
        actor, asked = person(request.user), _read(request)
        hosts, how = asked_hosts(actor, asked)
        rollout = start_rollout(actor, asked["version"], hosts, how, asked)
        return _sheet(actor, rollout, 201)


class RolloutView(APIView):
    """One rollout."""

    @extend_schema(responses=RolloutSheetSerializer)
    def get(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        return _sheet(actor, rollout_numbered(actor, pk))


def _sheet(actor: Actor, rollout: Rollout, status: int = 200) -> Response:
    shown = rollout_numbered(actor, rollout.pk)
    return Response(RolloutSheetSerializer(shown, context={"waits": waits_of(shown)}).data, status=status)


class RolloutApprovalSerializer(serializers.Serializer[Any]):
    yes = serializers.BooleanField()


class ApproveRolloutView(APIView):
    """Approve a rollout that another administrator asked for, or turn it down."""

    @extend_schema(request=RolloutApprovalSerializer, responses=RolloutSheetSerializer)
    def post(self, request: Request, pk: int) -> Response:
        given = RolloutApprovalSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        actor = person(request.user)
        rollout = rollout_numbered(actor, pk)
        approve(actor, rollout, yes=given.validated_data["yes"])
        return _sheet(actor, rollout)


class _DoView(APIView):
    do: Callable[[Actor, Rollout], Rollout | None]

    @extend_schema(request=None, responses=RolloutSheetSerializer)
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        rollout = rollout_numbered(actor, pk)
        return _sheet(actor, type(self).do(actor, rollout) or rollout)


class PauseRolloutView(_DoView):
    """Let no other host of a rollout begin until it is resumed."""

    do = staticmethod(pause)


class ResumeRolloutView(_DoView):
    """Let a paused rollout go on."""

    do = staticmethod(resume)


class StopRolloutView(_DoView):
    """Let a rollout go no further. Hosts that have not switched keep their version."""

    do = staticmethod(stop_rollout)


class GoBackView(_DoView):
    """Take all hosts that a rollout has proven back to the versions that they had."""

    do = staticmethod(go_back_for_all)
