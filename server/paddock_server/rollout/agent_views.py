"""Where the upgrades of hosts report, with the keys of their watches."""

from __future__ import annotations

from typing import TypeVar

import msgspec
from django.http import HttpResponse
from rest_framework.request import Request

from paddock_agent import wire
from paddock_agent.errors import BadMessage

from ..errors import Invalid, KeyUnknown
from ..hosts.join_view import ForAgents
from ..hosts.models import Host
from ..hosts.queries import bearer_of, host_with_watch_key
from .actions.ask_upgrade import ask_upgrade
from .actions.record_upgrade import record_upgrade

T = TypeVar("T", bound=msgspec.Struct)


class ForUpgrades(ForAgents):
    throttle_scope = "report"

    def host(self, request: Request) -> Host:
        """The host by the key of its watch. Raises KeyUnknown."""
        host = host_with_watch_key(bearer_of(request))
        if host is None:
            raise KeyUnknown("The server does not know this watch's key. Set the watch up again, or take it out.")
        return host

    def given(self, request: Request, kind: type[T]) -> T:
        """The message in the body. Raises Invalid."""
        body = request._request.body
        if len(body) > wire.MAX_WATCH_REPORT_BYTES:
            raise Invalid(f"The report has {len(body)} bytes; {wire.MAX_WATCH_REPORT_BYTES} are the most.")
        try:
            return wire.read_as(kind, body)
        except BadMessage as error:
            raise Invalid(f"This is not a report of an upgrade: {error}") from None


class UpgradeView(ForUpgrades):
    """How far an upgrade is; the answer has the order, or says whether it is proven."""

    def post(self, request: Request) -> HttpResponse:
        host = self.host(request)
        return _json(record_upgrade(host, self.given(request, wire.UpgradeReport)))


class UpgradeWishView(ForUpgrades):
    """An administrator of the host wants it upgraded."""

    def post(self, request: Request) -> HttpResponse:
        host = self.host(request)
        row = ask_upgrade(host, self.given(request, wire.UpgradeWish).version)
        return _json(wire.UpgradeOrdered(row.pk, row.version))


def _json(answer: msgspec.Struct) -> HttpResponse:
    return HttpResponse(msgspec.json.encode(answer), content_type="application/json")
