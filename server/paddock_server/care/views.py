from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..errors import NotAllowed, NotThere
from ..hosts.models import LIVING, Host
from ..people.actor import Actor, person, somebody
from ..people.models import Role
from ..rest.problems import respond
from ..rest.reading import validated, whole_number
from .actions.make_feed import end_feed, make_feed, reader_of
from .actions.plan_care import drop_care, plan_all, plan_care
from .calendar_file import read_calendar, written
from .models import HOWS, Care, CareFeed
from .times import times_between, zone_called


class CareSerializer(serializers.ModelSerializer[Care]):
    """A plan. ``place`` is a paddock or a host; ``rule`` says when it comes again, as FREQ=WEEKLY;BYDAY=SU (RFC
    5545)."""

    place = serializers.CharField(max_length=63, write_only=True)
    paddock = serializers.CharField(source="paddock.name", read_only=True)
    host = serializers.SerializerMethodField()
    rule = serializers.CharField(max_length=500, allow_blank=True, default="")
    zone = serializers.CharField(max_length=64, default="UTC")
    how = serializers.ChoiceField(choices=HOWS, default="drain")

    class Meta:
        model = Care
        fields = ["id", "what", "place", "paddock", "host", "how", "starts_at", "ends_at", "zone", "rule", "made_by"]
        read_only_fields = ["id", "made_by"]

    @extend_schema_field(serializers.CharField())
    def get_host(self, care: Care) -> str:
        """The one host, "" for the whole paddock."""
        return care.host.name if care.host else ""


class CareTimeSerializer(serializers.Serializer[Any]):
    """A time at which hosts are held: of a plan, or by hand until a time."""

    care = serializers.IntegerField(allow_null=True)
    what = serializers.CharField()
    paddock = serializers.CharField()
    host = serializers.CharField(allow_blank=True)
    starts_at = serializers.DateTimeField()
    ends_at = serializers.DateTimeField()


class CalendarFileSerializer(serializers.Serializer[Any]):
    """An iCalendar file. An event whose location is a host or a paddock is for that one, the others for ``place``."""

    text = serializers.CharField(max_length=1_000_000, trim_whitespace=False)
    place = serializers.CharField(max_length=63, allow_blank=True, default="")
    zone = serializers.CharField(max_length=64, default="UTC")
    how = serializers.ChoiceField(choices=HOWS, default="drain")


class CalendarReadSerializer(serializers.Serializer[Any]):
    new = serializers.IntegerField()
    changed = serializers.IntegerField()


class FeedSerializer(serializers.Serializer[Any]):
    """Where the person's own calendar reads planned care; the address itself is told only when it is made."""

    made_at = serializers.DateTimeField(allow_null=True)
    url = serializers.CharField(allow_blank=True)


def visible_care(actor: Actor) -> list[Care]:
    """The plans in paddocks that the actor may see. Raises NotAllowed."""
    if not actor.may_anywhere(Role.VIEWER):
        raise NotAllowed("Seeing planned care needs the role viewer. Ask an administrator for it.")
    inside = actor.where(Role.VIEWER)
    return [
        one for one in Care.objects.select_related("paddock", "host") if inside is None or one.paddock.name in inside
    ]


class CaresView(APIView):
    """Planned care."""

    @extend_schema(responses=CareSerializer(many=True))
    def get(self, request: Request) -> Response:
        """All plans."""
        return Response(CareSerializer(visible_care(person(request.user)), many=True).data)

    @extend_schema(request=CareSerializer, responses={201: CareSerializer})
    def post(self, request: Request) -> Response:
        """Plan care."""
        given = dict(validated(CareSerializer, request))
        care = plan_care(
            person(request.user),
            given.pop("what"),
            given.pop("place"),
            given.pop("starts_at"),
            given.pop("ends_at"),
            **given,
        )
        return Response(CareSerializer(care).data, status=201)


class CareView(APIView):
    """One plan."""

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        """Take a plan back."""
        actor = person(request.user)
        care = next((one for one in visible_care(actor) if one.pk == pk), None)
        if care is None:
            raise NotThere(f"There is no plan {pk}.")
        drop_care(actor, care)
        return Response(status=204)


class CareTimesView(APIView):
    """When hosts are held by plan, or by hand until a time."""

    @extend_schema(
        parameters=[OpenApiParameter("days", int, description="How far ahead, at most 366 (default 28).")],
        responses=CareTimeSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        """From the start of this day on."""
        actor = person(request.user)
        start = timezone.now().replace(hour=0, minute=0, second=0, microsecond=0)
        end = start + timedelta(days=min(366, whole_number(request, "days") or 28))
        found = [
            {"care": care.pk, "what": care.what, "paddock": care.paddock.name,
             "host": care.host.name if care.host else "", "starts_at": begins, "ends_at": ends}
            for care in visible_care(actor)
            for begins, ends in times_between(care, start, end)
        ]  # fmt: skip
        inside = actor.where(Role.VIEWER)
        held = (
            Host.objects.select_related("paddock").filter(standing__in=LIVING, hold_until__gt=start).exclude(holding="")
        )
        found += [
            {"care": None, "what": host.hold_reason or "held", "paddock": host.paddock.name, "host": host.name,
             "starts_at": host.held_at, "ends_at": host.hold_until}
            for host in held
            if (inside is None or host.paddock.name in inside) and not host.hold_reason.startswith("planned care:")
        ]  # fmt: skip
        return Response(CareTimeSerializer(sorted(found, key=lambda one: one["starts_at"]), many=True).data)


class CalendarView(APIView):
    """Plan care from an iCalendar file."""

    @extend_schema(request=CalendarFileSerializer, responses=CalendarReadSerializer)
    def post(self, request: Request) -> Response:
        given = validated(CalendarFileSerializer, request)
        read = read_calendar(given["text"], zone_called(given["zone"]))
        return Response(plan_all(person(request.user), read, given["place"], given["how"]))


class FeedView(APIView):
    """The address at which the person's own calendar reads planned care."""

    @extend_schema(responses=FeedSerializer)
    def get(self, request: Request) -> Response:
        """Whether there is one."""
        feed = CareFeed.objects.filter(user=somebody(request.user)).first()
        return Response(FeedSerializer({"made_at": feed and feed.made_at, "url": ""}).data)

    @extend_schema(request=None, responses={201: FeedSerializer})
    def post(self, request: Request) -> Response:
        """Make a new one, which is shown this once; the one before it ends."""
        made = make_feed(person(request.user), somebody(request.user))
        url = request.build_absolute_uri(f"/care/{made}.ics")
        return Response(
            FeedSerializer({"made_at": somebody(request.user).care_feed.made_at, "url": url}).data, status=201
        )

    @extend_schema(responses={204: None})
    def delete(self, request: Request) -> Response:
        """End it."""
        end_feed(person(request.user), somebody(request.user))
        return Response(status=204)


def calendar_feed(request: HttpRequest, secret: str) -> HttpResponse:
    """As iCalendar, the planned care that the person may see whose address this is."""
    reader = reader_of(secret)
    if reader is None:
        return respond(404, "There is no such calendar", "The address is nobody's, or is another now.")
    server = request.build_absolute_uri("/").rstrip("/")
    try:
        cares = visible_care(person(reader))
    except NotAllowed as error:
        return respond(error.status, error.title, error.detail)
    return HttpResponse(written(cares, server), content_type="text/calendar; charset=utf-8")
