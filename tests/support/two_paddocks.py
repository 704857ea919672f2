"""Two paddocks with one of everything each. All that is of one side has its mark in it, so that an answer that has the
mark of a side tells something of that side."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

import msgspec
from django.utils import timezone
from people import FACTS
from placing import end
from printing import printed

from paddock_agent import wire
from paddock_core.access.roles import Scope
from paddock_core.link_state import LinkEvent
from paddock_server.bring_up.models import BringUp
from paddock_server.chores.actions.start_chore import save_chore, start_chore
from paddock_server.chores.models import ChoreHost
from paddock_server.health.actions.note_link import note_link
from paddock_server.health.models import Finding
from paddock_server.hosts.actions.join import join
from paddock_server.hosts.actions.make_pass import make_pass
from paddock_server.hosts.models import Host, Paddock
from paddock_server.maintenance.actions.save_window import save_window
from paddock_server.people.accounts import new_user
from paddock_server.people.actions.make_token import make_token
from paddock_server.people.actor import SERVER
from paddock_server.people.models import AccessRequest, Grant, Role
from paddock_server.pipeline_secrets.actions.save_secret import save_secret
from paddock_server.planning.models import Cost, Rehearsal
from paddock_server.rollout.models import Rollout, RolloutHost
from paddock_server.runs.actions.record_folders import record_folders
from paddock_server.runs.actions.record_outputs import record_outputs, save_piece
from paddock_server.runs.actions.record_step import record_step
from paddock_server.standby.actions.save_power import save_policy
from paddock_server.toolchains.actions.record_survey import record_survey
from paddock_server.toolchains.actions.save_kit import Wanted, save_kit
from paddock_server.work.actions.record_report import record_report
from paddock_server.work.actions.submit import WantedJob, submit
from paddock_server.work.actions.submit_file import submit_file
from paddock_server.work.models import Attempt, Job, Source
from paddock_server.work.round import run_round


@dataclass
class Side:
    """One paddock, and the names and numbers of what is in it."""

    mark: str
    paddock: str
    host: str = ""
    gate: str = ""
    ids: dict[str, Any] = field(default_factory=dict)


def make_side(mark: str, name: str) -> Side:
    """One of everything in a paddock called ``name``; its fence lets in pipelines of its mark alone."""
    paddock = Paddock.objects.create(name=name, purpose=f"{mark} purpose", pipelines=[f"{mark}-*"])
    side = Side(mark, name, f"{mark}-01", f"{mark}-gate")
    now = timezone.now()
    entry_pass, secret = make_pass(SERVER, paddock, f"{mark} pass", uses=50, hours=20)
    facts = msgspec.structs.replace(
        FACTS, agent_version="0.1.0", machine=mark, work_folder=f"/work/{mark}", boot=f"{mark}-boot"
    )
    for host_name in (side.host, side.gate):
        host, _ = join(wire.JoinRequest(secret, facts, host_name), "10.0.0.7")
        host.labels = [f"label-{mark}"]
        host.save()
        note_link(host, LinkEvent.HELLO)
    found = [wire.FoundInstallation("git", "2.39.5", f"/opt/{mark}/git", f"/opt/{mark}", True)]
    host = Host.objects.select_related("paddock").get(name=side.host)
    record_survey(host, wire.SurveyReport(facts=facts, installations=found))
    moved = [wire.FoundInstallation("git", "2.40.0", f"/opt/{mark}/git2", f"/opt/{mark}", True)]
    record_survey(host, wire.SurveyReport(facts=facts, installations=moved))
    host.refresh_from_db()
    host.standing, host.decided_at = Host.Standing.ADMITTED, now
    host.services = [f"{mark}-service"]
    host.save()
    record_folders(host, wire.WorkFolders(folders=[wire.FolderState(f"/work/{mark}/1", "warm", f"{mark}-docs")]))

    pipeline = f"{mark}-docs"
    save_secret(SERVER, f"{mark.upper()}_KEY", "a value long enough", [pipeline], [name], purpose=mark)
    source = Source.objects.create(url=f"https://git.example/{mark}.git", ref="main", made_by="x", pipeline=pipeline)
    text = f"pipeline: {pipeline}\njobs:\n  {mark}-build:\n    script: echo {mark}\n"
    submission, (job,) = submit_file(SERVER, text, source=source, ref="main", commit="a" * 40)
    job.environment, job.outputs, job.tests = {"WHERE": mark}, ["*.xml"], ["*.xml"]
    job.terms = [f"host {side.host}"]
    job.save()
    run_round()
    attempt = Attempt.objects.get(job=job)
    report = wire.AttemptStarted(attempt=attempt.wire_name, account=f"{mark}-build", folder=f"/work/{mark}/1")
    record_report(host, report)
    record_step(host, wire.StepBegan(attempt=attempt.wire_name, step=0, at=1.7e9))
    printed(attempt, f"printed by {mark}\n".encode())
    data = f'<testsuite name="{mark}"><testcase name="{mark}"/></testsuite>'.encode()
    files = [wire.OutputFile(f"{mark}.xml", len(data), hashlib.sha256(data).hexdigest())]
    record_outputs(host, wire.Outputs(attempt=attempt.wire_name, files=files, left_out=[f"{mark}: nothing"]))
    save_piece(host, attempt.wire_name, 0, 0, data)
    end(host, attempt)
    waiting = submit(SERVER, WantedJob(f"{mark}-waits", pipeline, [f"label no-such-{mark}"], f"echo {mark}"))

    kit = save_kit(SERVER, Wanted(f"kit-{mark}", mark, [f"label label-{mark}"], [name], []))
    chore = save_chore(SERVER, {"name": f"chore {mark}", "script": f"echo {mark}", "purpose": mark}, [])
    run = start_chore(SERVER, chore, [host], mark)
    ChoreHost.objects.filter(run=run).update(state="done", detail=mark, ended_at=now)
    run.state, run.ended_at = "ended", now
    run.save()
    row = RolloutHost.objects.create(
        rollout=Rollout.objects.create(
            version="0.2.0", state="paused", chosen_by=mark, asked_by=mark, asked_at=now, waves=["100%"]
        ),
        place=0, wave=1, host=host, version="0.2.0", before="0.1.0", detail=mark,
    )  # fmt: skip
    rehearsal = Rehearsal.objects.create(
        name=mark, asked_by=mark, asked_at=now, since=now - timedelta(days=7), until=now
    )
    cost = Cost.objects.create(host=host, price=1000)
    window = save_window(SERVER, f"maintenance {mark}", name, now + timedelta(days=1), now + timedelta(days=1, hours=2))
    policy = save_policy(SERVER, name, {"mode": "by hand", "terms": [f"label label-{mark}"]})
    finding = Finding.objects.create(
        key=f"clock-off {side.host}", code="clock-off", title="The clock is off", severity="urgent",
        sentence=f"It is off on {mark}.", since=now, opened_at=now, hosts=[side.host], paddock=name,
        evidence=[{"text": mark, "at": 0}], remedy={"sentence": mark, "commands": [], "action": ""},
    )  # fmt: skip
    sheet = BringUp.objects.create(
        code=f"code{mark}", paddock=paddock, system="linux", arch="x64", server="http://testserver",
        name=f"{mark}-coming", entry_pass=entry_pass, made_by=mark,
    )  # fmt: skip
    asker = new_user(f"{mark}-asker", added_by=mark)
    Grant.objects.create(user=asker, role=Role.VIEWER, paddock=paddock, granted_by=mark)
    program = new_user(f"{mark}-ci", kind="service", added_by=mark, owner_team=mark)
    Grant.objects.create(user=program, role=Role.OPERATOR, paddock=paddock, granted_by=mark)
    token, _ = make_token(SERVER, program.username, f"{mark} token", Scope.JOBS, [name])
    asked = AccessRequest.objects.create(
        user=asker, role=Role.OPERATOR, paddock=paddock, reason=f"for {mark}", asked_at=now
    )
    side.ids = {
        "access": asked.pk, "person": asker.username, "program": program.username, "token": token.pk,
        "job": job.pk, "waiting": waiting.pk, "submission": submission.pk, "source": source.pk, "pass": entry_pass.pk,
        "chore": chore.pk, "run": run.pk, "rollout": row.rollout_id, "rehearsal": rehearsal.pk, "cost": cost.pk,
        "standby_policy": policy.pk, "window": window.pk, "finding": finding.pk, "sheet": sheet.pk,
        "kit": kit.name, "pipeline": pipeline, "secret": f"{mark.upper()}_KEY",
    }  # fmt: skip
    assert Job.objects.get(pk=job.pk).state == "passed"
    return side
