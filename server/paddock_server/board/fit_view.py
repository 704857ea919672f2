from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_core.fit import Requirement
from paddock_core.fleet import Host
from paddock_core.fleet_index import FleetIndex
from paddock_core.grammar import ARCH_NAMES, OS_NAMES, SUBJECTS
from paddock_core.reasons import Reason, ReasonKind

from ..errors import NotAllowed
from ..hosts.queries import paddock_called
from ..people.actor import Actor, person
from ..people.models import Role
from ..toolchains.fleet_vocabulary import words as known_words
from ..toolchains.terms_input import asked_of, read_asked
from ..toolchains.visible import visible_kits
from ..work.fence import Fences
from ..work.fleet import cached_fleet
from ..work.models import Job
from ..work.round import requirement_for
from ..work.visible import job_numbered
from .serializers import FitRequestSerializer, FitSerializer, WordsSerializer
from .why import seen_by, shown_fit, shown_lines, with_seen_reasons

MAX_WORDS = 2000


class FitView(APIView):
    """Try terms against the fleet, without submitting anything."""

    @extend_schema(request=FitRequestSerializer, responses=FitSerializer)
    def post(self, request: Request) -> Response:
        given = FitRequestSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        actor = person(request.user)
        wanted = given.validated_data
        reach = _reach(actor)
        if name := wanted.get("paddock"):
            reach = frozenset([paddock_called(actor, name).name])
        asked = read_asked(wanted["terms"])
        pipeline = wanted.get("pipeline", "")
        let_in = Fences().letting_in(pipeline) if pipeline else None
        requirement = Requirement(asked.terms, wanted["slots"], reach, let_in)
        with cached_fleet() as index:
            # As FitSerializer describes it; going through it would cost more than all the rest for thousands of hosts.
            shown = shown_fit(requirement, asked.prefers, index, pipeline, None, wanted["all"], _is_restricted(actor))
            return Response({**shown, "lines": shown_lines(wanted["terms"], requirement, index)})


def _reach(actor: Actor) -> frozenset[str] | None:
    if not actor.may_anywhere(Role.VIEWER):
        raise NotAllowed("Asking what fits needs the role viewer. Ask an administrator for it.")
    seen = actor.where(Role.VIEWER)
    return None if seen is None else frozenset(seen)


def _is_restricted(actor: Actor) -> bool:
    return actor.where(Role.VIEWER) is not None


class JobFitView(APIView):
    """The fit sheet of a job: which hosts could do it, what the others lack, and what would help."""

    @extend_schema(
        responses=FitSerializer,
        parameters=[OpenApiParameter("all", bool, description="Every host, and not only those that matter.")],
    )
    def get(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        job = job_numbered(actor, pk)
        requirement = seen_by(requirement_for(job, Fences()), actor)
        prefers = asked_of(tuple(f"prefer {one}" for one in job.prefers)).prefers
        show_all = request.query_params.get("all") == "true"
        with cached_fleet() as index:
            shown = shown_fit(
                requirement, prefers, index, job.pipeline, _saved_reason(job, actor), show_all, _is_restricted(actor)
            )
            return Response(shown)


def _saved_reason(job: Job, actor: Actor) -> Reason | None:
    """The reason of the last round, if it says more than the hosts do: another job comes first."""
    (job,) = with_seen_reasons(actor, [job])
    if job.reason_kind not in (ReasonKind.AFTER.value, ReasonKind.MORE_SLOTS.value):
        return None
    return Reason(ReasonKind(job.reason_kind), job.reason, job.reason_term, job.reason_nearest or None)


class WordsView(APIView):
    """The words of the fleet, for completion while terms are typed."""

    @extend_schema(responses=WordsSerializer)
    def get(self, request: Request) -> Response:
        actor = person(request.user)
        reach = _reach(actor)
        kits = {name.lower() for name in visible_kits(actor).values_list("name", flat=True)} & set(known_words().kits)
        with cached_fleet() as index:
            return Response(_words(index, reach, kits))


def _words(index: FleetIndex, reach: frozenset[str] | None, kits: Iterable[str]) -> dict[str, object]:
    words = index.words(reach)
    after = {
        "os": _of_fields(words.admitted, "os", OS_NAMES),
        "arch": _of_fields(words.admitted, "arch", ARCH_NAMES),
        "tool": words.tools,
        "label": words.labels,
        "kit": dict.fromkeys(kits, 0),
        "host": dict.fromkeys(words.hosts, 1),
        "paddock": {name: sum(host.paddock == name for host in words.admitted) for name in words.paddocks},
        "service": words.services,
        "env": words.variables,
        "user group": words.groups,
    }
    return {
        "subjects": [*SUBJECTS, "not", "any of", "prefer"],
        "after": {subject: _counted(counted) for subject, counted in after.items()},
        "versions": {tool: _counted(words.versions(tool))[:30] for tool in sorted(words.tools)},
    }


def _of_fields(hosts: Sequence[Host], name: str, known: tuple[str, ...]) -> dict[str, int]:
    return {word: sum(getattr(host, name) == word for host in hosts) for word in known}


def _counted(counted: Mapping[str, int]) -> list[dict[str, object]]:
    ordered = sorted(counted.items(), key=lambda one: (-one[1], one[0]))[:MAX_WORDS]
    return [{"word": word, "hosts": number} for word, number in ordered]
