"""Reads the steps of a job in a pipeline file: scripts and checkouts."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any, Protocol

from .wanted import Checkout, Pointer, WantedStep

MAX_STEPS = 50
MAX_SCRIPTS_LENGTH = 400_000
"""Characters of all scripts of a job together."""
MAX_SECRETS = 50
SCHEMES = ("https", "http", "ssh", "git")
STEP = ("name", "script", "checkout", "shell", "folder", "environment", "time_limit", "always")
CHECKOUT = ("url", "ref", "commit", "depth", "submodules", "clean", "secret")

SECRET_NAME = re.compile(r"[A-Z][A-Z0-9_]{0,99}")
_SHORT_SSH = re.compile(r"[A-Za-z0-9_][A-Za-z0-9._-]*@[A-Za-z0-9][A-Za-z0-9.-]*:[A-Za-z0-9_~/]\S*")
_REF = re.compile(r"[A-Za-z0-9_][A-Za-z0-9._/+@-]{0,199}")
_COMMIT = re.compile(r"[0-9a-f]{40}(?:[0-9a-f]{24})?")


def why_no_address(url: str, schemes: Sequence[str] = SCHEMES) -> str:
    """Why ``url`` is not the address of a repository that may be fetched, "" where it is: a file of the machine, a
    program, or an option of Git's is none."""
    if not url or url != url.strip() or url.startswith("-") or not url.isprintable() or " " in url:
        return "an address of a repository begins with https://, http:// or ssh://, and has no spaces"
    scheme, colon, rest = url.partition("://")
    if not colon:
        short = _SHORT_SSH.fullmatch(url)
        return "" if short else "a folder is not an address: serve it, and give its https:// or ssh:// address"
    if scheme not in schemes:
        return f"{scheme}:// is not supported; {', '.join(f'{one}://' for one in schemes)} are"
    user, at, host = re.split(r"[/?#]", rest, maxsplit=1)[0].rpartition("@")
    if not host or host.startswith(("-", ":")):
        return "the address has no host"
    if at and (":" in user or scheme in ("http", "https")):
        return "the address contains a password or a token, which everyone could read here: use a secret"
    if "?" in rest or "#" in rest:
        return "the address contains more than a path, which everyone could read here: use a secret for a token"
    return ""


class _Reading(Protocol):
    def wrong(self, pointer: Pointer, sentence: str) -> None: ...
    def mapping(self, data: object, at: Pointer, keys: tuple[str, ...], what: str) -> Mapping[str, Any] | None: ...
    def shell(self, value: object, at: Pointer) -> str: ...
    def time(self, value: object, at: Pointer) -> int: ...
    def number(self, value: object, at: Pointer, what: str, least: int, most: int) -> int: ...
    def environment(self, data: object, at: Pointer) -> dict[str, str]: ...
    def yes_or_no(self, value: object, at: Pointer) -> bool: ...
    def texts(self, value: object, at: Pointer, what: str) -> list[str]: ...


class StepReading:
    """What the reader of a file knows of steps."""

    def steps(self: _Reading, data: object, at: Pointer, secrets: Sequence[str]) -> tuple[WantedStep, ...]:
        """All steps of a job. ``secrets`` are those that the job names."""
        if not isinstance(data, list) or not data:
            self.wrong(at, "steps is a list of at least one step, each with its script or its checkout.")
            return ()
        if len(data) > MAX_STEPS:
            self.wrong(at, f"A job has at most {MAX_STEPS} steps; these are {len(data)}.")
            return ()
        read = [_step(self, one, (*at, place), place, secrets) for place, one in enumerate(data)]
        if sum(len(step.script) for step in read if step) > MAX_SCRIPTS_LENGTH:
            self.wrong(at, f"The scripts of all steps have at most {MAX_SCRIPTS_LENGTH} characters together.")
        return tuple(step for step in read if step)

    def secrets(self: _Reading, value: object, at: Pointer) -> tuple[str, ...]:
        """Names of secrets."""
        names = self.texts(value, at, "names of secrets")
        for place, name in enumerate(names):
            if not SECRET_NAME.fullmatch(name):
                self.wrong(
                    (*at, place), f"{name[:60]!r} is not the name of a secret. Use capital letters, digits and _."
                )
        if len(names) > MAX_SECRETS:
            self.wrong(at, f"A job names at most {MAX_SECRETS} secrets.")
        return tuple(names)

    def warm(self: _Reading, value: object, at: Pointer) -> bool:
        """Whether the work folder is one that the pipeline used before."""
        if value not in ("warm", "fresh"):
            self.wrong(at, "work_folder is `fresh`, empty for each attempt, or `warm`, as the pipeline left it.")
        return value == "warm"


