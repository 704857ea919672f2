from __future__ import annotations

from django.http import JsonResponse
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..errors import NotThere
from ..hosts.join_view import ForAgents
from ..people.actor import person
from ..rest.paging import PagedView
from ..work.actions.save_source import accept_push, remove_source, renew_secret, save_source, submit_source
from ..work.actions.submit_file import lint_file, submit_file
from ..work.models import Job, Source, Submission
from ..work.pipeline_serializers import (
    FileSerializer,
    NewSource,
    NewSourceSerializer,
    PipelineSerializer,
    PipelineSheetSerializer,
    RemarkSerializer,
    SourceSerializer,
    SubmissionSheetSerializer,
)
from ..work.visible import source_numbered, visible_jobs, visible_sources, visible_submissions
from .pipelines import all_pipelines, one_pipeline
from .why import with_seen_reasons


def _text(request: Request) -> str:
    given = FileSerializer(data=request.data)
    given.is_valid(raise_exception=True)
    text: str = given.validated_data["text"]
    return text


def _sheet(submission: Submission, jobs: list[Job]) -> dict[str, object]:
    shown: dict[str, object] = SubmissionSheetSerializer(submission, context={"jobs": jobs}).data
    return shown


class LintView(APIView):
    """Say what is wrong with a pipeline file, and what the fleet says of it."""

    @extend_schema(request=FileSerializer, responses=RemarkSerializer(many=True))
    def post(self, request: Request) -> Response:
        return Response(lint_file(person(request.user), _text(request)))


class SubmissionsView(APIView):
    """Send all jobs of a pipeline file."""

    @extend_schema(request=FileSerializer, responses={201: SubmissionSheetSerializer})
    def post(self, request: Request) -> Response:
        return Response(_sheet(*submit_file(person(request.user), _text(request))), status=201)


class SubmissionView(APIView):
    """Jobs that were sent together."""

    @extend_schema(responses=SubmissionSheetSerializer)
    def get(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        submission = visible_submissions(actor).select_related("source").filter(pk=pk).first()
        if submission is None:
            raise NotThere(f"No submission {pk} exists that you may see.")
        jobs = with_seen_reasons(actor, visible_jobs(actor).filter(submission=submission).order_by("pk"))
        return Response(_sheet(submission, jobs))


class SourcesView(PagedView):
    """The Git sources; keep another one."""

    @extend_schema(responses=SourceSerializer(many=True))
    def get(self, request: Request) -> Response:
        return self.page_of(visible_sources(person(request.user)), SourceSerializer)

    @extend_schema(request=SourceSerializer, responses={201: NewSourceSerializer})
    def post(self, request: Request) -> Response:
        """Keep a source. The secret of its webhook is shown this once."""
        given = SourceSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        source, secret = save_source(person(request.user), **given.validated_data)
        return Response(NewSourceSerializer(NewSource(source, secret)).data, status=201)


class SourceView(APIView):
    """One Git source."""

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        """Remove it; what it sent stays."""
        actor = person(request.user)
        remove_source(actor, source_numbered(actor, pk))
        return Response(status=204)


class SourceSecretView(APIView):
    """Give the webhook of a source a new secret, shown this once."""

    @extend_schema(request=None, responses=NewSourceSerializer)
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        source = source_numbered(actor, pk)
        return Response(NewSourceSerializer(NewSource(source, renew_secret(actor, source))).data)


class SubmitSourceView(APIView):
    """Read the file of a source at its newest commit, and send its jobs."""

    @extend_schema(request=None, responses={201: SubmissionSheetSerializer})
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        return Response(_sheet(*submit_source(actor, source_numbered(actor, pk))), status=201)


class HookView(ForAgents):
    """Where a repository says that something was pushed. No login: the signature is what counts."""

    throttle_scope = "hook"

    def post(self, request: Request, pk: int) -> JsonResponse:
        sent = accept_push(Source.objects.filter(pk=pk).first(), request.headers, request._request.body)
        if sent is None:
            return JsonResponse({"sent": 0, "why": "this source is about another ref"})
        submission, jobs = sent
        return JsonResponse(
            {"sent": len(jobs), "submission": submission.pk, "jobs": [job.pk for job in jobs]}, status=201
        )


class PipelinesView(PagedView):
    """The pipelines of the last 30 days."""

    @extend_schema(responses=PipelineSerializer(many=True))
    def get(self, request: Request) -> Response:
        return self.page_of(all_pipelines(person(request.user)), PipelineSerializer)


class PipelineView(APIView):
    """One pipeline: its jobs, what they ask, where they ran, how long they waited."""

    @extend_schema(responses=PipelineSheetSerializer)
    def get(self, request: Request, name: str) -> Response:
        return Response(one_pipeline(person(request.user), name))
