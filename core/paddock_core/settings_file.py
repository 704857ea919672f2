"""Reads the server's settings file, which is TOML with one value per name, and says what is wrong with it and where."""

from __future__ import annotations

import ipaddress
import re
import tomllib
from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import StrEnum

from .spelling import nearest

MAX_LENGTH = 100_000
"""Characters of a file."""
MAX_VALUE_LENGTH = 2_000
ADDRESS = re.compile(r"https?://(?:[A-Za-z0-9.-]+|\[[0-9A-Fa-f:.]+\])(?::\d{1,5})?(?:/[A-Za-z0-9._~-]+)*/?")


class Kind(StrEnum):
    """What a setting's value is."""

    TEXT = "a text"
    TEXTS = "a list of texts"
    NUMBER = "a number above 0"
    PORT = "a port from 1 to 65535"
    PATH = "an absolute path"
    ADDRESS = "an address such as https://paddock.example or https://builds.example/paddock"
    LOG_FORMAT = "text or json"
    NETWORKS = "a list of IP addresses and networks, such as 10.0.0.7 and 10.1.0.0/24"


@dataclass(frozen=True)
class KnownSetting:
    """A setting that may stand in the file. ``default`` is as it is shown; ``is_secret``: it may have a password in
    it."""

    name: str
    kind: Kind
    default: str = ""
    is_secret: bool = False


@dataclass(frozen=True)
class SettingMistake:
    """``line`` counts from 1; 0 where the file as a whole is meant."""

    line: int
    sentence: str


@dataclass
class SettingsRead:
    """``values`` by name, as texts, lists joined with commas; ``lines`` where each stands."""

    values: dict[str, str] = field(default_factory=dict)
    lines: dict[str, int] = field(default_factory=dict)
    mistakes: list[SettingMistake] = field(default_factory=list)


def read_settings(text: str, known: Iterable[KnownSetting]) -> SettingsRead:
    """Everything that is right, and all mistakes at once."""
    found = SettingsRead()
    if len(text) > MAX_LENGTH:
        found.mistakes.append(SettingMistake(0, f"The file is larger than {MAX_LENGTH} characters."))
        return found
    try:
        read = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        found.mistakes.append(_syntax(str(error), text))
        return found
    by_name = {one.name: one for one in known}
    for name, value in read.items():
        line = _line_of(name, text)
        setting = by_name.get(name)
        if setting is None:
            close = nearest(name, by_name)
            hint = f" Is {close} meant?" if close else f" Known are: {', '.join(sorted(by_name))}."
            found.mistakes.append(SettingMistake(line, f"There is no setting {name[:60]}.{hint}"))
        elif (written := _written(setting.kind, value)) is None:
            found.mistakes.append(SettingMistake(line, f"{name} is {_shown(value)}, but it has to be {setting.kind}."))
        else:
            found.values[name], found.lines[name] = written, line
    return found


def mistake_in(setting: KnownSetting, text: str) -> str:
    """What is wrong with a value from the environment, which has lists joined with commas; "" for nothing."""
    value: object = text
    if setting.kind in (Kind.TEXTS, Kind.NETWORKS):
        value = [one.strip() for one in text.split(",") if one.strip()]
    elif setting.kind in (Kind.NUMBER, Kind.PORT):
        value = int(text) if re.fullmatch(r"\d{1,9}", text) else _number(text)
    return "" if _written(setting.kind, value) is not None else f"is {_shown(text)}, but it has to be {setting.kind}."


def _number(text: str) -> float | None:
    try:
        return float(text)
    except ValueError:
        return None


def _written(kind: Kind, value: object) -> str | None:
    """The value as a text; None where it is not of its kind."""
    if kind in (Kind.TEXTS, Kind.NETWORKS):
        if not isinstance(value, list) or not all(isinstance(one, str) and "," not in one for one in value):
            return None
        if kind is Kind.NETWORKS and not all(map(is_network, value)):
            return None
        return _text(",".join(value))
    if isinstance(value, bool):
        return None
    if kind in (Kind.NUMBER, Kind.PORT):
        if not isinstance(value, int | float) or not 0 < value < 1e9:
            return None
        is_port = isinstance(value, int) and value <= 65535
        return str(value) if kind is Kind.NUMBER or is_port else None
    if not isinstance(value, str) or (kind is Kind.PATH and not value.startswith("/")):
        return None
    if kind is Kind.ADDRESS and not ADDRESS.fullmatch(value):
        return None
    if kind is Kind.LOG_FORMAT and value not in ("text", "json"):
        return None
    return _text(value)


def is_network(text: str) -> bool:
    """Whether it is an IP address or a network without host bits."""
    try:
        ipaddress.ip_network(text)
    except ValueError:
        return False
    return True


def _text(value: str) -> str | None:
    return value if len(value) <= MAX_VALUE_LENGTH and value.isprintable() else None


def _shown(value: object) -> str:
    if isinstance(value, dict):
        return "a table"
    return repr(value)[:60]


def _line_of(name: str, text: str) -> int:
    """Where a name of the first level stands first."""
    pattern = re.compile(rf"\s*(?:\[\s*)?[\"']?{re.escape(name)}[\"']?\s*[=.\]]")
    return next((number for number, line in enumerate(text.splitlines(), 1) if pattern.match(line)), 0)


def _syntax(message: str, text: str) -> SettingMistake:
    place = re.search(r"\(at line (\d+), column (\d+)\)", message)
    line = int(place[1]) if place else len(text.splitlines())
    what = message.partition(" (at ")[0].rstrip(".")
    return SettingMistake(line, f"This is not TOML: {what[:1].lower()}{what[1:200]}. Texts stand in quotes.")
