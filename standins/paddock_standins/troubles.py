"""The troubles of the demo: what has happened to its machines, so that there is something to find.

Each is done from outside, as it would happen: in a machine's terminal, or by an administrator through the API.
"""

from __future__ import annotations

from .api_client import Api
from .receivers import SECRET
from .story import Stage
from .toolchain_story import CHANGED

WATCHED = {"workshop": ["chartdb"]}
"""The services that builds need, by paddock; on dinghy-01 it does not run."""
MAY_START = "orchard"
"""The paddock in which watches may start services."""

OFFICE: dict[str, object] = {
    "name": "harbour office",
    "kind": "mail",
    "target": "harbour-office@saltmarsh.example",
    "severity": "soon",
    "gather_seconds": 20,
    "quiet_from": 20 * 60,
    "quiet_to": 6 * 60,
    "quiet_days": [0, 1, 2, 3, 4, 5, 6],
}
MAST: dict[str, object] = {"name": "signal mast", "kind": "webhook", "severity": "urgent", "gather_seconds": 5}

TROUBLES = {
    "dunlin-01": ["remove account"],
    "dunlin-02": ["reboot"],
    "skiff-01": ["stop agent"],
    "pippin-01": ["disable agent"],
    "skiff-02": ["memory 0.02"],
    "curlew-02": ["clock 95"],
}
"""What has happened to whom, in the words of the stand-ins' terminals."""
EXPECTED = {
    "account-cannot-log-on",
    "gone-after-reboot",
    "service-stopped",
    "service-disabled",
    "memory-pressure",
    "environment-old",
    "clock-off",
    "disk-filling",
    "watched-service-down",
    "started-by-hand",
}
"""The codes of what is then found, of these and of what the machines came with."""


def tell_watching(stage: Stage) -> None:
    """What an administrator says about the paddocks."""
    for paddock, services in WATCHED.items():
        stage.api.patch(f"/api/v1/paddocks/{paddock}/", {"services": services})
    stage.api.patch(f"/api/v1/paddocks/{MAY_START}/", {"watch_may_start": True})


def tell_receivers(stage: Stage) -> None:
    """Two rules: mail to the harbour office by day, and a webhook for everything urgent, whose stand-in listens
    elsewhere at each start. A rule whose secret was not saved before the demo was interrupted is replaced."""
    api, secret_file = stage.api, stage.folder / "received" / SECRET
    stage.make_missing("/api/v1/notification-rules/", [OFFICE], "name", "rules")
    mast = next((one for one in api.get("/api/v1/notification-rules/")["rules"] if one["name"] == MAST["name"]), None)
    if mast and secret_file.exists():
        api.patch(f"/api/v1/notification-rules/{mast['id']}/", {"target": stage.webhook})
        return
    if mast:
        api.delete(f"/api/v1/notification-rules/{mast['id']}/")
    made = api.post("/api/v1/notification-rules/", {**MAST, "target": stage.webhook})
    secret_file.write_text(made["secret"])


def tell_troubles(stage: Stage) -> None:
    """Lets happen to the machines what happens to machines, and waits until it is found. Stand-ins forget it when they
    are started again, so it happens at every start."""
    for name, lines in TROUBLES.items():
        for line in lines:
            stage.paste(name, line)
    for name, lines in CHANGED.items():
        for line in lines:
            stage.paste(name, line)
        stage.api.post(f"/api/v1/hosts/{name}/survey/")
    for name in TROUBLES:
        stage.paste(name, "paddock-agent watch report")
    stage.wait_for("the troubles to be found", lambda: found_all(stage.api))


def found_all(api: Api) -> bool:
    """Whether everything that is to be found is."""
    return {one["code"] for one in api.get("/api/v1/findings/")["findings"]} >= EXPECTED
