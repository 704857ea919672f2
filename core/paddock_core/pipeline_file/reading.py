"""Reads a pipeline file from plain values: mappings, lists, texts and numbers, as YAML or JSON give them.

Every mistake is found in one reading, with where it is. docs/pipelines.md explains the keys, and
docs/paddock.schema.json has them for editors.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from ..errors import ContradictionError, ShellError, TermError
from ..shells import NEEDS as SHELLS
from ..shells import implied_terms, refuse_unknown_shell, scripts_of
from ..spelling import nearest
from ..terms import FEW_WORDS, MAX_TERMS, ToolWords, parse_asked, read_line
from .steps import StepReading
from .wanted import PRIORITIES, FileMistakes, Level, PipelineFile, Pointer, Remark, WantedJob, WantedStep

MAX_JOBS = 200
MAX_SCRIPT_LENGTH = 200_000
MAX_TIME_LIMIT_SECONDS = 7 * 24 * 3600
MAX_VARIABLES = 100

_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9 ._/+-]{0,99}")
_VARIABLE = re.compile(r"[A-Za-z_][A-Za-z0-9_]{0,99}")
_TIME = re.compile(r"(\d{1,6}(?:\.\d{1,3})?)\s*(s|sec|seconds?|m|min|minutes?|h|hours?|d|days?)?", re.IGNORECASE)
_SECONDS = {"s": 1, "m": 60, "h": 3600, "d": 86400}

TOP = ("pipeline", "defaults", "jobs")
SHARED = (
    "terms", "prefer", "shell", "slots", "time_limit", "retry_when_lost", "priority", "environment", "secrets",
    "work_folder",
)  # fmt: skip
MAX_PATTERN_LENGTH, MAX_STARS = 400, 10
"""Of a pattern of files. The agent, which matches it, counts a ``**`` as one star and so takes all of these."""
JOB = (*SHARED, "script", "steps", "after", "outputs", "tests", "waits_for_new_host")


def read_pipeline(data: object, words: ToolWords = FEW_WORDS) -> PipelineFile:
    """Raises FileMistakes with all that is wrong."""
    reader = _Reader(words)
    found = reader.file(data)
    if reader.remarks or found is None:
        raise FileMistakes(reader.remarks)
    return found


class _Reader(StepReading):
    def __init__(self, words: ToolWords) -> None:
        self.remarks: list[Remark] = []
        self._words = words

    def wrong(self, pointer: Pointer, sentence: str, column: int | None = None, close: str | None = None) -> None:
        self.remarks.append(Remark(Level.MISTAKE, pointer, sentence, column, close))

    def file(self, data: object) -> PipelineFile | None:
        top = self.mapping(data, (), TOP, "A pipeline file")
        if top is None:
            return None
        pipeline = self.name(
            top.get("pipeline"), ("pipeline",), "The file needs `pipeline:` with the name of the pipeline"
        )
        defaults = self.mapping(top.get("defaults", {}), ("defaults",), SHARED, "defaults") or {}
        listed = top.get("jobs")
        if not isinstance(listed, Mapping) or not listed:
            self.wrong(
                ("jobs",) if "jobs" in top else (),
                "`jobs:` needs at least one job, for example `compile:` with its script.",
            )
            return None
        if len(listed) > MAX_JOBS:
            self.wrong(("jobs",), f"A file has at most {MAX_JOBS} jobs; these are {len(listed)}.")
            return None
        jobs = [self.job(name, one, defaults) for name, one in listed.items()]
        whole = [job for job in jobs if job is not None]
        ordered = self.in_order(whole, [str(name) for name in listed])
        return PipelineFile(pipeline, tuple(ordered))

    def job(self, name: object, data: object, defaults: Mapping[str, Any]) -> WantedJob | None:
        at: Pointer = ("jobs", str(name))
        self.name(name, at, "A job's name")
        own = self.mapping(data, at, JOB, f"The job {str(name)[:40]}")
        if own is None:
            return None
        given = {**defaults, **own}

        def where(key: str) -> Pointer:
            return (*at, key) if key in own else ("defaults", key)

        def read(key: str, reader: Callable[[Any, Pointer], Any], default: Any) -> Any:
            return reader(given[key], where(key)) if given.get(key) is not None else default

        lines = []
        for source, pointer in ((defaults, ("defaults",)), (own, at)):
            lines += self.lines(source.get("terms", []), (*pointer, "terms"), "")
            lines += self.lines(source.get("prefer", []), (*pointer, "prefer"), "prefer ")
        self.terms(lines, at)
        script = own.get("script")
        steps: tuple[WantedStep, ...] = ()
        secrets = read("secrets", self.secrets, ())
        if "steps" in own:
            if "script" in own:
                self.wrong((*at, "script"), "A job has either a script or steps. Make the script one of the steps.")
            steps = self.steps(own["steps"], (*at, "steps"), secrets)
            script = next((step.script for step in steps if step.script), "")
        elif not isinstance(script, str) or not script.strip():
            self.wrong(
                (*at, "script") if "script" in own else at, f"The job {name} needs a script: `script: |` and its lines."
            )
        elif len(script) > MAX_SCRIPT_LENGTH:
            self.wrong((*at, "script"), f"A script has at most {MAX_SCRIPT_LENGTH} characters.")
        environment = {
            **(self.environment(defaults.get("environment") or {}, ("defaults", "environment"))),
            **(self.environment(own.get("environment") or {}, (*at, "environment"))),
        }
        script = script if isinstance(script, str) else ""
        shell = read("shell", self.shell, "")
        self.refuse_other_system(lines, scripts_of(script, shell, steps), (*at, "shell"))
        return WantedJob(
            str(name),
            tuple(lines),
            script,
            shell,
            steps,
            secrets,
            read("tests", self.outputs, ()),
            read("work_folder", self.warm, False),
            read("slots", lambda v, p: self.number(v, p, "slots", 1, 1000), 1),
            read("time_limit", self.time, 0),
            read("retry_when_lost", lambda v, p: self.number(v, p, "retry_when_lost", 0, 10), 0),
            read("priority", self.priority, 0),
            read("after", lambda v, p: tuple(self.texts(v, p, "names of jobs")), ()),
            environment,
            read("outputs", self.outputs, ()),
            read("waits_for_new_host", self.yes_or_no, False),
        )

    # ---- parts ---------------------------------------------------------------------------------------------------

    def mapping(self, data: object, at: Pointer, keys: tuple[str, ...], what: str) -> Mapping[str, Any] | None:
        if not isinstance(data, Mapping):
            self.wrong(at, f"{what} needs keys with values ({', '.join(keys)}), not {_quoted_value(data)}.")
            return None
        for key in data:
            if key not in keys:
                close = nearest(str(key), keys)
                hint = f' Did you mean "{close}"?' if close else f" There is {', '.join(keys)}."
                self.wrong((*at, str(key)), f'Unknown key "{str(key)[:60]}".{hint}', None, close)
        return data

    def name(self, value: object, at: Pointer, what: str) -> str:
        if not isinstance(value, str) or not _NAME.fullmatch(value):
            self.wrong(
                at if value is not None else (),
                f"{what}: at most 100 letters, digits, spaces and . _ / + -, starting with a letter or a digit.",
            )
            return ""
        return value

    def lines(self, data: object, at: Pointer, before: str) -> list[tuple[Pointer, str]]:
        if data is None:
            return []
        if isinstance(data, str):
            return [(at, before + data)]
        if not isinstance(data, list):
            self.wrong(at, f"Terms are a list of lines, not {_quoted_value(data)}.")
            return []
        found = []
        for place, line in enumerate(data):
            if isinstance(line, str):
                found.append(((*at, place), before + line))
            else:
                self.wrong((*at, place), f"A term is one line of text, as `os linux`, not {_quoted_value(line)}.")
        return found

    def terms(self, lines: list[tuple[Pointer, str]], at: Pointer) -> None:
        if len(lines) > MAX_TERMS:
            self.wrong(at, f"A job has at most {MAX_TERMS} terms; these are {len(lines)}.")
            return
        good = True
        for pointer, line in lines:
            try:
                read_line(line, self._words)
            except TermError as error:
                good = False
                remark = Remark(Level.MISTAKE, pointer, error.sentence(), error.column, error.nearest)
                if remark not in self.remarks:
                    self.remarks.append(remark)
        if good:
            try:
                parse_asked([line for _, line in lines], self._words)
            except ContradictionError as error:
                self.wrong(lines[error.second][0], str(error))

    def shell(self, value: object, at: Pointer) -> str:
        if not isinstance(value, str):
            self.wrong(at, f"shell is one of {', '.join(SHELLS)}, not {_quoted_value(value)}.")
            return ""
        try:
            refuse_unknown_shell(value)
        except ShellError as error:
            self.wrong(at, str(error), None, error.nearest)
            return ""
        return value

    def refuse_other_system(
        self, lines: Sequence[tuple[Pointer, str]], scripts: Iterable[tuple[str, str]], at: Pointer
    ) -> None:
        """Notes a shell that runs on none of the systems that the terms allow."""
        implied = implied_terms(shell for _, shell in scripts)
        try:
            parse_asked([*(line for _, line in lines), *implied], self._words)
        except ContradictionError as error:
            if error.second >= len(lines):
                self.wrong(at, f"{error} The shell implies `{implied[error.second - len(lines)]}`.")
        except TermError:
            return  # each wrong line has its own remark

    def number(self, value: object, at: Pointer, what: str, least: int, most: int) -> int:
        if isinstance(value, bool) or not isinstance(value, int) or not least <= value <= most:
            self.wrong(at, f"{what} is a whole number from {least} to {most}, not {_quoted_value(value)}.")
            return least
        return value

    def time(self, value: object, at: Pointer) -> int:
        match = None if isinstance(value, bool) else _TIME.fullmatch(str(value).strip())
        seconds = float(match[1]) * _SECONDS[(match[2] or "s")[0].lower()] if match else 0
        if not 0 < seconds <= MAX_TIME_LIMIT_SECONDS:
            self.wrong(
                at, f"time_limit is a time of at most 7 days, as 90 s, 30 min or 2 h, not {_quoted_value(value)}."
            )
            return 0
        return max(1, round(seconds))

    def priority(self, value: object, at: Pointer) -> int:
        if isinstance(value, str) and value.lower() in PRIORITIES:
            return PRIORITIES[value.lower()]
        if isinstance(value, bool) or not isinstance(value, int) or not -100 <= value <= 100:
            self.wrong(
                at, f"priority is {', '.join(PRIORITIES)}, or a number from -100 to 100, not {_quoted_value(value)}."
            )
            return 0
        return value

    def environment(self, data: object, at: Pointer) -> dict[str, str]:
        if not isinstance(data, Mapping) or len(data) > MAX_VARIABLES:
            self.wrong(at, f"environment has at most {MAX_VARIABLES} names with a value each.")
            return {}
        found = {}
        for name, value in data.items():
            if not isinstance(name, str) or not _VARIABLE.fullmatch(name):
                self.wrong(
                    (*at, str(name)), f"{_quoted_value(name)} is not a variable name. Use letters, digits and _."
                )
            elif name.upper().startswith("PADDOCK_"):
                self.wrong((*at, name), f"{name}: the agent sets names that start with PADDOCK_.")
            elif isinstance(value, bool | Mapping | list) or value is None:
                self.wrong((*at, name), f"The value of {name} is text, not {_quoted_value(value)}; put it in quotes.")
            elif len(str(value)) > 2000 or "\0" in str(value):
                self.wrong((*at, name), f"The value of {name} has more than 2,000 characters.")
            else:
                found[name] = str(value)
        return found

    def outputs(self, value: object, at: Pointer) -> tuple[str, ...]:
        found = self.texts(value, at, "paths in the work folder, as build/*.bin")
        for place, path in enumerate(found):
            parts = re.split(r"[/\\]", path)
            if path.startswith(("/", "\\", "~")) or ".." in parts or re.match(r"[A-Za-z]:", path):
                self.wrong((*at, place), f"{path[:60]}: it must be inside the work folder. Write its path from there.")
            if len(path) > MAX_PATTERN_LENGTH or path.count("*") > MAX_STARS:
                most = f"{MAX_PATTERN_LENGTH} characters and {MAX_STARS} stars"
                self.wrong((*at, place), f"{path[:60]}: a pattern of files has at most {most}.")
        return tuple(found)

    def texts(self, value: object, at: Pointer, what: str) -> list[str]:
        listed = [value] if isinstance(value, str) else value
        if not isinstance(listed, list) or len(listed) > 100 or not all(isinstance(one, str) and one for one in listed):
            self.wrong(at, f"{at[-1]} is a list of {what}.")
            return []
        return list(dict.fromkeys(listed))

    def yes_or_no(self, value: object, at: Pointer) -> bool:
        if not isinstance(value, bool):
            self.wrong(at, f"{at[-1]} is true or false, not {_quoted_value(value)}.")
        return value is True

    # ---- order ---------------------------------------------------------------------------------------------------

    def in_order(self, jobs: list[WantedJob], names: list[str]) -> list[WantedJob]:
        """Each job behind those that it comes after; reports unknown names and circles."""
        by_name = {job.name: job for job in jobs}
        for job in jobs:
            for place, other in enumerate(job.after):
                if other not in names:
                    close = nearest(other, names)
                    hint = f' Did you mean "{close}"?' if close else ""
                    self.wrong(
                        ("jobs", job.name, "after", place), f'No job is called "{other[:60]}".{hint}', None, close
                    )
        ordered: list[WantedJob] = []
        left = dict(by_name)
        while left:
            ready = [name for name, job in left.items() if not any(other in left for other in job.after)]
            if not ready:
                circle = _circle(left)
                path = " after ".join([*circle, circle[0]])
                self.wrong(("jobs", circle[0], "after"), f"These jobs wait for each other forever: {path}. Remove one.")
                break
            ordered += [left.pop(name) for name in ready]
        return ordered


def _circle(jobs: Mapping[str, WantedJob]) -> list[str]:
    """Names of jobs of which each comes after the next, and the last after the first."""
    path = [next(iter(jobs))]
    while True:
        following = next(other for other in jobs[path[-1]].after if other in jobs)
        if following in path:
            return path[path.index(following) :]
        path.append(following)


def _quoted_value(value: object) -> str:
    if isinstance(value, Mapping):
        return "keys with values"
    if isinstance(value, list):
        return "a list"
    return "nothing" if value is None else f"{str(value)[:40]!r}"


def read_steps(data: object, secrets: list[str]) -> tuple[WantedStep, ...]:
    """The steps of a job that is sent without a file. Raises FileMistakes."""
    reader = _Reader(FEW_WORDS)
    named = reader.secrets(secrets, ("secrets",)) if secrets else ()
    steps = reader.steps(data, ("steps",), named) if data else ()
    if reader.remarks:
        raise FileMistakes(reader.remarks)
    return steps
