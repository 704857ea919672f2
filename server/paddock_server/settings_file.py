"""The settings file: where it is, and how it comes to the settings. A variable of the environment goes before it."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from pathlib import Path

from paddock_core.settings_file import Kind, KnownSetting, SettingMistake, SettingsRead, mistake_in, read_settings

SYSTEM_FILE = Path("/etc/yellow-paddock/paddock.toml")
KNOWN = (
    KnownSetting("data", Kind.PATH, "the user's data folder"),
    KnownSetting("bind", Kind.TEXT, "127.0.0.1"),
    KnownSetting("port", Kind.PORT, "8200"),
    KnownSetting("hosts", Kind.TEXTS),
    KnownSetting("proxies", Kind.NETWORKS),
    KnownSetting("url", Kind.ADDRESS),
    KnownSetting("certificate", Kind.PATH),
    KnownSetting("certificate_key", Kind.PATH),
    KnownSetting("smtp", Kind.TEXT, is_secret=True),
    KnownSetting("mail_from", Kind.TEXT, "paddock@localhost"),
    KnownSetting("syslog", Kind.TEXT),
    KnownSetting("backup_folder", Kind.PATH),
    KnownSetting("backup_hours", Kind.NUMBER, "24"),
    KnownSetting("backup_keep", Kind.NUMBER, "14"),
    KnownSetting("backup_passphrase_file", Kind.PATH),
    KnownSetting("log_format", Kind.LOG_FORMAT, "text"),
    KnownSetting("session_idle_hours", Kind.NUMBER, "12"),
    KnownSetting("session_days", Kind.NUMBER, "7"),
    KnownSetting("link_grace", Kind.NUMBER, "45"),
    KnownSetting("lease", Kind.NUMBER, "900"),
    KnownSetting("watch_seconds", Kind.NUMBER, "60"),
    KnownSetting("standby_settle", Kind.NUMBER, "3600"),
    KnownSetting("wake_port", Kind.NUMBER, "9"),
    KnownSetting("web", Kind.PATH, "the server's own"),
    KnownSetting("wheels", Kind.PATH, "the server's own"),
)
_BY_NAME = {one.name: one for one in KNOWN}
_PASSWORD = re.compile(r"(?<=:)[^:@/]+(?=@)")


class SettingsInvalid(Exception):
    """The file has mistakes; the text has one line for each."""


class _Applied:
    file: Path | None = None
    lines: dict[str, int]


_applied = _Applied()
_applied.lines = {}


def variable_of(name: str) -> str:
    """The variable of the environment for a setting."""
    return f"PADDOCK_{name.upper()}"


def value_of(name: str) -> str:
    """The value of a setting: as the environment says it, which has what the file says too, or its default."""
    return os.environ.get(variable_of(name)) or _BY_NAME[name].default


def values_of(name: str) -> list[str]:
    """The same for a list."""
    return [one.strip() for one in value_of(name).split(",") if one.strip()]


def settings_file() -> Path | None:
    """The file that counts: the one that PADDOCK_CONFIG names, the system's, or the user's; None for none."""
    named = os.environ.get("PADDOCK_CONFIG")
    if named:
        return Path(named)
    home = Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config")
    # The system's is for its server's account: others, who may not read it, have settings of their own.
    usual = (SYSTEM_FILE, home / "yellow-paddock" / "paddock.toml")
    return next((file for file in usual if file.is_file() and os.access(file, os.R_OK)), None)


def read_file(file: Path) -> SettingsRead:
    """What is in it. Raises SettingsInvalid for one that cannot be read."""
    try:
        return read_settings(file.read_text(encoding="utf-8"), KNOWN)
    except UnicodeDecodeError:
        raise SettingsInvalid(f"{file} is not text in UTF-8.") from None
    except OSError as error:
        raise SettingsInvalid(f"{file} cannot be read: {error.strerror}.") from None


def apply_settings_file() -> None:
    """Puts what is in the file where the settings are read from, but for what the environment says itself. Raises
    SettingsInvalid with all mistakes, and applies nothing then."""
    wrong = [
        f"The variable {variable_of(one.name)} {mistake}"
        for one in KNOWN
        if (text := os.environ.get(variable_of(one.name))) and (mistake := mistake_in(one, text))
    ]
    if wrong:
        raise SettingsInvalid("\n".join(wrong))
    file = settings_file()
    if file is None:
        return
    found = read_file(file)
    if found.mistakes:
        raise SettingsInvalid("\n".join(written_mistake(file, one) for one in found.mistakes))
    _applied.file = file
    for name, value in found.values.items():
        if variable_of(name) not in os.environ:
            os.environ[variable_of(name)] = value
            _applied.lines[name] = found.lines[name]


def written_mistake(file: Path, mistake: SettingMistake) -> str:
    """A line for a terminal."""
    return f"{file}:{mistake.line}: {mistake.sentence}" if mistake.line else f"{file}: {mistake.sentence}"


def listed() -> Iterator[tuple[str, str, str]]:
    """Each setting, its value without passwords, and where it comes from."""
    for one in KNOWN:
        value = os.environ.get(variable_of(one.name))
        if value is None:
            yield one.name, one.default, "default"
            continue
        shown = _PASSWORD.sub("…", value) if one.is_secret else value
        line = _applied.lines.get(one.name)
        yield one.name, shown, f"{_applied.file}:{line}" if line else f"the environment, {variable_of(one.name)}"
