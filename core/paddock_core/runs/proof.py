"""The proof of a run: an in-toto statement (version 1) with SLSA provenance (version 1) of what was built where.

It is a statement of this server's, as JSON: whoever wants it signed signs it with their own key.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

STATEMENT = "https://in-toto.io/Statement/v1"
PREDICATE = "https://slsa.dev/provenance/v1"


@dataclass(frozen=True)
class Run:
    """What is known of a run. ``server`` is the address of this server; ``identity`` names the attempt and no other,
    also after the server's database was restored; times have a zone."""

    server: str
    job: int
    attempt: int
    identity: str
    pipeline: str
    name: str
    steps: Sequence[dict[str, Any]]
    environment: dict[str, str]
    host: str
    paddock: str
    facts: dict[str, Any]
    account: str
    folder: str
    tools: Sequence[dict[str, Any]]
    asked_by: str
    source: str = ""
    ref: str = ""
    commit: str = ""
    secrets: Sequence[str] = ()
    warm: bool = False
    started: datetime | None = None
    ended: datetime | None = None
    outputs: Sequence[tuple[str, str]] = field(default_factory=list)
    """Path and SHA-256 of each file."""
    log: str = ""
    """SHA-256 of the log, as it is kept."""


def statement(run: Run) -> dict[str, Any]:
    """The statement as plain values for JSON."""
    materials: list[dict[str, Any]] = []
    if run.commit:
        found: dict[str, Any] = {"digest": {"gitCommit": run.commit}}
        materials.append(found | ({"uri": f"git+{run.source}"} if run.source else {}))
    materials += [
        {"name": one["tool"], "annotations": {"version": one["version"], "path": one["path"]}} for one in run.tools
    ]
    return {
        "_type": STATEMENT,
        "subject": [{"name": path, "digest": {"sha256": sha256}} for path, sha256 in run.outputs],
        "predicateType": PREDICATE,
        "predicate": {
            "buildDefinition": {
                "buildType": f"{run.server}/docs/build/v1",
                "externalParameters": {
                    "pipeline": run.pipeline,
                    "job": run.name,
                    "source": run.source,
                    "ref": run.ref,
                    "steps": list(run.steps),
                    "environment": run.environment,
                    "secrets": list(run.secrets),
                },
                "internalParameters": {"askedBy": run.asked_by, "workFolder": "warm" if run.warm else "fresh"},
                "resolvedDependencies": materials,
            },
            "runDetails": {
                "builder": {
                    "id": f"{run.server}/hosts/{run.host}",
                    "version": {"agent": str(run.facts.get("agent_version", ""))},
                },
                "metadata": {
                    "invocationId": f"{run.server}/jobs/{run.job}#{run.identity}",
                    **({"startedOn": _time(run.started)} if run.started else {}),
                    **({"finishedOn": _time(run.ended)} if run.ended else {}),
                },
                "byproducts": [
                    {
                        "name": "host",
                        "annotations": {
                            "paddock": run.paddock,
                            "account": run.account,
                            "folder": run.folder,
                            **{
                                key: run.facts[key] for key in ("os", "os_name", "arch", "hostname") if key in run.facts
                            },
                        },
                    },
                    *([{"name": "log", "digest": {"sha256": run.log}}] if run.log else []),
                ],
            },
        },
    }


def _time(moment: datetime) -> str:
    return moment.isoformat(timespec="seconds").replace("+00:00", "Z")
