"""The demo's runs: a pipeline that builds for real on this machine, passes and then fails; and a run that was lost when
its machine went away, and tried again."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from .api_client import Api
from .git_host import make_repository
from .parts import Wait

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
    said = "" if holds else "<failure message='does not hold'>heights: " + " ".join(map(str, heights)) + "</failure>"
    cases.append(f"<testcase classname='gauge' name='{name}'>{said}</testcase>")
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
        {"name": "listen", "script": "\n".join(f"echo buoy {i} of 30 answers\nsleep 0.4" for i in range(1, 31))},
        {"name": "sign off", "script": "echo all buoys were heard", "always": True},
    ],
}
LOST_ON = "godwit-02"


def set_up_runs(
    api: Api,
    git_url: str,
    folder: Path,
    paste: Callable[[str, str], None],
    wait: Wait,
) -> None:
    """``paste`` types a line into a machine's terminal; ``wait`` waits until something is so."""
    lost = api.post("/api/v1/jobs/", LONG_RUN)["id"]
    url = f"{git_url}/{REPOSITORY}.git"
    files = {"pack.py": PACK, "test.py": TEST}
    make_repository(folder, REPOSITORY, {**files, "tide.table": GOOD_TABLE, "paddock.yaml": _pipeline("north-mole")})
    source = api.post("/api/v1/sources/", {"url": url, "ref": "main", "path": "paddock.yaml"})
    _run_to_its_end(api, source["id"], wait)
    make_repository(folder, REPOSITORY, {"tide.table": BAD_TABLE, "paddock.yaml": _pipeline("south-mole")})
    _run_to_its_end(api, source["id"], wait)
    wait("a long run to begin", lambda: _job(api, lost)["state"] == "running")
    paste(LOST_ON, "reboot")
    wait("it to be tried again", lambda: len(_job(api, lost)["attempts"]) == 2)


def _pipeline(station: str) -> str:
    return PIPELINE.format(station=station)


def _run_to_its_end(api: Api, source: int, wait: Wait) -> None:
    (job,) = api.post(f"/api/v1/sources/{source}/submit/")["jobs"]
    wait(f"{JOB} to end", lambda: bool(_job(api, job["id"])["ended_at"]))


def _job(api: Api, number: int) -> Any:
    return api.get(f"/api/v1/jobs/{number}/")
