"""The demo's story of tools: kits, the terms of jobs, and changes made by hand.

With what the stand-ins' own files say, there is drift, thin cover and a broken installation to be seen.
"""

from __future__ import annotations

from .story import Stage

KITS: list[dict[str, object]] = [
    {
        "name": "shoreline-builder",
        "purpose": "what every builder of the shoreline has",
        "terms": ["os linux", "tool git 2.39+", "tool gcc 12+", "tool cmake 3.25+", "tool python 3.11+", "tool jdk 17"],
        "paddocks": ["shoreline"],
        "labels": [],
    },
    {
        "name": "gauge-firmware",
        "purpose": "cross compiling and flashing the gauges",
        "terms": ["tool arm-gcc 13", "tool openocd 0.12+", "tool cmake 3.20+"],
        "paddocks": [],
        "labels": ["gauge-rig"],
    },
    {
        "name": "pilot-phones",
        "purpose": "the pilot's app on phones",
        "terms": ["os macos 15+", "tool xcode 16.1", "tool cocoapods 1.16+", "tool node 22"],
        "paddocks": ["orchard"],
        "labels": [],
    },
    {
        "name": "chart-desktop",
        "purpose": "harbour charts for Windows",
        "terms": ["os windows", "tool msvc 19.41+", "tool dotnet 8..9", "tool wix 5"],
        "paddocks": [],
        "labels": ["desktop"],
    },
]
ASKING: list[tuple[str, str, list[str]]] = [
    ("tide-gauge-firmware", "compile", ["tool arm-gcc 13", "tool cmake 3.20+"]),
    ("tide-gauge-firmware", "unit-tests", ["os linux", "tool gcc 10+", "tool cmake 3.18+"]),
    ("buoy-telemetry", "compile", ["tool jdk 17..21", "tool maven 3.8+"]),
    ("buoy-telemetry", "legacy-decoder", ["os linux", "tool jdk 11"]),
    ("harbour-chart-desktop", "package", ["os windows", "tool msvc 19.41+", "tool dotnet 8"]),
    ("pilot-mobile", "build-ios", ["os macos", "tool xcode 16"]),
    ("almanac-docs", "typeset", ["tool latex", "tool pandoc 2.17+"]),
]
CHANGED = {
    "knot-02": ["install jdk 21.0.5 in /opt/jdk-21/bin"],
    "curlew-03": ["remove /usr/lib/jvm/java-17-openjdk-amd64"],
    "pippin-03": ["install node 23.3.0 in /opt/homebrew/bin"],
}
"""Changes to machines since their first survey, as commands of the stand-ins' terminals."""


def tell_kits(stage: Stage) -> None:
    """What an administrator says that hosts are meant to have."""
    stage.make_missing("/api/v1/kits/", KITS, "name")


def tell_asking(stage: Stage) -> None:
    """Jobs of every pipeline, each for the tools that it needs, run to their ends."""
    wanted = [
        {"name": name, "pipeline": pipeline, "terms": terms, "script": f"hostname\necho {pipeline} {name}\n"}
        for pipeline, name, terms in ASKING
    ]
    numbers = [job["id"] for job in stage.send_missing(wanted)]
    stage.wait_for("the jobs that ask for tools", lambda: all(stage.job(number)["ended_at"] for number in numbers))
