from __future__ import annotations

import csv
import io
from typing import Any

import numpy as np
from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_core.planning.cost import OwnCost, RentedCost, break_even

from ..errors import NotThere
from ..hosts.queries import visible_hosts
from ..people.actor import Actor, person
from ..people.models import Role
from ..rest.paging import PagedView
from .actions.rehearse import cancel_rehearsal, rehearse, remove_rehearsal
from .actions.save_costs import plan_settings, remove_cost, save_cost, save_plan_settings
from .models import Cost, Rehearsal, RehearsalState
from .past_store import span_of_past
from .serializers import (
    AskedCostSerializer,
    AskedRehearsalSerializer,
    CostSerializer,
    HostUseSerializer,
    OutlookSerializer,
    PlanCostsSerializer,
    PlanKindsSerializer,
    PlanSettingsSerializer,
    PlanUseSerializer,
    RehearsalSerializer,
    RehearsalSheetSerializer,
    StretchSerializer,
)
from .use_shown import (
    GROUPINGS,
    Stretch,
    arrivals_shown,
    costs_shown,
    csv_lines,
    kinds_shown,
    shares,
    speeds_shown,
    stretch,
    use_shown,
)


def demand_viewer_everywhere(actor: Actor) -> None:
    """A rehearsal shows every paddock. Raises NotAllowed."""
    actor.demand(Role.VIEWER, None, "Seeing rehearsals and costs")


def _stretch(request: Request) -> Stretch:
    asked = StretchSerializer(data=request.query_params)
    asked.is_valid(raise_exception=True)
    given = asked.validated_data
    return stretch(person(request.user), given.get("since"), given.get("until"), given["zone"], given["paddock"])


def _given(serializer: Any) -> dict[str, Any]:
    serializer.is_valid(raise_exception=True)
    given: dict[str, Any] = serializer.validated_data
    return given


class PlanUseView(APIView):
    """How busy the fleet was, who used it, and who waited."""

    @extend_schema(parameters=[StretchSerializer], responses=PlanUseSerializer)
    def get(self, request: Request) -> Response:
        seen = _stretch(request)
        shown = use_shown(seen)
        fields = {name: getattr(shown, name) for name in shown.__dataclass_fields__}
        return Response(
            PlanUseSerializer(
                {**fields, "since": seen.since, "until": seen.until, "left_out": seen.recorded.left_out}
            ).data
        )


class PlanUseFileView(APIView):
    """The slot-hours of each host, paddock and so on, as CSV."""

    @extend_schema(
        parameters=[StretchSerializer, OpenApiParameter("by", enum=GROUPINGS)],
        responses={(200, "text/csv"): OpenApiTypes.STR},
    )
    def get(self, request: Request) -> HttpResponse:
        by = request.query_params.get("by", "host")
        if by not in GROUPINGS:
            raise NotThere(f"There is no use by {by[:40]}. Choose one of: {', '.join(GROUPINGS)}.")
        sheet = io.StringIO()
        table = csv.writer(sheet)
        table.writerow(["kind of work" if by == "ask" else by, "slot-hours", "runs"])
        # A name that a spreadsheet would take for a formula is written as text.
        table.writerows(
            [f"'{name}" if name[:1] in "=+-@" else name, hours, runs]
            for name, hours, runs in csv_lines(_stretch(request), by)
        )
        response = HttpResponse(sheet.getvalue(), content_type="text/csv; charset=utf-8")
        response.headers["Content-Disposition"] = f'attachment; filename="use-by-{by}.csv"'
        return response


class PlanKindsView(APIView):
    """The kinds of work, the hosts that cover each, and what stops if hosts fail."""

    @extend_schema(parameters=[StretchSerializer], responses=PlanKindsSerializer)
    def get(self, request: Request) -> Response:
        seen = _stretch(request)
        kinds, failing = kinds_shown(seen)
        rows = [
            {
                **{name: getattr(one.kind, name) for name in one.kind.__dataclass_fields__},
                "name": one.kind.name, "terms": one.kind.ask.terms,
                "growth": one.growth and {**vars(one.growth), "is_certain": one.growth.is_certain},
                "arrivals": arrivals,
            }
            for one, arrivals in zip(kinds, arrivals_shown(seen, kinds), strict=True)
        ]  # fmt: skip
        return Response(PlanKindsSerializer({"kinds": rows, "failures": failing}).data)


class HostUseView(APIView):
    """Who used one host, and how fast it is beside its peers."""

    @extend_schema(parameters=[StretchSerializer], responses=HostUseSerializer)
    def get(self, request: Request, name: str) -> Response:
        if not visible_hosts(person(request.user)).filter(name=name).exists():
            raise NotThere(f"There is no host {name}.")
        seen = _stretch(request)
        past, since, until = seen.past, seen.since.timestamp(), seen.until.timestamp()
        number = past.hosts.index(name) if name in past.hosts else -1
        mine = past.where(past.host == number)
        speed = speeds_shown(seen).get(name)
        own = Stretch(seen.recorded, mine, seen.since, seen.until, seen.zone,
                      [host for host in seen.hosts if host.name == name])  # fmt: skip
        shown = use_shown(own)
        return Response(
            HostUseSerializer(
                {
                    "since": seen.since, "until": seen.until, "slot_hours": shown.slot_hours,
                    "busy_share": shown.busy_share, "runs": shown.runs,
                    "pipelines": shares(mine, "pipeline", since, until)[:20],
                    "persons": shares(mine, "person", since, until)[:20], "week": shown.week,
                    "speed": speed and {"host": name, **vars(speed), "is_certain": speed.is_certain},
                }
            ).data
        )  # fmt: skip


class OutlookView(APIView):
    """Whether another machine is needed, and when: the newest answer that the server has worked out."""

    @extend_schema(responses=OutlookSerializer)
    def get(self, request: Request) -> Response:
        demand_viewer_everywhere(person(request.user))
        newest = Rehearsal.objects.filter(is_outlook=True, state=RehearsalState.DONE.value).first()
        shown = {"rehearsal": newest, "span": list(span_of_past() or ()), "settings": plan_settings()}
        return Response(OutlookSerializer(shown).data)


class RehearsalsView(PagedView):
    """Rehearsals, newest first."""

    @extend_schema(responses=RehearsalSerializer(many=True))
    def get(self, request: Request) -> Response:
        demand_viewer_everywhere(person(request.user))
        return self.page_of(Rehearsal.objects.filter(is_outlook=False).defer("result"), RehearsalSerializer)

    @extend_schema(request=AskedRehearsalSerializer, responses={201: RehearsalSerializer})
    def post(self, request: Request) -> Response:
        given = _given(AskedRehearsalSerializer(data=request.data))
        return Response(RehearsalSerializer(rehearse(person(request.user), given)).data, status=201)


def _rehearsal(actor: Actor, pk: int) -> Rehearsal:
    demand_viewer_everywhere(actor)
    found = Rehearsal.objects.filter(pk=pk).first()
    if found is None:
        raise NotThere(f"There is no rehearsal {pk}.")
    return found


class RehearsalView(APIView):
    """One rehearsal with its result."""

    @extend_schema(responses=RehearsalSheetSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return Response(RehearsalSheetSerializer(_rehearsal(person(request.user), pk)).data)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        remove_rehearsal(actor, _rehearsal(actor, pk))
        return Response(status=204)


class CancelRehearsalView(APIView):
    """Ends a rehearsal that waits or runs."""

    @extend_schema(request=None, responses=RehearsalSerializer)
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        rehearsal = _rehearsal(actor, pk)
        cancel_rehearsal(actor, rehearsal)
        rehearsal.refresh_from_db()
        return Response(RehearsalSerializer(rehearsal).data)


class PlanCostsView(APIView):
    """What hosts cost a month, and against rented ones."""

    @extend_schema(parameters=[StretchSerializer], responses=PlanCostsSerializer)
    def get(self, request: Request) -> Response:
        demand_viewer_everywhere(person(request.user))
        seen = _stretch(request)
        found, settings = costs_shown(seen), plan_settings()
        fields = {name: getattr(found, name) for name in found.__dataclass_fields__}
        even = _break_even(found.month, len(found.hosts) - found.unknown, seen)
        return Response(
            PlanCostsSerializer(
                {
                    **fields, "settings": settings,
                    "entered": Cost.objects.select_related("host", "paddock").order_by("id"),
                    "break_even_hours": even.hours if even else None,
                    "break_even": [list(point) for point in even.points] if even else [],
                }
            ).data
        )  # fmt: skip

    @extend_schema(request=AskedCostSerializer, responses=CostSerializer)
    def post(self, request: Request) -> Response:
        given = _given(AskedCostSerializer(data=request.data))
        host, paddock = given.pop("host"), given.pop("paddock")
        return Response(CostSerializer(save_cost(person(request.user), host, paddock, given)).data)


def _break_even(month: float, hosts: int, seen: Stretch) -> Any:
    """A mean owned host against a rented one, by the hours that it works; None without a price for both."""
    settings = plan_settings()
    if not hosts or not settings.rented_per_hour:
        return None
    hours = float(np.sum((seen.past.ended - seen.past.placed) / 3600)) if len(seen.past) else 0.0
    rented = RentedCost(settings.rented_per_hour, settings.rented_per_start)
    return break_even(OwnCost(room=month / hosts), rented, len(seen.past) / hours if hours else 0.0)


class PlanCostView(APIView):
    """One entered cost."""

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        cost = Cost.objects.filter(pk=pk).first()
        if cost is None:
            raise NotThere(f"There is no cost {pk}.")
        remove_cost(person(request.user), cost)
        return Response(status=204)


class PlanSettingsView(APIView):
    """The target for waits, the currency and the prices."""

    @extend_schema(request=PlanSettingsSerializer, responses=PlanSettingsSerializer)
    def put(self, request: Request) -> Response:
        given = _given(PlanSettingsSerializer(data=request.data))
        return Response(PlanSettingsSerializer(save_plan_settings(person(request.user), given)).data)
