from __future__ import annotations

import contextlib
import mimetypes
import re
from pathlib import PurePosixPath
from typing import Any

from django.http import HttpResponse, HttpResponseBase, JsonResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.renderers import BaseRenderer, JSONRenderer
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_core.runs.compare import differences
from paddock_core.runs.proof import statement

from ..errors import Invalid, NotThere
from ..hosts.queries import host_called, record_called
from ..people.actor import Actor, person
from ..rest.addresses import server_address
from ..rest.files import harmless, sent, sent_file
from ..rest.paging import PagedView
from ..rest.reading import whole_number
from ..runs import log_store
from ..runs.actions.record_folders import clear_folders
from ..runs.evidence import evidence, other_run, run_of
from ..runs.log_lines import MAX_FOUND, MAX_LINES, Log
from ..runs.serializers import (
    AttemptSheetSerializer,
    AttemptShown,
    ClearFoldersSerializer,
    ComparisonSerializer,
    FoundLinesSerializer,
    HostWorkSerializer,
    LogLinesSerializer,
    RunAgainSerializer,
    WorkFolderSerializer,
)
from ..work.actions.give_up import give_up
from ..work.actions.run_again import Where, run_again
from ..work.models import Attempt
from ..work.recent_usage import recent_usage
from ..work.serializers import JobSheetSerializer
from ..work.visible import job_numbered, visible_attempts
from .job_views import shown_job

PLAIN_TEXT = "text/plain; charset=utf-8"
SHOWN_AS_THEY_ARE = ("text/plain", "image/png", "image/jpeg", "image/gif", "image/webp")
_NAME = re.compile(r"([1-9][0-9]{0,17})-([1-9][0-9]{0,8})")


def attempt_of(actor: Actor, job: int, number: int) -> Attempt:
    """Raises NotThere."""
    found = (
        visible_attempts(actor)
        .select_related("job__submission__source", "host__paddock")
        .prefetch_related("steps", "outputs", "left_out")
        .filter(job=job_numbered(actor, job), number=number)
        .first()
    )
    if found is None:
        raise NotThere(f"Job {job} has no attempt {number}, or none that you may see.")
    return found


def _no_longer_retained(attempt: Attempt) -> str:
    return f"What attempt {attempt.name} left was kept until {attempt.removed_at:%Y-%m-%d}."


class PlainText(BaseRenderer):
    """Lets a client ask for text/plain; the view answers with bytes of its own."""

    media_type = "text/plain"
    format = "txt"

    def render(self, data: Any, accepted_media_type: str | None = None, renderer_context: Any = None) -> Any:
        return JSONRenderer().render(data)


class AnyType(PlainText):
    """The same for any kind of file."""

    media_type = "*/*"
    format = ""


class LogView(APIView):
    """The log of a job's newest attempt, or of the one asked for, as plain text."""

    renderer_classes = [PlainText, JSONRenderer]

    @extend_schema(
        parameters=[
            OpenApiParameter("attempt", int, description="The number of the attempt (default: the newest)."),
            OpenApiParameter("offset", int, description="Bytes to leave out from the start, for following a log."),
            OpenApiParameter("download", bool, description="As a file to keep."),
        ],
        responses={(200, "text/plain"): OpenApiTypes.STR},
    )
    def get(self, request: Request, pk: int) -> HttpResponseBase:
        actor = person(request.user)
        job = job_numbered(actor, pk)
        number, offset = (whole_number(request, name) for name in ("attempt", "offset"))
        attempts = visible_attempts(actor).filter(job=job, **({"number": number} if number else {}))
        attempt = attempts.order_by("-number").first()
        if attempt is None and number:
            raise NotThere(f"Job {pk} has no attempt {number}.")
        if attempt and attempt.removed_at:
            raise NotThere(f"{_no_longer_retained(attempt)} Its log was removed then.")
        if attempt and not offset:
            with contextlib.suppress(FileNotFoundError):
                name, to_save = f"job-{attempt.name}.log", "download" in request.query_params
                return sent(log_store.open_log(attempt.log_file), PLAIN_TEXT, name, to_save=to_save)
        data = log_store.read(attempt, offset or 0) if attempt else b""
        return harmless(HttpResponse(data, content_type=PLAIN_TEXT))


class AttemptView(APIView):
    """One attempt with all its evidence."""

    @extend_schema(responses=AttemptSheetSerializer)
    def get(self, request: Request, pk: int, number: int) -> Response:
        actor = person(request.user)
        attempt = attempt_of(actor, pk, number)
        shown = AttemptShown(attempt, Log(attempt), other_run(attempt, visible_attempts(actor)))
        return Response(AttemptSheetSerializer(shown).data)


class LogLinesView(APIView):
    """A part of a log, by lines."""

    @extend_schema(
        parameters=[
            OpenApiParameter("first", int, description="The first line, from 1; negative counts from the end."),
            OpenApiParameter("count", int, description=f"How many, at most {MAX_LINES}."),
        ],
        responses=LogLinesSerializer,
    )
    def get(self, request: Request, pk: int, number: int) -> Response:
        attempt = attempt_of(person(request.user), pk, number)
        log = Log(attempt)
        total = log.total
        count = whole_number(request, "count") or 500
        asked = request.query_params.get("first", "1")
        if not re.fullmatch(r"-?[0-9]{1,15}", asked):
            raise Invalid(f"first is a whole number, not {asked[:40]!r}.")
        first = int(asked) if int(asked) >= 0 else max(1, total + 1 + int(asked))
        lines = log.lines(first, count)
        page = {"total": total, "size": log.size, "is_over": attempt.ended_at is not None, "sections": log.sections()}
        return Response(LogLinesSerializer({**page, "lines": lines}).data)


