"""The demo's runs: a pipeline that builds for real on this machine, passes and then fails; and a run that was lost when
its machine went away, and tried again."""

from __future__ import annotations

from typing import Any

from .git_host import make_repository
from .story import Stage

REPOSITORY = "tide-gauge-firmware"
JOB = "build-and-test"
PACK = """\
import pathlib, sys, time

table = pathlib.Path("tide.table").read_text().split()
print("\\x1b[1mpacking the tide table\\x1b[0m", flush=True)
for share in range(0, 101, 10):
    print(f"\\r{share:3}% of {len(table)} heights", end="", flush=True)
    time.sleep(0.05)
print()
heights = bytes(min(255, max(0, round(float(one) * 10))) for one in table)
pathlib.Path("build").mkdir(exist_ok=True)
pathlib.Path("build/gauge.bin").write_bytes(b"TIDE" + heights)
print(f"\\x1b[32mbuild/gauge.bin\\x1b[0m has {len(heights) + 4} bytes")
"""
TEST = """\
import pathlib, sys

heights = pathlib.Path("build/gauge.bin").read_bytes()[4:]
tests = {
    "starts at low water": heights[0] <= 10,
    "has a day of heights": len(heights) == 24,
    "never jumps by more than a metre": all(abs(a - b) <= 10 for a, b in zip(heights, heights[1:])),
}
cases = []
for name, holds in tests.items():
    colour, word = (32, "holds") if holds else (31, "does not hold")
    print(f"{name}: \\x1b[{colour}m{word}\\x1b[0m", flush=True)
    failure = "" if holds else "<failure message='does not hold'>heights: " + " ".join(map(str, heights)) + "</failure>"
    cases.append(f"<testcase classname='gauge' name='{name}'>{failure}</testcase>")
pathlib.Path("build/report.xml").write_text("<testsuite name='gauge'>" + "".join(cases) + "</testsuite>")
sys.exit(not all(tests.values()))
"""
GOOD_TABLE = "0.4 0.7 1.2 1.9 2.5 3.0 3.2 3.0 2.5 1.9 1.2 0.8 0.5 0.8 1.3 2.0 2.6 3.1 3.3 3.0 2.5 1.8 1.2 0.7\n"
BAD_TABLE = GOOD_TABLE.replace(" 3.2 ", " 5.6 ")
PIPELINE = """\
pipeline: tide-gauge-firmware
jobs:
  build-and-test:
    terms: [label this-machine, tool git]
    work_folder: warm
    environment: {{TIDE_STATION: {station}}}
    steps:
      - name: sources
        checkout: true
      - name: pack
        script: python3 -u pack.py
      - name: test
        script: python3 -u test.py
      - name: clean up
        always: true
        script: rm -rf build/cache
    outputs: [build/gauge.bin]
    tests: [build/report.xml]
"""
LONG_RUN = {
    "name": "soak-overnight",
    "pipeline": "buoy-telemetry",
    "terms": ["host godwit-02"],
    "retries": 1,
    "script": "",
    "steps": [
        {"name": "listen", "script": "\n".join(f"echo buoy {i} of 30 answers\nsleep 2" for i in range(1, 31))},
        {"name": "sign off", "script": "echo all buoys were heard", "always": True},
    ],
}
LOST_ON = "godwit-02"


def tell_builds(stage: Stage) -> None:
    """A build of a real repository on this machine that passes, and the next one that fails."""
    stage.repositories.mkdir(exist_ok=True)
    url = f"{stage.git}/{REPOSITORY}.git"
    for number, (table, station) in enumerate(((GOOD_TABLE, "north-mole"), (BAD_TABLE, "south-mole"))):
        if len(_builds(stage)) <= number:
            files = {"pack.py": PACK, "test.py": TEST, "tide.table": table, "paddock.yaml": _pipeline(station)}
            make_repository(stage.repositories, REPOSITORY, files)
            stage.make_missing("/api/v1/sources/", [{"url": url, "ref": "main", "path": "paddock.yaml"}], "url")
            source = next(one for one in stage.api.get("/api/v1/sources/")["results"] if one["url"] == url)
            stage.api.post(f"/api/v1/sources/{source['id']}/submit/")
        job = _builds(stage)[number]["id"]
        stage.wait_for(f"{JOB} to end", lambda job=job: bool(stage.job(job)["ended_at"]))  # type: ignore[misc]


def tell_lost_run(stage: Stage) -> None:
    """A long run whose machine is restarted in the middle, and that is tried again. Where the machine was so slow that
    the run ended first, another one is sent."""
    while not any(len(job["attempts"]) > 1 for job in _long_runs(stage)):
        live = [job for job in _long_runs(stage) if not job["ended_at"]]
        number = (live[0] if live else stage.api.post("/api/v1/jobs/", LONG_RUN))["id"]
        stage.wait_for("a long run to begin", lambda n=number: _has_begun(stage.job(n)))  # type: ignore[misc]
        if not stage.job(number)["ended_at"]:
            stage.paste(LOST_ON, "reboot")
        stage.wait_for("it to be tried again", lambda n=number: _is_settled(stage.job(n)))  # type: ignore[misc]


def _builds(stage: Stage) -> list[Any]:
    return [job for job in stage.jobs() if job["pipeline"] == REPOSITORY and job["name"] == JOB]


def _long_runs(stage: Stage) -> list[Any]:
    return [job for job in stage.jobs() if job["name"] == LONG_RUN["name"]]


def _has_begun(job: Any) -> bool:
    return bool(job["ended_at"] or job["state"] == "running")


def _is_settled(job: Any) -> bool:
    return bool(job["ended_at"] or len(job["attempts"]) > 1)


def _pipeline(station: str) -> str:
    return PIPELINE.format(station=station)
