"""The demo's sleepers: four hosts that sleep until a job wants them. One of them does not wake."""

from __future__ import annotations

from .power_controller import FILE, PASSWORD, USER, certificate_in
from .story import Stage

SLEEPERS = {"ketch-04": 52.0, "laxton-02": 12.0, "pippin-02": 11.0, "skiff-03": 48.0}
"""With the watts that each draws when it is idle."""
BY_CONTROLLER = "laxton-02"
"""A controller wakes it, and measures what it draws asleep."""
BY_HAND = {"ketch-04", "laxton-02"}
"""Only a person wakes these: jobs of the demo wait for their like, and shall go on waiting."""
DOES_NOT_WAKE = "skiff-03"
WOKEN_FOR = {
    "name": "tide table", "pipeline": "almanac-docs", "script": "hostname", "terms": ["host pippin-02"],
}  # fmt: skip


def tell_sleepers(stage: Stage) -> None:
    """Puts to sleep those that are on and idle; each has a policy by which it wakes for a job."""
    known = {one["host"] for one in stage.api.get("/api/v1/standby-policies/")["results"]}
    for name, watts in SLEEPERS.items():
        if name in known:
            continue
        more = _by_controller(stage) if name == BY_CONTROLLER else {"watts_asleep": 2.0}
        stage.api.put(f"/api/v1/hosts/{name}/power/", {"may_power_down": True, "watts": watts, **more})
        stage.wait_for(f"{name} to be idle", lambda name=name: not _power(stage, name)["stays"])  # type: ignore[misc]
        stage.api.post(f"/api/v1/hosts/{name}/power-down/")
        stage.wait_for(f"{name} to sleep", lambda name=name: _power(stage, name)["power"] == "asleep")  # type: ignore[misc]
        mode = "by hand" if name in BY_HAND else "when jobs wait"
        stage.api.post("/api/v1/standby-policies/", {"place": name, "mode": mode})


def _by_controller(stage: Stage) -> dict[str, object]:
    return {
        "way": "redfish",
        "controller": f"https://127.0.0.1:{(stage.folder / 'controller-port').read_text()}",
        "controller_user": USER,
        "controller_password": PASSWORD,
        "certificate": certificate_in(stage.folder / "standins" / FILE),
    }


def tell_wakes(stage: Stage) -> None:
    """One is woken for a job, and one was woken by a person and does not come."""
    if _power(stage, DOES_NOT_WAKE)["power"] == "asleep":
        stage.api.post(f"/api/v1/hosts/{DOES_NOT_WAKE}/wake/")
    if not any(job["name"] == WOKEN_FOR["name"] for job in stage.jobs()):
        stage.api.post("/api/v1/jobs/", WOKEN_FOR)


def _power(stage: Stage, name: str) -> dict[str, object]:
    found: dict[str, object] = stage.api.get(f"/api/v1/hosts/{name}/power/")
    return found
