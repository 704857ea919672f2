"""Where agents ask to join."""

import msgspec
from django.http import HttpResponse, JsonResponse
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.throttling import ScopedRateThrottle
from rest_framework.views import APIView

from paddock_agent import wire
from paddock_agent.errors import BadMessage
from paddock_core.link_state import Link

from ..errors import ActionError, Invalid, KeyUnknown
from .actions.guard import guarded
from .actions.join import join
from .actions.retire import leave
from .events import JoinRefused, join_refused
from .models import Host
from .queries import bearer_of, host_with_key


class ForAgents(APIView):
    """What agents call: no login of a person, and no part of the API's schema; tries are counted by address."""

    authentication_classes = []
    permission_classes = [AllowAny]
    throttle_classes = [ScopedRateThrottle]
    throttle_scope = "join"
    schema = None


class LeaveView(ForAgents):
    """Where an agent says with its key that its host is gone for good."""

    def post(self, request: Request) -> HttpResponse:
        host = host_with_key(bearer_of(request))
        if host is None:
            raise KeyUnknown("The server does not know this agent's key: the host was turned away or retired.")
        leave(host)
        return HttpResponse(status=204)


class KeyView(ForAgents):
    """Whether the server knows an agent's key, and whether that agent is connected: for who examines a host."""

    throttle_scope = "report"

    def get(self, request: Request) -> HttpResponse:
        host = host_with_key(bearer_of(request))
        if host is None:
            raise KeyUnknown("The server does not know this agent's key: the host was turned away or retired.")
        return JsonResponse({"host": host.name, "connected": host.link == Link.CONNECTED})


class JoinView(ForAgents):
    """POST a wire.JoinRequest, get a wire.JoinAnswer. No login: the pass is what counts."""

    def post(self, request: Request) -> HttpResponse:
        try:
            asked = wire.read_as(wire.JoinRequest, request._request.body)
        except BadMessage as error:
            raise Invalid(f"This is not a join request: {error}") from None
        address = request.META.get("REMOTE_ADDR", "")
        try:
            with guarded(address):
                host, key = join(asked, address)
        except ActionError as error:
            join_refused.send(JoinRefused(asked.sheet, asked.facts.hostname, address, error.detail))
            raise
        answer = wire.JoinAnswer(
            key=key,
            host=host.name,
            paddock=host.paddock.name,
            admitted=host.standing == Host.Standing.ADMITTED,
            slots=host.slots,
        )
        return HttpResponse(msgspec.json.encode(answer), status=201, content_type="application/json")