class LogFindView(APIView):
    """Which lines of a log hold a text."""

    @extend_schema(
        parameters=[OpenApiParameter("text", str, required=True, description="In any case of its letters.")],
        responses=FoundLinesSerializer,
    )
    def get(self, request: Request, pk: int, number: int) -> Response:
        text = request.query_params.get("text", "")
        if not 0 < len(text) <= 500:
            raise Invalid("Say which text is looked for, in at most 500 characters.")
        found = Log(attempt_of(person(request.user), pk, number)).find(text)
        return Response(FoundLinesSerializer({"lines": found, "more": len(found) >= MAX_FOUND}).data)


class OutputView(APIView):
    """One kept file. Plain text and pictures are shown, all else is saved."""

    renderer_classes = [AnyType]

    @extend_schema(
        responses={(200, kind): OpenApiTypes.BINARY for kind in ("application/octet-stream", *SHOWN_AS_THEY_ARE, "*/*")}
    )
    def get(self, request: Request, pk: int, number: int, file: int) -> HttpResponseBase:
        attempt = attempt_of(person(request.user), pk, number)
        if attempt.removed_at:
            raise NotThere(f"{_no_longer_retained(attempt)} Its files were removed then.")
        output = attempt.outputs.filter(number=file).first()
        if output is None or not output.whole:
            raise NotThere("This file is not here, or not whole yet.")
        kind, coding = mimetypes.guess_type(output.path)
        if coding or not kind:
            kind = "application/octet-stream"
        if kind.startswith("text/") or kind in ("application/json", "application/xml", "application/x-sh"):
            # HTML and XML too: as text they are to be read, and run nothing.
            kind = "text/plain"
        to_save = kind not in SHOWN_AS_THEY_ARE or "download" in request.query_params
        kind = PLAIN_TEXT if kind == "text/plain" else kind
        return sent_file(output.file, kind, PurePosixPath(output.path).name[-150:], to_save=to_save)


class ProofView(APIView):
    """The proof of an attempt that passed: an in-toto statement with SLSA provenance."""

    @extend_schema(responses={(200, "application/vnd.in-toto+json"): OpenApiTypes.OBJECT})
    def get(self, request: Request, pk: int, number: int) -> HttpResponseBase:
        attempt = attempt_of(person(request.user), pk, number)
        server = server_address(request)
        response = JsonResponse(
            statement(run_of(attempt, server)),
            json_dumps_params={"indent": 2},
            content_type="application/vnd.in-toto+json",
        )
        response.headers["Content-Disposition"] = f'attachment; filename="job-{attempt.name}.intoto.json"'
        return response


class RunAgainView(APIView):
    """Run an ended job again."""

    @extend_schema(request=RunAgainSerializer, responses={201: JobSheetSerializer})
    def post(self, request: Request, pk: int) -> Response:
        given = RunAgainSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        actor = person(request.user)
        again = run_again(
            actor, job_numbered(actor, pk), Where(given.validated_data["where"]), given.validated_data["added"]
        )
        return shown_job(actor, again.pk, 201)


class GiveUpView(APIView):
    """Give up an attempt on a host that is not there."""

    @extend_schema(request=None, responses=JobSheetSerializer)
    def post(self, request: Request, pk: int, number: int) -> Response:
        actor = person(request.user)
        give_up(actor, attempt_of(actor, pk, number))
        return shown_job(actor, pk)


class CompareRunsView(APIView):
    """What differed between two attempts, which are named as 12-1."""

    @extend_schema(
        parameters=[OpenApiParameter("first", str, required=True), OpenApiParameter("second", str, required=True)],
        responses=ComparisonSerializer,
    )
    def get(self, request: Request) -> Response:
        actor = person(request.user)
        runs = [_attempt_named(actor, request.query_params.get(name, "")) for name in ("first", "second")]
        found = differences(evidence(runs[0]), evidence(runs[1]))
        return Response(ComparisonSerializer({"first": runs[0], "second": runs[1], "differences": found}).data)


def _attempt_named(actor: Actor, name: str) -> Attempt:
    match = _NAME.fullmatch(name)
    if match is None:
        raise Invalid(f"{name[:40]!r} is not an attempt. Write job and number, for example 12-1.")
    return attempt_of(actor, int(match[1]), int(match[2]))


class HostWorkView(PagedView):
    """What runs on a host, and how long such jobs usually take."""

    @extend_schema(responses=HostWorkSerializer(many=True))
    def get(self, request: Request, name: str) -> Response:
        """The oldest first."""
        host = record_called(person(request.user), name)
        live = host.attempts.filter(state__in=("offered", "running")).select_related("job").order_by("offered_at")
        recent = recent_usage()
        shown = [
            {
                "job": one.job_id,
                "name": one.job.name,
                "pipeline": one.job.pipeline,
                "since": one.started_at or one.offered_at,
                "usual": recent.seconds.get((one.job.pipeline, one.job.name)),
            }
            for one in live
        ]
        return self.page_of(shown, HostWorkSerializer)


class FoldersView(PagedView):
    """The work folders of a host."""

    @extend_schema(responses=WorkFolderSerializer(many=True))
    def get(self, request: Request, name: str) -> Response:
        """All of them, the last used first."""
        host = record_called(person(request.user), name)
        return self.page_of(host.work_folders.all(), WorkFolderSerializer)

    @extend_schema(request=ClearFoldersSerializer, responses={202: None})
    def post(self, request: Request, name: str) -> Response:
        """Have the host's agent remove folders that are not in use."""
        given = ClearFoldersSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        actor = person(request.user)
        clear_folders(actor, host_called(actor, name), given.validated_data["paths"])
        return Response(status=202)
