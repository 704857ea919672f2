"""The troubles of the demo: what has happened to its machines, so that there is something to find.

Each is done from outside, as it would happen: in a machine's terminal, or by an administrator through the API.
"""

from __future__ import annotations

from .api_client import Api

WATCHED = {"workshop": ["chartdb"]}
"""The services that builds need, by paddock; on dinghy-01 it does not run."""
MAY_START = "orchard"
"""The paddock in which watches may start services."""

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


def set_up_watching(api: Api) -> None:
    """What an administrator says about the paddocks."""
    for paddock, services in WATCHED.items():
        api.patch(f"/api/v1/paddocks/{paddock}/", {"services": services})
    api.patch(f"/api/v1/paddocks/{MAY_START}/", {"watch_may_start": True})


def set_up_telling(api: Api, webhook: str) -> str:
    """Two rules: mail to the harbour office by day, and a webhook for everything urgent. Returns the secret."""
    api.post(
        "/api/v1/telling/",
        {
            "name": "harbour office",
            "kind": "mail",
            "target": "harbour-office@saltmarsh.example",
            "severity": "soon",
            "gather_seconds": 20,
            "quiet_from": 20 * 60,
            "quiet_to": 6 * 60,
            "quiet_days": [0, 1, 2, 3, 4, 5, 6],
        },
    )
    made = api.post(
        "/api/v1/telling/",
        {"name": "signal mast", "kind": "webhook", "target": webhook, "severity": "urgent", "gather_seconds": 5},
    )
    secret: str = made["secret"]
    return secret


def found_all(api: Api) -> bool:
    """Whether everything that is to be found is."""
    return {one["code"] for one in api.get("/api/v1/findings/")["findings"]} >= EXPECTED
