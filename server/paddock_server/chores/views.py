from __future__ import annotations

from typing import Any

from django.db.models import Prefetch, Q, QuerySet
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import generics, serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..errors import NotAllowed, NotThere
from ..json_lists import listed
from ..people.actor import Actor, person
from ..people.models import Role
from ..rest.paging import PagedView
from ..work.chosen_hosts import chosen_hosts
from .actions.start_chore import approve, save_chore, start_chore, stop_run
from .models import HOST_STATES, RUN_STATES, Chore, ChoreHost, ChoreRun


class ChoreSerializer(serializers.ModelSerializer[Chore]):
    """A chore. ``wanted`` are the terms that are to hold on each host afterwards; ``at_once`` hosts at a time; after
    ``stop_after`` failures it goes no further, 0 for never."""

    script = serializers.CharField(max_length=200_000, trim_whitespace=False)
    wanted = serializers.ListField(child=serializers.CharField(max_length=1000), max_length=20, default=list)
    at_once = serializers.IntegerField(min_value=1, max_value=500, default=1)
    stop_after = serializers.IntegerField(min_value=0, max_value=5000, default=1)
    time_limit = serializers.IntegerField(min_value=1, max_value=24 * 3600, default=3600)
    is_saved = serializers.BooleanField(default=True)
    paddocks = serializers.ListField(
        child=serializers.CharField(max_length=63),
        max_length=200,
        required=False,
        help_text="Whose people may see it and start it there; those who see everything always may.",
    )

    class Meta:
        model = Chore
        fields = [
            "id", "name", "purpose", "script", "shell", "wanted", "at_once", "stop_after", "drain", "time_limit",
            "is_saved", "paddocks", "made_by", "made_at",
        ]  # fmt: skip
        read_only_fields = ["id", "made_by", "made_at"]


class ChosenSerializer(serializers.Serializer[Any]):
    """Which hosts: by their names, or all that meet terms (a kit is a term: ``kit NAME``)."""

    hosts = serializers.ListField(child=serializers.CharField(max_length=63), max_length=5000, default=list)
    terms = serializers.ListField(child=serializers.CharField(max_length=1000), max_length=20, default=list)


class ToolChangeSerializer(serializers.Serializer[Any]):
    """What the survey after the script found otherwise."""

    what = serializers.CharField()
    tool = serializers.CharField()
    before = serializers.CharField(allow_blank=True)
    after = serializers.CharField(allow_blank=True)
    place = serializers.CharField(allow_blank=True)


class ChoreHostSerializer(serializers.ModelSerializer[ChoreHost]):
    host = serializers.CharField(source="host.name")
    paddock = serializers.CharField(source="host.paddock.name")
    state = serializers.ChoiceField(choices=HOST_STATES)
    changed = ToolChangeSerializer(many=True)
    missing = serializers.ListField(child=serializers.CharField())
    working = serializers.SerializerMethodField()

    class Meta:
        model = ChoreHost
        fields = ["host", "paddock", "state", "detail", "job", "changed", "missing", "working", "began_at", "ended_at"]
        read_only_fields = fields

    @extend_schema_field(serializers.ListField(child=serializers.CharField()))
    def get_working(self, row: ChoreHost) -> list[str]:
        """The jobs that a draining host still has to finish."""
        if row.state != "draining":
            return []
        live = row.host.attempts.filter(state__in=("offered", "running")).select_related("job")
        return [f"{one.job.name} (job {one.job_id})" for one in live]


class ChoreRunSerializer(serializers.ModelSerializer[ChoreRun]):
    """A run in a line: how many hosts are in which state."""

    chore = serializers.CharField(source="chore.name")
    chore_id = serializers.IntegerField()
    state = serializers.ChoiceField(choices=RUN_STATES)
    counts = serializers.SerializerMethodField()

    class Meta:
        model = ChoreRun
        fields = [
            "id", "chore", "chore_id", "state", "chosen_by", "asked_by", "asked_at", "approved_by", "stopped_by",
            "ended_at", "counts",
        ]  # fmt: skip
        read_only_fields = fields

    @extend_schema_field(serializers.DictField(child=serializers.IntegerField()))
    def get_counts(self, run: ChoreRun) -> dict[str, int]:
        counts: dict[str, int] = {}
        for row in run.hosts.all():
            counts[row.state] = counts.get(row.state, 0) + 1
        return counts


class ChoreRunSheetSerializer(ChoreRunSerializer):
    """A run with its hosts, and the script as it was approved."""

    hosts = ChoreHostSerializer(many=True)
    wanted = serializers.ListField(child=serializers.CharField())
    purpose = serializers.CharField(source="chore.purpose")

    class Meta(ChoreRunSerializer.Meta):
        fields = [
            *ChoreRunSerializer.Meta.fields, "script", "shell", "hosts", "wanted", "purpose", "at_once", "stop_after",
            "drain",
        ]  # fmt: skip
        read_only_fields = fields


def _demand_viewer(actor: Actor) -> None:
    if not actor.may_anywhere(Role.VIEWER):
        raise NotAllowed("Seeing chores needs the role viewer. Ask an administrator for it.")


