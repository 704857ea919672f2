"""The people of Saltmarsh Instruments: who may do what where, a few service accounts with tokens, and one who asks."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

from .story import Stage

PEOPLE: dict[str, dict[str, str]] = {
    "quartermaster": {"workshop": "administrator", "annex": "administrator", "shoreline": "viewer"},
    "boatswain": {"shoreline": "operator", "annex": "operator"},
    "chartwright": {"workshop": "operator"},
    "ferryman": {"orchard": "viewer"},
    "purser": {"": "viewer"},
}
"""Roles by paddock, "" for everything. None of them can log in yet: each has a one-time link."""
LEFT = "purser"
"""Who has left the company."""
FOR_A_WEEK = ("boatswain", "orchard", "operator")
PROGRAMS: dict[str, dict[str, Any]] = {
    "tide-ci": {
        "role": "operator", "paddock": "shoreline", "team": "gauge firmware",
        "purpose": "Starts the nightly soak tests",
        "token": {"name": "nightly trigger", "scope": "jobs", "paddocks": ["shoreline"], "days": 90},
    },
    "wall-screen": {
        "role": "viewer", "paddock": None, "owner": "deckhand", "purpose": "Shows the yard in the hall",
        "token": {"name": "hall", "scope": "read", "days": 365},
    },
    "chart-publisher": {
        "role": "operator", "paddock": "workshop", "owner": "chartwright", "purpose": "Publishes the harbour charts",
        "token": {"name": "publishing", "scope": "operate", "days": 9},
    },
}  # fmt: skip


def tell_people(stage: Stage) -> None:
    """Adds who is not there yet."""
    api = stage.api
    known = {one["name"]: one for one in api.get("/api/v1/people/")["people"]}
    for name, roles in PEOPLE.items():
        if name not in known:
            first, *others = roles.items()
            api.post("/api/v1/people/", {"name": name, "role": first[1], "paddock": first[0] or None})
            for paddock, role in others:
                _give(stage, name, paddock, role)
    if LEFT not in known:
        api.post(f"/api/v1/people/{LEFT}/disable/")
    name, paddock, role = FOR_A_WEEK
    held = known.get(name, {}).get("roles", [])
    if not any(one["paddock"] == paddock for one in held):
        _give(stage, name, paddock, role, days=7)
    for name, about in PROGRAMS.items():
        if name not in known:
            api.post("/api/v1/service-accounts/", {"name": name, **{k: v for k, v in about.items() if k != "token"}})
            api.post("/api/v1/tokens/", {"account": name, **about["token"]})


def _give(stage: Stage, name: str, paddock: str, role: str, days: int = 0) -> None:
    ends_at = (datetime.now(UTC) + timedelta(days=days)).isoformat() if days else None
    body = {"paddock": paddock, "role": role, "was": None, "ends_at": ends_at}
    stage.api.put(f"/api/v1/people/{name}/role/", body)


MAPPING = [
    {"group": "everyone", "role": "viewer", "paddock": ""},
    {"group": "gauge-team", "role": "operator", "paddock": "shoreline"},
    {"group": "gauge-leads", "role": "administrator", "paddock": "shoreline"},
    {"group": "chart-team", "role": "operator", "paddock": "workshop"},
]


def tell_sign_on(stage: Stage, issuer: str, client: str, secret: str) -> None:
    """Sets the stand-in provider up, and maps its groups."""
    api = stage.api
    known = {one["name"]: one for one in api.get("/api/v1/sign-on-providers/")}
    about = {"name": "Harbour ID", "issuer": issuer, "client_id": client, "client_secret": secret}
    if "Harbour ID" in known:
        api.put(f"/api/v1/sign-on-providers/{known['Harbour ID']['id']}/", about)
        return
    made = api.post("/api/v1/sign-on-providers/", about)
    api.put(f"/api/v1/sign-on-providers/{made['id']}/mapping/", {"roles": MAPPING, "version": made["version"]})
