from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any, cast

from django.db.models import QuerySet
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import generics
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_core.lifecycle import ENDED, LIVE

from ..errors import Invalid
from ..people.actor import Actor, person
from ..rest.shown import Shown
from ..work.actions.cancel import cancel
from ..work.actions.change_job import change_priority, correct_terms
from ..work.actions.submit import WantedJob, submit
from ..work.models import JOB_STATES, Attempt, Job
from ..work.serializers import ChangeJobSerializer, JobSerializer, JobSheetSerializer, SubmitSerializer
from ..work.visible import job_numbered, visible_attempts, visible_jobs
from .why import with_seen_reasons

GROUPS = {
    "live": [state.value for state in LIVE],
    "ended": [state.value for state in ENDED],
    **{state: [state] for state, _ in JOB_STATES},
}


@cache
def _submitted() -> SubmitSerializer:
    """One for all requests: making its fields costs more than reading with them."""
    return SubmitSerializer()


@cache
def _shown() -> JobSheetSerializer:
    return JobSheetSerializer()


@dataclass(frozen=True)
class _AcceptedJob(Shown[Job]):
    """A job as it was taken in: nothing was tried yet."""

    attempts: tuple[Attempt, ...] = ()


def shown_job(actor: Actor, pk: int, status: int = 200) -> Response:
    """The sheet of a job, as the actor may see it. Raises NotThere."""
    (job,) = with_seen_reasons(actor, [job_numbered(actor, pk)])
    return Response(_shown().to_representation(job), status=status)


class JobsView(generics.ListAPIView[Job]):
    """The jobs, newest first; submit one."""

    serializer_class = JobSerializer
    queryset = Job.objects.none()

    @extend_schema(
        parameters=[
            OpenApiParameter(
                "state", str, description="A state, or `live` (offered, running), or `ended`.", enum=list(GROUPS)
            ),
            OpenApiParameter("pipeline", str, description="Only jobs of this pipeline."),
            OpenApiParameter("host", str, description="Only jobs that were tried on this host."),
        ]
    )
    def get(self, request: Request, *args: object, **kwargs: object) -> Response:
        return super().get(request, *args, **kwargs)

    def get_queryset(self) -> QuerySet[Job]:
        jobs = visible_jobs(person(self.request.user))
        asked = self.request.query_params
        if state := asked.get("state"):
            if state not in GROUPS:
                raise Invalid(f'Unknown state "{state}". Known states: {", ".join(GROUPS)}.')
            jobs = jobs.filter(state__in=GROUPS[state])
        if pipeline := asked.get("pipeline"):
            jobs = jobs.filter(pipeline=pipeline)
        if host := asked.get("host"):
            tried = visible_attempts(person(self.request.user)).filter(host__name__iexact=host)
            jobs = jobs.filter(pk__in=tried.values("job"))
        return jobs

    def paginate_queryset(self, queryset: Any) -> list[Any]:
        return with_seen_reasons(person(self.request.user), super().paginate_queryset(queryset) or ())

    @extend_schema(request=SubmitSerializer, responses={201: JobSheetSerializer})
    def post(self, request: Request) -> Response:
        """Submit a job. A term that cannot be read is refused with its column and the nearest known word."""
        given = _submitted().run_validation(request.data)
        wanted = {"lines": given.pop("terms"), **given}
        actor = person(request.user)
        job = submit(actor, WantedJob(**wanted))
        (job,) = with_seen_reasons(actor, [job])
        return Response(_shown().to_representation(cast(Job, _AcceptedJob(job))), status=201)


class JobView(APIView):
    """One job with its attempts."""

    @extend_schema(responses=JobSheetSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return shown_job(person(request.user), pk)

    @extend_schema(request=ChangeJobSerializer, responses=JobSheetSerializer)
    def patch(self, request: Request, pk: int) -> Response:
        """Change the priority or the terms of a job that waits."""
        actor = person(request.user)
        given = ChangeJobSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        job = job_numbered(actor, pk)
        if (priority := given.validated_data.get("priority")) is not None:
            change_priority(actor, job, priority)
        if (terms := given.validated_data.get("terms")) is not None:
            correct_terms(actor, job, terms)
        return shown_job(actor, pk)


class CancelView(APIView):
    """Cancel a job."""

    @extend_schema(request=None, responses=JobSheetSerializer)
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        cancel(actor, job_numbered(actor, pk))
        return shown_job(actor, pk)
