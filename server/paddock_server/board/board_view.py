from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_core.lifecycle import ENDED, LIVE, JobState
from paddock_core.remedies import RemedyKind

from ..people.actor import person
from ..work.actions.change_job import let_in
from ..work.fence import Fences
from ..work.fleet import cached_fleet
from ..work.serializers import JobSheetSerializer
from ..work.visible import job_numbered, visible_jobs
from .actions.apply_remedy import apply_remedy
from .job_views import shown_job
from .serializers import ApplySerializer, BoardSerializer, LetInSerializer
from .why import BLOCKED, groups_of, shown_remedy, steps_for, with_seen_reasons

MAX_JOBS_PER_STEP = 2000


class BoardView(APIView):
    """What waits, by reason; and what would help most of it."""

    @extend_schema(responses=BoardSerializer)
    def get(self, request: Request) -> Response:
        actor = person(request.user)
        seen = visible_jobs(actor).prefetch_related(None)
        waiting = with_seen_reasons(actor, seen.filter(state=JobState.WAITING.value).defer("script"))
        with cached_fleet() as index:
            steps = steps_for(waiting, actor, index, Fences())
        return Response(
            {
                "waiting": len(waiting),
                "blocked": sum(job.reason_kind in BLOCKED for job in waiting),
                "live": seen.filter(state__in=[state.value for state in LIVE]).count(),
                "ended": seen.filter(state__in=[state.value for state in ENDED]).count(),
                "groups": groups_of(waiting),
                "steps": [
                    {
                        "remedies": [shown_remedy(one) for one in step.remedies],
                        "cost": step.cost,
                        "count": len(step.jobs),
                        "jobs": step.jobs[:MAX_JOBS_PER_STEP],
                    }
                    for step in steps
                ],
            }
        )


class LetInView(APIView):
    """Let a job into a paddock whose fence keeps it out."""

    @extend_schema(request=LetInSerializer, responses=JobSheetSerializer)
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        given = LetInSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        wanted = given.validated_data
        let_in(actor, job_numbered(actor, pk), wanted["paddock"], for_good=wanted["for_good"])
        return shown_job(actor, pk)


class RemedyView(APIView):
    """Carry out a remedy that the board proposes."""

    @extend_schema(request=ApplySerializer, responses={204: None})
    def post(self, request: Request) -> Response:
        actor = person(request.user)
        given = ApplySerializer(data=request.data)
        given.is_valid(raise_exception=True)
        wanted = given.validated_data
        jobs = list(visible_jobs(actor).filter(state=JobState.WAITING.value, pk__in=wanted["jobs"]))
        apply_remedy(
            actor,
            RemedyKind(wanted["kind"]),
            wanted["place"],
            wanted["what"],
            wanted["instead"],
            jobs,
            for_good=wanted["for_good"],
        )
        return Response(status=204)
