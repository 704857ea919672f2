"""The demo's queue: a job for every kind of wait, a pipeline in a real Git repository, and what makes them wait."""

from __future__ import annotations

from .git_host import make_repository
from .story import Stage

REPOSITORY = "pilot-mobile"
PIPELINE_FILE = """\
# What Pilot's app needs on each push. `paddock lint` says what the fleet makes of it.
pipeline: pilot-mobile
defaults:
  terms:
    - os macos 14+
    - tool xcode 15+
  time_limit: 2 h
jobs:
  build-for-phones:
    prefer:
      - label release-signing
    retry_when_lost: 1
    outputs: [build/pilot.ipa]
    script: |
      xcodebuild -version
{slow}
  phone-tests:
    after: build-for-phones
    terms:
      - label mobile
    script: |
      echo testing on phones
"""


def _slow(what: str, steps: int) -> str:
    """A script that takes five seconds for each step."""
    return "".join(f'echo "{what}, step {i} of {steps}"\nsleep 5\n' for i in range(1, steps + 1))


def pipeline_file() -> str:
    """The file in the repository."""
    slow = _slow("compiling Pilot", 240).replace('"', "").splitlines()
    return PIPELINE_FILE.format(slow="\n".join(f"      {line}" for line in slow))


SIGNING = 8
"""Jobs with the same misspelt label."""
FENCES = {"annex": ["almanac-*"]}
RESERVED = "plover-01"
HELD = ("knot-02", "a new disk on Thursday")


def _job(pipeline: str, name: str, *terms: str, script: str = "", **more: object) -> dict[str, object]:
    return {"pipeline": pipeline, "name": name, "terms": list(terms), "script": script or "hostname\n", **more}


AT_WORK = [
    *[_job("tide-gauge-firmware", "simulate-tide", "label cross-compile", script=_slow("simulating", 400))] * 2,
    _job("tide-gauge-firmware", "replay-storm", "host curlew-03", script=_slow("replaying", 400)),
]
"""Two take both slots of curlew-02; a chore waits for the third to end."""
QUEUE: list[dict[str, object]] = [
    *[_job("harbour-chart-desktop", "sign-tile-set", "os windows", "label relase-signing")] * SIGNING,
    _job("buoy-telemetry", "nightly-load", "paddock annex", "label spare"),
    _job("tide-gauge-firmware", "bench-soak", "tool openocd 0.12+"),
    _job("harbour-chart-desktop", "render-atlas", "os windows", slots=8, waits_for_new_host=True),
    _job("almanac-docs", "check-tables", f"host {HELD[0]}", "tool python 3.11+"),
    _job("harbour-chart-desktop", "migrate-charts", "host dinghy-01", "service chartdb running"),
    _job("tide-gauge-firmware", "scan-quay", "os linux", "label lidar", "prefer cores 8"),
    _job("almanac-docs", "preview-site", "os linux", "tool node 23"),
    _job("tide-gauge-firmware", "calibrate", "label cross-compile", slots=2, priority=10),
    _job("tide-gauge-firmware", "simulate-tide", "label cross-compile", script=_slow("simulating", 400)),
]


def tell_work(stage: Stage) -> None:
    """Fences, a reservation and a hold; and jobs at work."""
    api = stage.api
    for paddock, pipelines in FENCES.items():
        api.patch(f"/api/v1/paddocks/{paddock}/", {"pipelines": pipelines})
    api.patch(f"/api/v1/hosts/{RESERVED}/", {"reserved": True})
    if not api.get(f"/api/v1/hosts/{HELD[0]}/")["holding"]:
        api.post(f"/api/v1/hosts/{HELD[0]}/hold/", {"reason": HELD[1]})
    numbers = [job["id"] for job in stage.send_missing(AT_WORK)]
    # After a restart they may be over.
    stage.wait_for("three jobs to be at work", lambda: all(stage.job(one)["state"] != "waiting" for one in numbers))


def tell_queue(stage: Stage) -> None:
    """Jobs that wait, one for every kind of reason."""
    # Those at work have names that stand in the queue too.
    stage.send_missing([*AT_WORK, *QUEUE])


def tell_source(stage: Stage) -> None:
    """A pipeline in a Git repository, read from there."""
    stage.repositories.mkdir(exist_ok=True)
    url = f"{stage.git}/{REPOSITORY}.git"
    if any(job["pipeline"] == REPOSITORY and job["submission"] for job in stage.jobs()):
        return
    make_repository(stage.repositories, REPOSITORY, {"paddock.yaml": pipeline_file()})
    stage.make_missing("/api/v1/sources/", [{"url": url, "ref": "main", "path": "paddock.yaml"}], "url")
    source = next(one for one in stage.api.get("/api/v1/sources/")["results"] if one["url"] == url)
    stage.api.post(f"/api/v1/sources/{source['id']}/submit/")
