"""Where machines tell how far their bring-up is, and ask whether a pass would be taken."""

from __future__ import annotations

from typing import TypeVar

import msgspec
from django.http import HttpResponse
from rest_framework.request import Request

from paddock_agent import wire
from paddock_agent.errors import BadMessage

from ..errors import Invalid, KeyUnknown
from ..hosts.actions.guard import guarded
from ..hosts.actions.join import demand_free, name_for, pass_of
from ..hosts.join_view import ForAgents
from ..hosts.queries import bearer_of, host_with_key
from .actions.note_known import note_known
from .actions.note_step import note_step, sheet_of

T = TypeVar("T", bound=msgspec.Struct)


class ReportView(ForAgents):
    """POST a wire.StepReport. The sheet's code allows to report to that sheet, and nothing else."""

    throttle_scope = "report"  # a room full of machines tells of a dozen steps each

    def post(self, request: Request) -> HttpResponse:
        report = _read(wire.StepReport, request)
        note_step(
            sheet_of(report.sheet, report.hostname),
            report.step,
            report.mark,
            request.META.get("REMOTE_ADDR", ""),
            hostname=report.hostname,
            found=report.found,
            remedy=report.remedy,
            checks=msgspec.to_builtins(report.checks),
        )
        return HttpResponse(status=204)


class KnownView(ForAgents):
    """POST a sheet's code with an agent's key: the machine that follows the sheet is a host already."""

    throttle_scope = "report"

    def post(self, request: Request) -> HttpResponse:
        host = host_with_key(bearer_of(request))
        if host is None:
            raise KeyUnknown("The server does not know this agent's key: the host was turned away or retired.")
        report = _read(wire.KnownMachine, request)
        note_known(sheet_of(report.sheet, report.hostname), host)
        return HttpResponse(status=204)


class AskView(ForAgents):
    """POST a wire.PassQuestion, get a wire.PassAnswer: nothing is used up by asking, and guesses count."""

    def post(self, request: Request) -> HttpResponse:
        asked = _read(wire.PassQuestion, request)
        with guarded(request.META.get("REMOTE_ADDR", "")):
            entry_pass = pass_of(asked.secret)
        name = name_for(asked.name, asked.hostname)
        demand_free(name)
        answer = wire.PassAnswer(entry_pass.paddock.name, name, not entry_pass.paddock.admits_at_once)
        return HttpResponse(msgspec.json.encode(answer), content_type="application/json")


def _read(kind: type[T], request: Request) -> T:
    try:
        return wire.read_as(kind, request._request.body)
    except BadMessage as error:
        raise Invalid(f"This cannot be read: {error}") from None
