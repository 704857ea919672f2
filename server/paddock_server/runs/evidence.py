"""What is known of one attempt, gathered: for its sheet, for its proof, and to compare it with another."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db.models import QuerySet

from paddock_core.runs.compare import Evidence
from paddock_core.runs.proof import Run

from ..errors import Invalid
from ..toolchains.snapshots import snapshot_at
from ..work.models import Attempt, Job
from . import log_store
from .models import StepRun

_HOST_FACTS = {"os_name": "system", "arch": "processor", "cores": "cores", "memory": "memory", "agent_version": "agent",
               "hostname": "hostname", "boot": "run of the machine"}  # fmt: skip


def steps_of(job: Job) -> list[dict[str, Any]]:
    """The steps that a job was to do, as its sheet shows them; a single script is one step."""
    return job.steps or [
        {"name": "script", "script": job.script, "shell": job.shell, "folder": "", "environment": {}, "time_limit": 0,
         "always": False, "checkout": None}
    ]  # fmt: skip


def times(attempt: Attempt) -> dict[str, float | None]:
    """Seconds that it waited, was set up, and ran. Set-up ends when the first script begins: what is before it is the
    offer, the folder, and checkouts."""
    previous = attempt.job.attempts.filter(number=attempt.number - 1).first()
    since = previous.ended_at if previous and previous.ended_at else attempt.job.submitted_at
    waited = max(0.0, (attempt.offered_at - since).total_seconds())
    if not attempt.started_at:
        return {"waited": waited, "set_up": None, "ran": None}
    checkouts = {number for number, step in enumerate(steps_of(attempt.job)) if step["checkout"]}
    before_scripts = [step for step in attempt.steps.all() if step.number in checkouts and step.began_at]
    checking_out = sum((_took(step) for step in before_scripts), 0.0)
    set_up = (attempt.started_at - attempt.offered_at).total_seconds() + checking_out
    ran = None
    if attempt.ended_at:
        ran = max(0.0, (attempt.ended_at - attempt.started_at).total_seconds() - checking_out)
    return {"waited": waited, "set_up": max(0.0, set_up), "ran": ran}


def _took(step: StepRun) -> float:
    if not step.began_at or not step.ended_at:
        return 0.0
    return max(0.0, (step.ended_at - step.began_at).total_seconds())


def other_run(attempt: Attempt, seen: QuerySet[Attempt]) -> Attempt | None:
    """The last run before, of those that may be seen, of the same job of its pipeline that ended otherwise: what a
    failure is held against."""
    runs = seen.filter(
        job__pipeline=attempt.job.pipeline, job__name=attempt.job.name, pk__lt=attempt.pk, ended_at__isnull=False
    ).select_related("host")
    passed = runs.filter(state="passed")
    wanted = runs.filter(state__in=("failed", "timed out", "lost")) if attempt.state == "passed" else passed
    return wanted.order_by("-pk").first()


def evidence(attempt: Attempt) -> Evidence:
    """To compare it."""
    job = attempt.job
    names = [step["name"] for step in steps_of(job)]
    job_values = {
        "script": "\n".join(f"[{step['name']}]\n{step['script']}" for step in steps_of(job)),
        "terms": ", ".join(job.terms),
        "commit": attempt.commit or (job.submission.commit if job.submission else ""),
        "work folder": "warm" if attempt.warm else "fresh",
        "asked by": job.submitted_by,
        "slots": str(job.slots),
    }
    facts = {name: str(attempt.facts[key]) for key, name in _HOST_FACTS.items() if attempt.facts.get(key)}
    environment = dict.fromkeys(attempt.variable_names, "") | attempt.variable_values | job.environment
    return Evidence(
        job_values,
        {"host": attempt.host.name, "paddock": attempt.host.paddock.name, "account": attempt.account, **facts},
        _numbered(attempt.tools),
        {name: value for name, value in environment.items() if name not in _ALWAYS_DIFFER},
        {
            names[step.number]: f"exit code {step.exit_code}" if step.outcome == "exited" else step.outcome
            for step in attempt.steps.all()
            if step.number < len(names)
        },
        snapshot_at(attempt.host, attempt.offered_at),
    )


_ALWAYS_DIFFER = {"PADDOCK_JOB", "PADDOCK_ATTEMPT", "PADDOCK_FOLDER", "PADDOCK_RUN", "PADDOCK_COMMIT"}
"""Variables that say nothing, or what is compared as something else."""


def _numbered(tools: Sequence[dict[str, Any]]) -> dict[str, str]:
    found: dict[str, str] = {}
    for tool in tools:
        count = sum(1 for name in found if name.split(" ")[0] == tool["tool"])
        found[tool["tool"] + (f" {count + 1}" if count else "")] = f"{tool['version']} at {tool['path']}"
    return found


def run_of(attempt: Attempt, server: str) -> Run:
    """For its proof. Raises Invalid for one that has not passed: there is nothing to prove."""
    job = attempt.job
    if attempt.state != "passed":
        raise Invalid(f"Attempt {attempt.name} is {attempt.state}: a proof is of one that passed.")
    return Run(
        server=server,
        job=job.pk,
        attempt=attempt.number,
        identity=attempt.wire_name,
        pipeline=job.pipeline,
        name=job.name,
        steps=[{key: value for key, value in step.items() if value} for step in steps_of(job)],
        environment=job.environment,
        host=attempt.host.name,
        paddock=attempt.host.paddock.name,
        facts=attempt.facts,
        account=attempt.account,
        folder=attempt.folder,
        tools=attempt.tools,
        asked_by=job.submitted_by,
        source=job.submission.source.url if job.submission and job.submission.source else "",
        ref=job.submission.ref if job.submission else "",
        commit=attempt.commit or (job.submission.commit if job.submission else ""),
        secrets=job.secrets,
        warm=attempt.warm,
        started=attempt.started_at,
        ended=attempt.ended_at,
        outputs=list(attempt.outputs.filter(whole=True).values_list("path", "sha256")),
        log=log_store.sha256_of(attempt),
    )