def _step(read: _Reading, data: object, at: Pointer, place: int, secrets: Sequence[str]) -> WantedStep | None:
    if isinstance(data, str):
        data = {"script": data}
    given = read.mapping(data, at, STEP, f"Step {place + 1}")
    if given is None:
        return None
    script, checked_out = given.get("script"), given.get("checkout")
    if (script is None) == (checked_out is None):
        read.wrong(at, f"Step {place + 1} has either a script or a checkout.")
        return None
    if script is not None and (not isinstance(script, str) or not script.strip()):
        read.wrong((*at, "script"), f"The script of step {place + 1} is text: `script: |` and its lines.")
        return None
    name = given.get("name") or ("check out" if checked_out is not None else _first_line(script or ""))
    if not isinstance(name, str) or len(name) > 100 or not name.isprintable():
        read.wrong((*at, "name"), "The name of a step is text of at most 100 characters.")
        name = ""
    return WantedStep(
        name,
        script or "",
        read.shell(given["shell"], (*at, "shell")) if given.get("shell") is not None else "",
        _folder(read, given.get("folder"), (*at, "folder")),
        read.environment(given.get("environment") or {}, (*at, "environment")),
        read.time(given["time_limit"], (*at, "time_limit")) if given.get("time_limit") is not None else 0,
        read.yes_or_no(given.get("always", False), (*at, "always")),
        _checkout(read, checked_out, (*at, "checkout"), secrets) if checked_out is not None else None,
    )


def _first_line(script: str) -> str:
    """What a step without a name is called."""
    lines = [line.strip() for line in script.splitlines() if line.strip() and not line.lstrip().startswith("#")]
    plain = "".join(one if one.isprintable() else " " for one in (lines or ["script"])[0])
    return plain[:57] + "…" if len(plain) > 58 else plain


def _folder(read: _Reading, value: object, at: Pointer) -> str:
    if value is None:
        return ""
    leads_out = not isinstance(value, str) or value.startswith(("/", "\\", "~")) or re.match(r"[A-Za-z]:", value)
    if leads_out or ".." in re.split(r"[/\\]", str(value)) or len(str(value)) > 400:
        read.wrong(at, "The folder of a step must be inside the work folder. Write its path from there.")
        return ""
    return str(value)


def _checkout(read: _Reading, data: object, at: Pointer, secrets: Sequence[str]) -> Checkout:
    if data is True:
        return Checkout()
    if isinstance(data, str):
        data = {"url": data}
    given = read.mapping(data, at, CHECKOUT, "A checkout") or {}

    def text(key: str, is_good: Any, rule: str) -> str:
        value = given.get(key)
        if value is not None and (not isinstance(value, str) or not is_good(value)):
            read.wrong((*at, key), rule)
            return ""
        return value or ""

    url = given.get("url")
    if url is not None and (why := why_no_address(url) if isinstance(url, str) else "it is text"):
        read.wrong((*at, "url"), f"{str(url)[:80]!r}: {why}.")
    secret = text("secret", lambda value: value in secrets, "The secret of a checkout is one of the job's `secrets`.")
    return Checkout(
        url if isinstance(url, str) else "",
        text("ref", lambda v: _REF.fullmatch(v) and ".." not in v, "ref is the name of a branch or a tag."),
        text("commit", _COMMIT.fullmatch, "commit is 40 hexadecimal digits."),
        read.number(given["depth"], (*at, "depth"), "depth", 0, 1_000_000) if "depth" in given else 0,
        read.yes_or_no(given.get("submodules", False), (*at, "submodules")),
        read.yes_or_no(given.get("clean", False), (*at, "clean")),
        secret,
    )
