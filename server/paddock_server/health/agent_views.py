"""Where agents get the key of their watch, and where the watches report."""

from __future__ import annotations

import msgspec
from django.conf import settings
from django.http import HttpResponse
from rest_framework.request import Request

from paddock_agent import wire
from paddock_agent.errors import BadMessage

from ..errors import Invalid, KeyUnknown
from ..hosts.actions.make_watch_key import make_watch_key
from ..hosts.join_view import ForAgents
from ..hosts.queries import bearer_of, host_with_key, host_with_watch_key
from ..toolchains.catalogue import public_key
from .actions.record_watch_report import record_watch_report


class WatchKeyView(ForAgents):
    """With the agent's key: a fresh key for its watch."""

    def post(self, request: Request) -> HttpResponse:
        host = host_with_key(bearer_of(request))
        if host is None:
            raise KeyUnknown("The server does not know this agent's key: the host was turned away or retired.")
        return _json(wire.WatchKey(make_watch_key(host), max(1, round(settings.WATCH_SECONDS)), public_key()), 201)


class WatchView(ForAgents):
    """With the watch's key: how the agent's service is."""

    throttle_scope = "report"

    def post(self, request: Request) -> HttpResponse:
        host = host_with_watch_key(bearer_of(request))
        if host is None:
            raise KeyUnknown("The server does not know this watch's key. Set the watch up again, or take it out.")
        body = request._request.body
        if len(body) > wire.MAX_WATCH_REPORT_BYTES:
            raise Invalid(f"The report has {len(body)} bytes; {wire.MAX_WATCH_REPORT_BYTES} are the most.")
        try:
            report = wire.read_as(wire.WatchReport, body)
        except BadMessage as error:
            raise Invalid(f"This is not a watch report: {error}") from None
        return _json(record_watch_report(host, report), 200)


def _json(answer: msgspec.Struct, status: int) -> HttpResponse:
    return HttpResponse(msgspec.json.encode(answer), status=status, content_type="application/json")
