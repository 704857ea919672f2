"""The first jobs of the demo, and the machines that come in by bring-up sheets."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from .api_client import Api
from .description import all_hosts
from .parts import Wait

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
echo "There is no Maven on this machine."
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


def send_first_jobs(api: Api, wait: Wait) -> None:
    """One that runs here, one that is at work for long, one that waits because of a slip."""
    tools = {one["tool"] for one in api.get(f"/api/v1/hosts/{REAL_HOST}/")["installations"]}
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
    first, *_ = [api.post("/api/v1/jobs/", job)["id"] for job in jobs]
    wait(
        "the job on this machine to end",
        lambda: bool(api.get(f"/api/v1/jobs/{first}/")["ended_at"]),
    )


def bring_in(api: Api, server: str, paste: Callable[[str, str], None], wait: Wait) -> None:
    """What an administrator does with three machines that come in by sheets: makes the sheet, pastes its command
    into the machine's terminal, admits it. The account of one has a password that nobody gave, so it fails."""
    for name, more in BROUGHT_IN.items():
        made = _sheet(api, server, name, **more)
        paste(name, made["command"]["run"])
    _sheet(api, server, STILL_EXPECTED, labels=["mobile"])
    for name, more in BROUGHT_IN.items():
        if "account" not in more:
            _prove(api, name, wait)


def _sheet(api: Api, server: str, name: str, **more: object) -> Any:
    one = next(one for one in all_hosts() if one.name == name)
    body = {"paddock": one.paddock, "system": one.family, "arch": "arm64" if one.family == "macos" else "x64",
            "server": server, "name": name, **more}  # fmt: skip
    return api.post("/api/v1/bring-ups/", body)


def _prove(api: Api, name: str, wait: Wait) -> None:
    """Lets a host in, and waits for the job that proves it."""
    wait(f"{name} to be surveyed", lambda: bool(api.get(f"/api/v1/hosts/{name}/")["surveyed_at"]))
    api.post(f"/api/v1/hosts/{name}/admit/")
    wait(f"{name} to prove itself", lambda: _is_proved(api, name))


def _is_proved(api: Api, name: str) -> bool:
    sheets = api.get("/api/v1/bring-ups/?all=true")
    return any(sheet["host"] == name and sheet["phase"] == "finished" for sheet in sheets)
