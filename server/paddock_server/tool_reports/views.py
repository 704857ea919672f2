from __future__ import annotations

import csv
import io
import uuid
from collections.abc import Sequence
from datetime import datetime

from django.http import HttpResponse
from django.utils import timezone
from django.utils.dateparse import parse_datetime
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.renderers import JSONRenderer
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_core import inventory
from paddock_core.cover import within
from paddock_core.errors import VersionError
from paddock_core.kits import Standing, proposed_from_host, proposed_from_jobs
from paddock_core.surveys import Properties, Thing, differing
from paddock_core.terms import Term
from paddock_core.versions import parse_range

from .. import __version__
from ..errors import Invalid, NotThere
from ..hosts.models import Host
from ..hosts.queries import host_called, record_called, visible_hosts
from ..people.actor import person
from ..rest.paging import PagedView
from ..rest.reading import validated
from ..toolchains.actions.accept_change import accept_changes
from ..toolchains.actions.save_kit import Wanted, remove_kit, save_kit
from ..toolchains.catalogue import catalogue
from ..toolchains.serializers import (
    AcceptSerializer,
    ChangeSerializer,
    ColumnsSerializer,
    CompareSerializer,
    EffectSerializer,
    HistorySerializer,
    KitSerializer,
    KitTrialSerializer,
    ProposedTermSerializer,
    ToolPageSerializer,
    WithinQuestionSerializer,
    WithinSerializer,
)
from ..toolchains.snapshots import snapshot_at, snapshot_of
from ..toolchains.terms_input import read_terms, terms_of
from ..toolchains.visible import kit_called, visible_kits
from ..work.fleet import fleet
from .demand import asked_lately
from .queries import changes_of, columns, in_kit, inventories, tool_page
from .standings import effect_of

MIN_COMPARED, MAX_COMPARED = 2, 4


class ColumnsView(APIView):
    """The fleet and its tools, as columns for a table."""

    @extend_schema(responses=ColumnsSerializer)
    def get(self, request: Request) -> Response:
        # Built as it is sent: to pass a hundred thousand cells through a serializer would take longer than all else.
        return Response(columns(person(request.user)))


class WithinView(APIView):
    """Which of these versions of a tool lie in a range."""

    @extend_schema(request=WithinQuestionSerializer, responses=WithinSerializer)
    def post(self, request: Request) -> Response:
        asked = validated(WithinQuestionSerializer, request)
        words = catalogue().words
        try:
            wanted = parse_range(asked["range"], words.scheme(words.name(asked["tool"])))
        except VersionError as error:
            pointed = {"pointer": "/range", "detail": str(error), "column": error.column}
            raise Invalid(f"The range cannot be read: {error}.", errors=[pointed]) from None
        return Response({"range": str(wanted), "inside": within(asked["versions"], wanted)})


