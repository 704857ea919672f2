"""The first jobs of the demo, and the machines that come in by bring-up sheets."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from .description import all_hosts
from .story import Stage

REAL_HOST = "avocet-01"
REAL_LABEL = "this-machine"
BROUGHT_IN: dict[str, dict[str, object]] = {
    "bramley-02": {"labels": ["mobile"]},
    "dinghy-02": {"labels": ["desktop"], "slots": 4},
    "ketch-02": {"labels": ["desktop"], "account": ".\\build"},
}
"""The stand-ins that come in by a bring-up sheet, with what is chosen on it."""
STILL_EXPECTED = "russet-02"

PROVE = """\
echo "user:   $(id -un)"
echo "host:   $(hostname)"
echo "folder: $(pwd)"
echo "Maven that the job's terms are bound to: $PADDOCK_TOOL_MAVEN_VERSION at $PADDOCK_TOOL_MAVEN_PATH"
mvn --version
"""
PROVE_WITHOUT_MAVEN = """\
echo "user:   $(id -un)"
echo "host:   $(hostname)"
echo "folder: $(pwd)"
echo "Maven is not installed on this machine."
"""
BUILD_APP = "\n".join(
    [
        "hostname",
        "whoami",
        "pwd",
        "xcodebuild -version",
        "java -XshowSettings:properties -version",
        *[line for i in range(1, 41) for line in (f'echo "compiling chart layer {i} of 40"', "sleep 5")],
        "echo packed pilot-mobile",
    ]
)


def tell_first_jobs(stage: Stage) -> None:
    """One that runs here, one that is at work for long, one that waits because of a slip."""
    tools = {one["tool"] for one in stage.api.get(f"/api/v1/hosts/{REAL_HOST}/")["installations"]}
    has_maven = "maven" in tools
    jobs = [
        {
            "name": "prove-toolchain",
            "pipeline": "tide-gauge-firmware",
            "terms": [f"label {REAL_LABEL}", *(["tool maven 3+"] if has_maven else [])],
            "script": PROVE if has_maven else PROVE_WITHOUT_MAVEN,
        },
        {
            "name": "build-app",
            "pipeline": "pilot-mobile",
            "terms": ["os macos 14+", "tool jdk 17", "label release-signing"],
            "script": BUILD_APP,
        },
        {
            "name": "sign-installer",
            "pipeline": "harbour-chart-desktop",
            "terms": ["os windows", "tool jdk 17..21", "tool cmake 3.20+", "label relase-signing"],
            "script": "echo signing",
        },
    ]
    first = stage.send_missing(jobs)[0]["id"]
    stage.wait_for("the job on this machine to end", lambda: bool(stage.job(first)["ended_at"]))


def tell_bring_ups(stage: Stage) -> None:
    """What an administrator does with three machines that come in by sheets: makes the sheet, pastes its command
    into the machine's terminal, admits it. The account of one needs a password that is missing, so it fails."""
    for name, more in BROUGHT_IN.items():
        _begin(stage, name, more)
    if STILL_EXPECTED not in _sheets(stage):
        _make(stage, STILL_EXPECTED, {"labels": ["mobile"]})
    for name, more in BROUGHT_IN.items():
        if "account" not in more:
            _prove(stage, name)


def _begin(stage: Stage, name: str, more: Mapping[str, object]) -> None:
    """Pastes the command of its sheet, unless the machine has followed it already: a new one where it was cut off."""
    sheet = _sheets(stage).get(name)
    if sheet is None:
        command = _make(stage, name, more)["command"]
    elif sheet["host"] or sheet["phase"] in ("failed", "finished"):
        return
    else:
        command = stage.api.post(f"/api/v1/bring-ups/{sheet['id']}/renew/")["command"]
    stage.paste(name, command["run"])


def _make(stage: Stage, name: str, more: Mapping[str, object]) -> Any:
    one = next(one for one in all_hosts() if one.name == name)
    body = {"paddock": one.paddock, "system": one.family, "arch": "arm64" if one.family == "macos" else "x64",
            "server": stage.url, "name": name, **more}  # fmt: skip
    return stage.api.post("/api/v1/bring-ups/", body)


def _prove(stage: Stage, name: str) -> None:
    """Lets a host in, and waits for the job that proves it."""
    stage.wait_for(f"{name} to be surveyed", lambda: _is_surveyed(stage, name))
    if stage.api.get(f"/api/v1/hosts/{name}/")["standing"] == "at the gate":
        stage.api.post(f"/api/v1/hosts/{name}/admit/", {"as_asked": True})
    stage.wait_for(f"{name} to prove itself", lambda: _sheets(stage)[name]["phase"] == "finished")


def _is_surveyed(stage: Stage, name: str) -> bool:
    hosts = {one["name"]: one for one in stage.api.get("/api/v1/hosts/")["results"]}
    return name in hosts and bool(hosts[name]["surveyed_at"])


def _sheets(stage: Stage) -> dict[str, Any]:
    return {sheet["title"]: sheet for sheet in stage.api.get("/api/v1/bring-ups/?all=true")["results"]}
