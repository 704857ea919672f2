from __future__ import annotations

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import generics
from rest_framework.renderers import BaseRenderer, JSONRenderer
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_core.lifecycle import ENDED, LIVE

from ..errors import Invalid, NotAllowed, NotThere
from ..people.actor import Actor, person
from ..people.models import Role
from . import logs
from .actions.cancel import cancel
from .actions.change_job import change_priority, correct_terms
from .actions.submit import WantedJob, submit
from .models import JOB_STATES, Attempt, Job
from .serializers import ChangeJobSerializer, JobSerializer, JobSheetSerializer, SubmitSerializer

GROUPS = {
    "live": [state.value for state in LIVE],
    "ended": [state.value for state in ENDED],
    **{state: [state] for state, _ in JOB_STATES},
}


def visible_jobs(actor: Actor):
    """Jobs are seen by everybody who may see anything. Raises NotAllowed for people without a role."""
    if not actor.may_anywhere(Role.VIEWER):
        raise NotAllowed("Seeing jobs needs the role viewer. Ask an administrator for it.")
    return Job.objects.prefetch_related("attempts__host")


def job_numbered(actor: Actor, pk: int) -> Job:
    """Raises NotThere."""
    job = visible_jobs(actor).filter(pk=pk).first()
    if job is None:
        raise NotThere(f"There is no job {pk}.")
    return job


class JobsView(generics.ListAPIView):
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

    def get_queryset(self):
        jobs = visible_jobs(person(self.request.user))
        asked = self.request.query_params
        if state := asked.get("state"):
            if state not in GROUPS:
                raise Invalid(f'There is no state "{state}". There is {", ".join(GROUPS)}.')
            jobs = jobs.filter(state__in=GROUPS[state])
        if pipeline := asked.get("pipeline"):
            jobs = jobs.filter(pipeline=pipeline)
        if host := asked.get("host"):
            jobs = jobs.filter(pk__in=Attempt.objects.filter(host__name__iexact=host).values("job"))
        return jobs

    @extend_schema(request=SubmitSerializer, responses={201: JobSheetSerializer})
    def post(self, request: Request) -> Response:
        """Submit a job. A term that cannot be read is refused with its column and the nearest known word."""
        given = SubmitSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        wanted = {"lines": given.validated_data.pop("terms"), **given.validated_data}
        job = submit(person(request.user), WantedJob(**wanted))
        return Response(JobSheetSerializer(job).data, status=201)


class JobView(APIView):
    """One job with its attempts."""

    @extend_schema(responses=JobSheetSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return Response(JobSheetSerializer(job_numbered(person(request.user), pk)).data)

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
        return Response(JobSheetSerializer(job_numbered(actor, pk)).data)


class CancelView(APIView):
    """Cancel a job."""

    @extend_schema(request=None, responses=JobSheetSerializer)
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        cancel(actor, job_numbered(actor, pk))
        return Response(JobSheetSerializer(job_numbered(actor, pk)).data)


class PlainText(BaseRenderer):
    """Lets a client ask for text/plain; the view answers with bytes of its own."""

    media_type = "text/plain"
    format = "txt"

    def render(self, data, accepted_media_type=None, renderer_context=None):
        return JSONRenderer().render(data)


class LogView(APIView):
    """The log of a job's newest attempt, or of the one asked for, as plain text."""

    renderer_classes = [PlainText, JSONRenderer]

    @extend_schema(
        parameters=[
            OpenApiParameter("attempt", int, description="The number of the attempt (default: the newest)."),
            OpenApiParameter("offset", int, description="Bytes to leave out from the start, for following a log."),
        ],
        responses={(200, "text/plain"): OpenApiTypes.STR},
    )
    def get(self, request: Request, pk: int) -> HttpResponse:
        job = job_numbered(person(request.user), pk)
        number, offset = (_whole_number(request, name) for name in ("attempt", "offset"))
        attempts = job.attempts.filter(number=number) if number else job.attempts.all()
        attempt = attempts.order_by("-number").first()
        if attempt is None and number:
            raise NotThere(f"Job {pk} has no attempt {number}.")
        data = logs.read(attempt, offset or 0) if attempt else b""
        # What a script prints is nobody's page: it is text, whatever it looks like.
        response = HttpResponse(data, content_type="text/plain; charset=utf-8")
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Content-Security-Policy"] = "sandbox"
        return response


def _whole_number(request: Request, name: str) -> int | None:
    given = request.query_params.get(name)
    if given is None:
        return None
    if not given.isdecimal() or len(given) > 15:
        raise Invalid(f"{name} is a whole number, not {given[:40]!r}.")
    return int(given)