class ToolView(APIView):
    """One tool: versions, hosts, who asks for it, and what would stop if a version went."""

    @extend_schema(responses=ToolPageSerializer)
    def get(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        found = tool_page(actor, catalogue().words.name(name.lower()))
        known = found["name"] in catalogue().tools
        if not known and not (found["versions"] or found["broken"] or found["asked"]):
            raise NotThere(f"The catalogue has no tool called {name}, and no host has it.")
        return Response(ToolPageSerializer(found).data)


class CompareView(APIView):
    """Two to four hosts side by side, only what differs."""

    @extend_schema(
        responses=CompareSerializer,
        parameters=[OpenApiParameter("host", str, many=True, required=True, description="Two to four names.")],
    )
    def get(self, request: Request) -> Response:
        actor = person(request.user)
        names = list(dict.fromkeys(request.query_params.getlist("host")))
        if not MIN_COMPARED <= len(names) <= MAX_COMPARED:
            raise Invalid(f"{MIN_COMPARED} to {MAX_COMPARED} hosts can be compared; these are {len(names)}.")
        hosts = [host_called(actor, name) for name in names]
        if unknown := [host.name for host in hosts if host.surveyed_at is None]:
            raise Invalid(f"{' and '.join(unknown)} was never surveyed: there is nothing to compare.")
        snapshots = {host.name: with_services(host) for host in hosts}
        rows = differing(snapshots)
        things = {(kind, name) for snapshot in snapshots.values() for kind, name, _ in snapshot}
        answer = {
            "hosts": [host.name for host in hosts],
            "rows": [
                {"kind": kind, "name": name, "values": [properties[host.name] for host in hosts]}
                for (kind, name, _), properties in rows
            ],
            "alike": len(things) - len(rows),
        }
        return Response(CompareSerializer(answer).data)


def with_services(host: Host) -> dict[Thing, Properties]:
    """A host's snapshot, with its services and what it is set to be."""
    snapshot = snapshot_of(host)
    snapshot |= {("service", one.name, ""): {"value": one.running} for one in host.watched.all()}
    kept = "keeps it running" if host.facts.get("kept_by") else "started by hand"
    snapshot["service", "the agent's own", ""] = {"value": kept}
    snapshot |= {("label", label, ""): {} for label in host.labels}
    snapshot["setting", "slots", ""] = {"value": str(host.slots)}
    return snapshot


class HistoryView(APIView):
    """What changed on a host, and what was on it at any moment."""

    @extend_schema(
        responses=HistorySerializer,
        parameters=[OpenApiParameter("at", OpenApiTypes.DATETIME, description="Adds the state at this time.")],
    )
    def get(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        host = record_called(actor, name)
        moment = _moment(request.query_params.get("at", ""))
        then = snapshot_at(host, moment) if moment else None
        answer = {
            "changes": changes_of(host),
            "then": None
            if then is None
            else [_as_moment(thing, properties) for thing, properties in sorted(then.items())],
            "kits": in_kit(host),
            "looked_for": len(host.looked_for),
            "survey_took": host.survey_took,
            "probes": host.probes,
            "probes_refused": host.probes_refused,
        }
        return Response(HistorySerializer(answer).data)


def _as_moment(thing: Thing, properties: object) -> dict[str, object]:
    return {"kind": thing[0], "name": thing[1], "place": thing[2], "properties": properties}


def _moment(text: str) -> datetime | None:
    if not text:
        return None
    try:
        moment = parse_datetime(text)
    except ValueError:
        moment = None
    if moment is None or moment.tzinfo is None:
        raise Invalid(f'"{text[:40]}" is not a time with a zone. Example: 2024-05-07T12:00:00Z.')
    return moment


class AcceptView(APIView):
    """Say that changes of a host were intended."""

    @extend_schema(request=AcceptSerializer, responses=ChangeSerializer(many=True))
    def post(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        host = host_called(actor, name)
        asked = validated(AcceptSerializer, request)
        return Response(ChangeSerializer(accept_changes(actor, host, asked["changes"], asked["note"]), many=True).data)


# ---- kits ----------------------------------------------------------------------------------------------------------


class KitsView(PagedView):
    """The kits; make one."""

    @extend_schema(operation_id="kits_list", responses=KitSerializer(many=True))
    def get(self, request: Request) -> Response:
        actor = person(request.user)
        return self.page_of(visible_kits(actor), KitSerializer, actor=actor)

    @extend_schema(request=KitSerializer, responses={201: KitSerializer})
    def post(self, request: Request) -> Response:
        actor = person(request.user)
        kit = save_kit(actor, Wanted(**validated(KitSerializer, request)))
        return Response(KitSerializer(kit, context={"actor": actor}).data, status=201)


class KitView(APIView):
    """One kit: change it, remove it."""

    @extend_schema(responses=KitSerializer)
    def get(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        return Response(KitSerializer(kit_called(actor, name), context={"actor": actor}).data)

    @extend_schema(request=KitSerializer, responses=KitSerializer)
    def put(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        kit = save_kit(actor, Wanted(**validated(KitSerializer, request)), kit_called(actor, name))
        return Response(KitSerializer(kit, context={"actor": actor}).data)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        remove_kit(actor, kit_called(actor, name))
        return Response(status=204)


class KitTrialView(APIView):
    """What a kit would do before it is saved: who would be put out of it, and who into it."""

    @extend_schema(request=KitTrialSerializer, responses=EffectSerializer)
    def post(self, request: Request) -> Response:
        actor = person(request.user)
        asked = validated(KitTrialSerializer, request)
        read = read_terms(asked["terms"])
        kit = kit_called(actor, asked["kit"]) if asked["kit"] else None
        found, standings = effect_of(kit, [str(term) for term in read], asked["paddocks"], asked["labels"])
        visible = set(visible_hosts(actor).values_list("name", flat=True))
        answer = {
            name: [host for host in getattr(found, name) if host in visible]
            for name in ("put_out", "put_in", "stay_in", "stay_out")
        }
        shown = [_host_standing(host, one, read) for host, one in sorted(standings.items()) if host in visible]
        return Response(EffectSerializer(answer | {"standings": shown}).data)


def _host_standing(host: str, one: Standing, terms: Sequence[Term]) -> dict[str, object]:
    lacking = [{"term": str(terms[p]), "found": properties, "ahead": p in one.ahead} for p, properties in one.lacking]
    return {"host": host, "stands": one.stands.value, "lacking": lacking}


class KitStandingsView(APIView):
    """How the hosts that a kit is put on stand to it."""

    @extend_schema(responses=EffectSerializer)
    def get(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        kit = kit_called(actor, name)
        found, standings = effect_of(kit, kit.terms, [one.name for one in kit.paddocks.all()], kit.labels)
        visible = set(visible_hosts(actor).values_list("name", flat=True))
        terms = terms_of(tuple(kit.terms))
        shown = [_host_standing(host, one, terms) for host, one in sorted(standings.items()) if host in visible]
        sides = {side: [h for h in getattr(found, side) if h in visible] for side in ("stay_in", "stay_out")}
        return Response(EffectSerializer({"put_out": [], "put_in": [], **sides, "standings": shown}).data)


class ProposalView(APIView):
    """Terms for a kit: as a host is equipped, or as the jobs of the last 30 days asked."""

    @extend_schema(
        responses=ProposedTermSerializer(many=True),
        parameters=[OpenApiParameter("host", str, description="A host to take after; without it, the jobs.")],
    )
    def get(self, request: Request) -> Response:
        actor = person(request.user)
        if name := request.query_params.get("host", ""):
            host = host_called(actor, name)
            seen = next(one for one in fleet({host.paddock.name}) if one.name == host.name)
            terms = [{"term": term, "jobs": None} for term in proposed_from_host(seen, catalogue().words)]
            return Response(terms)
        asked = [(one.terms, one.times) for one in asked_lately(actor)]
        return Response([{"term": term, "jobs": number} for term, number in proposed_from_jobs(asked)])


# ---- out -----------------------------------------------------------------------------------------------------------


class BillRenderer(JSONRenderer):
    media_type = "application/vnd.cyclonedx+json"
    format = "cyclonedx"


class InventoryView(APIView):
    """The inventory of the fleet, or of some hosts, as CycloneDX 1.6 or as CSV."""

    @extend_schema(
        responses={(200, "application/vnd.cyclonedx+json"): OpenApiTypes.OBJECT, (200, "text/csv"): OpenApiTypes.STR},
        parameters=[
            OpenApiParameter("host", str, many=True, description="Only these; without it, all that you may see."),
            OpenApiParameter("form", str, enum=["cyclonedx", "csv"], description="cyclonedx if it is left out."),
        ],
    )
    def get(self, request: Request) -> HttpResponse:
        actor = person(request.user)
        names = list(dict.fromkeys(request.query_params.getlist("host")))
        hosts = [host_called(actor, name) for name in names] if names else list(visible_hosts(actor))
        form = request.query_params.get("form", "cyclonedx")
        if form not in ("cyclonedx", "csv"):
            raise Invalid(f'Unknown format "{form[:40]}". Known formats: cyclonedx, csv.')
        called = names[0] if len(names) == 1 else "fleet"
        if form == "csv":
            return _file(_as_csv(hosts), "text/csv; charset=utf-8", f"{called}.csv")
        tools = catalogue().tools
        bill = inventory.bill(
            inventories(hosts),
            timezone.now().strftime("%Y-%m-%dT%H:%M:%SZ"),
            uuid.uuid4(),
            {tool.name: tool.purl for tool in tools.values() if tool.purl},
            {tool.name: tool.title for tool in tools.values()},
            __version__,
        )
        return _file(BillRenderer().render(bill), BillRenderer.media_type, f"{called}.cdx.json")


def _as_csv(hosts: list[Host]) -> bytes:
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow(inventory.COLUMNS)
    writer.writerows(inventory.rows(inventories(hosts)))
    return text.getvalue().encode()


def _file(content: bytes, media_type: str, name: str) -> HttpResponse:
    answer = HttpResponse(content, content_type=media_type)
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer
