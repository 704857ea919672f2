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
from ..people.actor import Actor, person, signed_in_user
from ..people.models import Role
from ..rest.addresses import server_address
from ..rest.paging import PagedView
from ..rest.problems import respond
from ..rest.reading import validated, whole_number
from .actions.make_calendar_address import end_calendar_address, make_calendar_address, reader_of
from .actions.save_window import delete_window, save_all, save_window
from .calendar_feed import calendar_of
from .calendar_import import read_calendar
from .models import HOWS, CalendarAddress, MaintenanceWindow
from .times import times_between, zone_called


class MaintenanceWindowSerializer(serializers.ModelSerializer[MaintenanceWindow]):
    """A plan. ``place`` is a paddock or a host; ``rule`` says when it comes again, as FREQ=WEEKLY;BYDAY=SU (RFC
    5545)."""

    place = serializers.CharField(max_length=63, write_only=True)
    paddock = serializers.CharField(source="paddock.name", read_only=True)
    host = serializers.SerializerMethodField()
    rule = serializers.CharField(max_length=500, allow_blank=True, default="")
    zone = serializers.CharField(max_length=64, default="UTC")
    how = serializers.ChoiceField(choices=HOWS, default="drain")
    exceptions = serializers.SerializerMethodField()

    class Meta:
        model = MaintenanceWindow
        fields = [
            "id", "what", "place", "paddock", "host", "how", "starts_at", "ends_at", "zone", "rule", "exceptions",
            "made_by",
        ]  # fmt: skip
        read_only_fields = ["id", "made_by"]

    @extend_schema_field(serializers.CharField())
    def get_host(self, window: MaintenanceWindow) -> str:
        """The one host, "" for the whole paddock."""
        return window.host.name if window.host else ""

    def get_exceptions(self, window: MaintenanceWindow) -> int:
        """How many occurrences were cancelled, moved or added."""
        return len(window.left_out) + len(window.moved)


class MaintenanceTimeSerializer(serializers.Serializer[Any]):
    """A time at which hosts are held: of a plan, or by hand until a time."""

    window = serializers.IntegerField(allow_null=True)
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
    cancelled = serializers.IntegerField(help_text="Windows that the file cancels, which were deleted.")


class CalendarAddressSerializer(serializers.Serializer[Any]):
    """Where the person's own calendar reads maintenance windows; the address itself is shown only when it is made."""

    made_at = serializers.DateTimeField(allow_null=True)
    url = serializers.CharField(allow_blank=True)


def visible_windows(actor: Actor) -> list[MaintenanceWindow]:
    """The plans in paddocks that the actor may see. Raises NotAllowed."""
    if not actor.may_anywhere(Role.VIEWER):
        raise NotAllowed("Seeing maintenance windows needs the role viewer. Ask an administrator for it.")
    inside = actor.where(Role.VIEWER)
    return [
        one
        for one in MaintenanceWindow.objects.select_related("paddock", "host")
        if inside is None or one.paddock.name in inside
    ]


class WindowsView(PagedView):
    """Planned maintenance."""

    @extend_schema(responses=MaintenanceWindowSerializer(many=True))
    def get(self, request: Request) -> Response:
        """All plans."""
        return self.page_of(visible_windows(person(request.user)), MaintenanceWindowSerializer)

    @extend_schema(request=MaintenanceWindowSerializer, responses={201: MaintenanceWindowSerializer})
    def post(self, request: Request) -> Response:
        """Plan maintenance."""
        given = dict(validated(MaintenanceWindowSerializer, request))
        window = save_window(
            person(request.user),
            given.pop("what"),
            given.pop("place"),
            given.pop("starts_at"),
            given.pop("ends_at"),
            **given,
        )
        return Response(MaintenanceWindowSerializer(window).data, status=201)


class WindowView(APIView):
    """One plan."""

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        """Take a plan back."""
        actor = person(request.user)
        window = next((one for one in visible_windows(actor) if one.pk == pk), None)
        if window is None:
            raise NotThere(f"No maintenance window {pk} exists.")
        delete_window(actor, window)
        return Response(status=204)


class TimesView(PagedView):
    """When hosts are held by plan, or by hand until a time."""

    @extend_schema(
        parameters=[OpenApiParameter("days", int, description="How far ahead, at most 366 (default 28).")],
        responses=MaintenanceTimeSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        """From the start of this day on."""
        actor = person(request.user)
        start = timezone.now().replace(hour=0, minute=0, second=0, microsecond=0)
        end = start + timedelta(days=min(366, whole_number(request, "days") or 28))
        found = [
            {"window": window.pk, "what": window.what, "paddock": window.paddock.name,
             "host": window.host.name if window.host else "", "starts_at": begins, "ends_at": ends}
            for window in visible_windows(actor)
            for begins, ends in times_between(window, start, end)
        ]  # fmt: skip
        inside = actor.where(Role.VIEWER)
        held = (
            Host.objects.select_related("paddock").filter(standing__in=LIVING, hold_until__gt=start).exclude(holding="")
        )
        found += [
            {"window": None, "what": host.hold_reason or "held", "paddock": host.paddock.name, "host": host.name,
             "starts_at": host.held_at, "ends_at": host.hold_until}
            for host in held
            if (inside is None or host.paddock.name in inside) and not host.hold_reason.startswith("maintenance: ")
        ]  # fmt: skip
        return self.page_of(sorted(found, key=lambda time: time["starts_at"]), MaintenanceTimeSerializer)


class CalendarView(APIView):
    """Import maintenance windows from an iCalendar file."""

    @extend_schema(request=CalendarFileSerializer, responses=CalendarReadSerializer)
    def post(self, request: Request) -> Response:
        given = validated(CalendarFileSerializer, request)
        read = read_calendar(given["text"], zone_called(given["zone"]))
        return Response(save_all(person(request.user), read, given["place"], given["how"]))


class AddressView(APIView):
    """The address at which the person's own calendar reads planned maintenance."""

    @extend_schema(responses=CalendarAddressSerializer)
    def get(self, request: Request) -> Response:
        """Whether there is one."""
        feed = CalendarAddress.objects.filter(user=signed_in_user(request.user)).first()
        return Response(CalendarAddressSerializer({"made_at": feed and feed.made_at, "url": ""}).data)

    @extend_schema(request=None, responses={201: CalendarAddressSerializer})
    def post(self, request: Request) -> Response:
        """Make a new one, which is shown this once; the one before it ends."""
        made = make_calendar_address(person(request.user), signed_in_user(request.user))
        url = server_address(request, f"/maintenance/{made}.ics")
        return Response(
            CalendarAddressSerializer(
                {"made_at": signed_in_user(request.user).calendar_address.made_at, "url": url}
            ).data,
            status=201,
        )

    @extend_schema(responses={204: None})
    def delete(self, request: Request) -> Response:
        """End it."""
        end_calendar_address(person(request.user), signed_in_user(request.user))
        return Response(status=204)


def maintenance_calendar(request: HttpRequest, secret: str) -> HttpResponse:
    """As iCalendar, the maintenance windows that the person may see whose address this is."""
    reader = reader_of(secret)
    if reader is None:
        return respond(404, "No such calendar", "This calendar address is invalid or was replaced.")
    server = server_address(request)
    try:
        windows = visible_windows(person(reader))
    except NotAllowed as error:
        return respond(error.status, error.title, error.detail)
    return HttpResponse(calendar_of(windows, server), content_type="text/calendar; charset=utf-8")