def visible_chores(actor: Actor) -> QuerySet[Chore]:
    """The chores that ran in the actor's paddocks or are meant for them, and their own. Raises NotAllowed."""
    _demand_viewer(actor)
    inside = actor.where(Role.VIEWER)
    if inside is None:
        return Chore.objects.all()
    ran = ChoreHost.objects.filter(host__paddock__name__in=inside).values("run__chore")
    return Chore.objects.filter(Q(made_by=actor.name) | Q(pk__in=ran) | listed("paddocks", inside))


def _chore(actor: Actor, pk: int) -> Chore:
    chore = visible_chores(actor).filter(pk=pk).first()
    if chore is None:
        raise NotThere(f"No chore {pk} exists that you may see.")
    return chore


def visible_runs(actor: Actor) -> QuerySet[ChoreRun]:
    """The runs that went over a host that the actor may see, each with those hosts alone. Raises NotAllowed."""
    _demand_viewer(actor)
    runs, rows = ChoreRun.objects.select_related("chore"), ChoreHost.objects.select_related("host__paddock")
    inside = actor.where(Role.VIEWER)
    if inside is not None:
        rows = rows.filter(host__paddock__name__in=inside)
        runs = runs.filter(pk__in=rows.values("run"))
    return runs.prefetch_related(Prefetch("hosts", rows))


def _run(actor: Actor, pk: int) -> ChoreRun:
    run = visible_runs(actor).filter(pk=pk).first()
    if run is None:
        raise NotThere(f"No chore run {pk} exists.")
    return run


class ChoresView(PagedView):
    """The chores that are kept; keep another."""

    @extend_schema(responses=ChoreSerializer(many=True))
    def get(self, request: Request) -> Response:
        """The chores that are kept."""
        seen = visible_chores(person(request.user)).filter(is_saved=True)
        return self.page_of(seen, ChoreSerializer)

    @extend_schema(request=ChoreSerializer, responses={201: ChoreSerializer})
    def post(self, request: Request) -> Response:
        """Keep a chore."""
        given = ChoreSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        wanted = given.validated_data.pop("wanted")
        return Response(
            ChoreSerializer(save_chore(person(request.user), given.validated_data, wanted)).data, status=201
        )


class ChoreView(APIView):
    """One chore."""

    @extend_schema(responses=ChoreSerializer)
    def get(self, request: Request, pk: int) -> Response:
        """One chore."""
        return Response(ChoreSerializer(_chore(person(request.user), pk)).data)

    @extend_schema(request=ChoreSerializer, responses=ChoreSerializer)
    def put(self, request: Request, pk: int) -> Response:
        """Change a chore; runs that have begun keep the script that they began with."""
        given = ChoreSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        wanted = given.validated_data.pop("wanted")
        actor = person(request.user)
        kept = save_chore(actor, given.validated_data, wanted, chore=_chore(actor, pk))
        return Response(ChoreSerializer(kept).data)


class ChosenView(APIView):
    """Which hosts a choice is, before anything is started."""

    @extend_schema(request=ChosenSerializer, responses={200: serializers.ListSerializer(child=serializers.CharField())})
    def post(self, request: Request) -> Response:
        given = ChosenSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        hosts, _ = chosen_hosts(person(request.user), given.validated_data["hosts"], given.validated_data["terms"])
        return Response([host.name for host in hosts])


class StartChoreView(APIView):
    """Start a chore on chosen hosts."""

    @extend_schema(request=ChosenSerializer, responses={201: ChoreRunSheetSerializer})
    def post(self, request: Request, pk: int) -> Response:
        given = ChosenSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        actor = person(request.user)
        hosts, how = chosen_hosts(actor, given.validated_data["hosts"], given.validated_data["terms"])
        return Response(ChoreRunSheetSerializer(start_chore(actor, _chore(actor, pk), hosts, how)).data, status=201)


class ChoreRunsView(generics.ListAPIView[ChoreRun]):
    """The runs of chores, newest first."""

    serializer_class = ChoreRunSerializer
    queryset = ChoreRun.objects.none()

    def get_queryset(self) -> QuerySet[ChoreRun]:
        return visible_runs(person(self.request.user))


class ChoreRunView(APIView):
    """One run of a chore."""

    @extend_schema(responses=ChoreRunSheetSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return Response(ChoreRunSheetSerializer(_run(person(request.user), pk)).data)


class ApprovalSerializer(serializers.Serializer[Any]):
    yes = serializers.BooleanField()


class ApproveView(APIView):
    """Approve a run that another administrator asked for, or turn it down."""

    @extend_schema(request=ApprovalSerializer, responses=ChoreRunSheetSerializer)
    def post(self, request: Request, pk: int) -> Response:
        given = ApprovalSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        actor = person(request.user)
        approve(actor, _run(actor, pk), yes=given.validated_data["yes"])
        return Response(ChoreRunSheetSerializer(_run(actor, pk)).data)


class StopRunView(APIView):
    """Let a run go no further."""

    @extend_schema(request=None, responses=ChoreRunSheetSerializer)
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        stop_run(actor, _run(actor, pk))
        return Response(ChoreRunSheetSerializer(_run(actor, pk)).data)
