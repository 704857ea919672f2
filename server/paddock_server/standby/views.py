from __future__ import annotations

from collections.abc import Callable
from datetime import time

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..errors import NotAllowed, NotThere
from ..hosts.models import Host
from ..hosts.queries import host_called, record_called
from ..people.actor import Actor, person
from ..people.models import Role
from ..rest.paging import PagedView
from ..rest.reading import validated
from .actions.power_down import power_down
from .actions.save_power import remove_policy, save_policy, save_power_settings
from .actions.wake import count_again, wake, wake_for_survey
from .models import StandbyPolicy
from .queries import power_shown, standby_shown
from .serializers import (
    HostPowerSerializer,
    PowerSettingsSerializer,
    StandbyPolicySerializer,
    StandbySerializer,
    WakeForSurveySerializer,
    WokenSerializer,
)
from .switching_off import switch_host_off


class HostPowerView(APIView):
    """Whether a host is on, asleep or being woken, and how it is powered."""

    @extend_schema(responses=HostPowerSerializer)
    def get(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        return _shown(actor, record_called(actor, name))

    @extend_schema(request=PowerSettingsSerializer, responses=HostPowerSerializer)
    def put(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        host = host_called(actor, name)
        save_power_settings(actor, host, validated(PowerSettingsSerializer, request))
        return _shown(actor, host)


def _shown(actor: Actor, host: Host) -> Response:
    return Response(HostPowerSerializer(power_shown(actor, host, timezone.now())).data)


def _after(action: Callable[[Actor, Host], None], request: Request, name: str) -> Response:
    actor = person(request.user)
    action(actor, host_called(actor, name))
    return _shown(actor, host_called(actor, name))


class WakeView(APIView):
    """Wake a host that is off."""

    @extend_schema(request=None, responses=HostPowerSerializer)
    def post(self, request: Request, name: str) -> Response:
        return _after(wake, request, name)


class PowerDownView(APIView):
    """Power an idle host down; it can be woken again."""

    @extend_schema(request=None, responses=HostPowerSerializer)
    def post(self, request: Request, name: str) -> Response:
        return _after(power_down, request, name)


class CountAgainView(APIView):
    """Count again on a host that did not wake: a person has looked at it."""

    @extend_schema(request=None, responses=HostPowerSerializer)
    def post(self, request: Request, name: str) -> Response:
        return _after(count_again, request, name)


class SwitchOffView(APIView):
    """Have the controller of a host that hangs switch it off, without waiting for its system."""

    @extend_schema(request=None, responses=HostPowerSerializer)
    def post(self, request: Request, name: str) -> Response:
        return _after(switch_host_off, request, name)


class StandbyView(APIView):
    """The hosts that may sleep, and what standby saved."""

    @extend_schema(responses=StandbySerializer)
    def get(self, request: Request) -> Response:
        return Response(StandbySerializer(standby_shown(_viewer(request), timezone.now())).data)


class WakeForSurveyView(APIView):
    """Wake hosts that sleep, so that their agents survey them; they power down again later."""

    @extend_schema(request=WakeForSurveySerializer, responses=WokenSerializer)
    def post(self, request: Request) -> Response:
        actor = person(request.user)
        names = dict.fromkeys(validated(WakeForSurveySerializer, request)["hosts"])
        woken = wake_for_survey(actor, [host_called(actor, name) for name in names])
        return Response(WokenSerializer({"hosts": [host.name for host in woken]}).data)


def _viewer(request: Request) -> Actor:
    actor = person(request.user)
    if not actor.may_anywhere(Role.VIEWER):
        raise NotAllowed("Seeing standby needs the role viewer. Ask an administrator for it.")
    return actor


class StandbyPoliciesView(PagedView):
    """What the server may do with the power of hosts."""

    @extend_schema(responses=StandbyPolicySerializer(many=True))
    def get(self, request: Request) -> Response:
        inside = _viewer(request).where(Role.VIEWER)
        rows = StandbyPolicy.objects.select_related("paddock", "host")
        rows = rows if inside is None else rows.filter(paddock__name__in=inside)
        return self.page_of(rows, StandbyPolicySerializer)

    @extend_schema(request=StandbyPolicySerializer, responses={201: StandbyPolicySerializer})
    def post(self, request: Request) -> Response:
        given = dict(validated(StandbyPolicySerializer, request))
        given |= {name: time.fromisoformat(given[name]) for name in ("begins", "ends")}
        row = save_policy(person(request.user), given.pop("place"), given)
        return Response(StandbyPolicySerializer(row).data, status=201)


class StandbyPolicyView(APIView):
    """One policy."""

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        row = StandbyPolicy.objects.select_related("paddock", "host").filter(pk=pk).first()
        if row is None or not actor.may(Role.VIEWER, row.paddock.name):
            raise NotThere(f"There is no standby policy {pk}.")
        remove_policy(actor, row)
        return Response(status=204)
