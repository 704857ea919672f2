"""Which jobs and attempts a person may see: what ran or may run in their paddocks, and what they sent themselves.

Whoever has a role for everything sees everything. For all others the rest answers as if it were not there.
"""

from __future__ import annotations

from collections.abc import Collection

from django.db.models import Exists, OuterRef, Prefetch, Q, QuerySet

from paddock_core.lifecycle import JobState

from ..errors import NotAllowed, NotThere
from ..hosts.models import LIVING, Host
from ..json_lists import listed
from ..people.actor import Actor
from ..people.models import Role
from .fence import Fences
from .models import Attempt, Job, Source, Submission


def visible_attempts(actor: Actor) -> QuerySet[Attempt]:
    """The attempts on hosts of the actor's paddocks, and those of jobs that the actor sent."""
    seen = _demand_viewer(actor)
    if seen is None:
        return Attempt.objects.all()
    return Attempt.objects.filter(Q(host__paddock__name__in=seen) | Q(job__submitted_by=actor.name))


def visible_jobs(actor: Actor) -> QuerySet[Job]:
    """The jobs, each with those of its attempts that the actor may see. Raises NotAllowed for people without a role."""
    seen = _demand_viewer(actor)
    attempts = Prefetch("attempts", visible_attempts(actor).select_related("host"))
    if seen is None:
        return Job.objects.prefetch_related(attempts)
    ran_inside = Exists(Attempt.objects.filter(job=OuterRef("pk"), host__paddock__name__in=seen))
    ran_anywhere = Exists(Attempt.objects.filter(job=OuterRef("pk")))
    is_open = Q(state=JobState.WAITING.value) | ~Q(ran_anywhere)
    jobs = Job.objects.alias(ran_anywhere=ran_anywhere)
    shown = jobs.filter(Q(submitted_by=actor.name) | Q(ran_inside) | (is_open & _may_run_in(seen)))
    return shown.prefetch_related(attempts)


def _may_run_in(paddocks: Collection[str]) -> Q:
    """Jobs whose sender's reach and whose fence lead into one of the paddocks; of the server's own, which no fence
    keeps out, those that name a host of them."""
    fences = Fences()
    pipelines = set(Job.objects.order_by().values_list("pipeline", flat=True).distinct())
    let_in = [one for one in pipelines if (inside := fences.letting_in(one)) is None or inside & set(paddocks)]
    within_reach = Q(paddocks=[]) | listed("paddocks", paddocks)
    past_the_fence = Q(pipeline__in=let_in) | listed("let_in", paddocks)
    hosts = Host.objects.filter(paddock__name__in=paddocks, standing__in=LIVING).values_list("name", flat=True)
    own = Q(is_internal=True) & listed("terms", [f"host {name}" for name in hosts])
    return own | (Q(is_internal=False) & within_reach & past_the_fence)


def _demand_viewer(actor: Actor) -> Collection[str] | None:
    if not actor.may_anywhere(Role.VIEWER):
        raise NotAllowed("Seeing jobs needs the role viewer. Ask an administrator for it.")
    return actor.where(Role.VIEWER)


def job_numbered(actor: Actor, pk: int) -> Job:
    """Raises NotThere."""
    job = visible_jobs(actor).filter(pk=pk).first()
    if job is None:
        raise NotThere(f"No job {pk} exists that you may see.")
    return job


def visible_submissions(actor: Actor) -> QuerySet[Submission]:
    """Those with a job that the actor may see."""
    if _demand_viewer(actor) is None:
        return Submission.objects.all()
    return Submission.objects.filter(
        Q(submitted_by=actor.name) | Q(pk__in=visible_jobs(actor).prefetch_related(None).values("submission"))
    )


def visible_sources(actor: Actor) -> QuerySet[Source]:
    """The Git sources: all for who sees everything, else those that sent a job that the actor may see."""
    if not actor.may_anywhere(Role.VIEWER):
        return Source.objects.none()
    if actor.where(Role.VIEWER) is None:
        return Source.objects.all()
    return Source.objects.filter(
        Q(made_by=actor.name) | Q(pk__in=visible_submissions(actor).exclude(source=None).values("source"))
    )


def source_numbered(actor: Actor, pk: int) -> Source:
    """Raises NotThere."""
    source = visible_sources(actor).filter(pk=pk).first()
    if source is None:
        raise NotThere(f"No source {pk} exists that you may see.")
    return source
