"""The versions of the agent that this server holds: what each says of itself, and what a host needs for it."""

from __future__ import annotations

import ast
import logging
import shutil
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from email.parser import Parser
from functools import lru_cache
from pathlib import Path

from packaging.requirements import InvalidRequirement, Requirement
from packaging.specifiers import InvalidSpecifier, SpecifierSet
from packaging.tags import Tag
from packaging.utils import InvalidWheelFilename, canonicalize_name, parse_wheel_filename

from ..errors import Invalid
from .index import AGENT, Wheel, kept_folder, name_and_version, order_key, wheels

log = logging.getLogger("paddock.install")

MAX_TEXT_BYTES = 256 * 1024
PIP = "pip"

_PLATFORMS = {"linux": "linux", "macos": "darwin", "windows": "win32"}
_MACHINES = {
    ("linux", "x64"): ("x86_64",), ("linux", "arm64"): ("aarch64",), ("macos", "x64"): ("x86_64", "universal2"),
    ("macos", "arm64"): ("arm64", "universal2"), ("windows", "x64"): ("amd64",),
}  # fmt: skip


class PackageInvalid(Invalid):
    """A package of the agent that cannot be used; the sentence says why."""


@dataclass(frozen=True)
class AgentVersion:
    """One version: ``protocol`` is the one of the link that it speaks, ``requires_python`` a specifier (PEP 440),
    ``changes`` its section of the changelog."""

    version: str
    protocol: int
    requires_python: str
    changes: str
    wheel: Wheel


@dataclass(frozen=True)
class Machine:
    """What decides which packages a host gets: its system and processor in the words of the terms, and the version of
    its agent's Python, "" where that is not known."""

    system: str
    arch: str
    python: str = ""

    @classmethod
    def of_facts(cls, facts: Mapping[str, object]) -> Machine:
        """The machine that reported these facts."""
        return cls(*(str(facts.get(name, "")) for name in ("os", "arch", "python")))


def held_versions() -> list[AgentVersion]:
    """All that can be used, newest first."""
    found = []
    for wheel in wheels():
        if wheel.name == AGENT:
            try:
                found.append(read_package(wheel))
            except PackageInvalid as error:
                log.warning("%s is left out: %s", wheel.file.name, error.detail)
    return sorted(found, key=lambda one: order_key(one.version), reverse=True)


def held_version(version: str) -> AgentVersion | None:
    """One of them, "" for the newest; None where this server does not hold it."""
    found = held_versions()
    return next((one for one in found if version in ("", one.version)), None)


def read_package(wheel: Wheel) -> AgentVersion:
    """What a package of the agent says of itself. Raises PackageInvalid where it contradicts itself or its name."""
    return _read(wheel, wheel.file.stat().st_mtime_ns)


@lru_cache(maxsize=50)
def _read(wheel: Wheel, changed: int) -> AgentVersion:
    name, version = name_and_version(wheel.file.name)
    if name != AGENT:
        raise PackageInvalid(f"{wheel.file.name} is not a package of the agent.")
    try:
        with zipfile.ZipFile(wheel.file) as packed:
            listed = [one for one in packed.namelist() if one.endswith(".dist-info/METADATA") and one.count("/") == 1]
            if len(listed) != 1:
                raise PackageInvalid(f"{wheel.file.name} has no description of its own.")
            about = Parser().parsestr(_text(packed, listed[0]))
            own = _constant(_text(packed, "paddock_agent/__init__.py"), "__version__")
            protocol = _constant(_text(packed, "paddock_agent/wire/shared.py"), "VERSION")
            changes = (
                _text(packed, "paddock_agent/changes.md") if "paddock_agent/changes.md" in packed.namelist() else ""
            )
    except (OSError, KeyError, zipfile.BadZipFile, UnicodeDecodeError, SyntaxError) as error:
        raise PackageInvalid(f"{wheel.file.name} cannot be read: {error}") from None
    for what, named in (("its description", about["Version"]), ("its program", own)):
        if named != version:
            raise PackageInvalid(f"The name of {wheel.file.name} says {version}, and {what} says {named}.")
    if not isinstance(protocol, int):
        raise PackageInvalid(f"{wheel.file.name} does not say which version of the link it speaks.")
    return AgentVersion(version, protocol, about["Requires-Python"] or "", changes.strip(), wheel)


def _text(packed: zipfile.ZipFile, name: str) -> str:
    with packed.open(name) as file:
        return file.read(MAX_TEXT_BYTES).decode()


def _constant(source: str, name: str) -> object:
    """What a module sets a name to, without running the module; None where that is not a constant."""
    for node in reversed(ast.parse(source).body):
        if not isinstance(node, ast.Assign) or not isinstance(node.value, ast.Constant):
            continue
        if any(isinstance(target, ast.Name) and target.id == name for target in node.targets):
            return node.value.value
    return None


def why_unfit(version: AgentVersion, machine: Machine) -> str:
    """Why a machine cannot install a version, "" where it can as far as this is known."""
    return _why_unfit(version, machine, wheels())


@lru_cache(maxsize=1000)
def _why_unfit(version: AgentVersion, machine: Machine, _: tuple[Wheel, ...]) -> str:
    """Most hosts of a fleet are alike."""
    if machine.python and version.requires_python:
        try:
            if not SpecifierSet(version.requires_python).contains(machine.python):
                return f"It has Python {machine.python}, and {version.version} needs {version.requires_python}."
        except InvalidSpecifier:
            return f"{version.version} names Pythons that cannot be read: {version.requires_python[:60]}."
    try:
        packages_for(version, machine)
    except PackageInvalid as error:
        return error.detail
    return ""


def packages_for(version: AgentVersion, machine: Machine) -> list[tuple[str, str, list[str]]]:
    """The packages that a version needs on a machine: name, version, and the hashes of the files that fit there.
    Raises PackageInvalid where this server does not have one."""
    environment = {
        "sys_platform": _PLATFORMS.get(machine.system, machine.system),
        "platform_system": {"linux": "Linux", "macos": "Darwin", "windows": "Windows"}.get(machine.system, ""),
        "python_version": ".".join(machine.python.split(".")[:2]) or "3.12",
        "python_full_version": machine.python or "3.12.0",
        "platform_python_implementation": "CPython", "implementation_name": "cpython", "extra": "",
        "os_name": "nt" if machine.system == "windows" else "posix",
        "platform_machine": {"x64": "x86_64", "arm64": "aarch64"}.get(machine.arch, machine.arch),
    }  # fmt: skip
    listed = wheels()
    found: dict[str, tuple[str, list[str]]] = {AGENT: (version.version, [version.wheel.sha256])}
    waiting = needed_by(version.wheel, environment)
    while waiting:
        wanted = waiting.pop()
        name = canonicalize_name(wanted.name)
        if name in found:
            continue
        fitting = [one for one in listed if one.name == name and wanted.specifier.contains(one.version)]
        fitting = [one for one in fitting if _fits(one.file.name, machine)]
        if not fitting:
            python = f" with Python {machine.python}" if machine.python else ""
            raise PackageInvalid(
                f"{version.version} needs {wanted.name}, and this server has no package of it for {machine.system} on "
                f"{machine.arch}{python}."
            )
        newest = max(fitting, key=lambda one: order_key(one.version))
        found[name] = newest.version, [one.sha256 for one in fitting if one.version == newest.version]
        waiting += needed_by(newest, environment)
    return [(name, *about) for name, about in sorted(found.items())]


def needed_by(wheel: Wheel, environment: Mapping[str, str]) -> list[Requirement]:
    """What a package names as needed in an environment (PEP 508). Raises PackageInvalid."""
    wanted = _requirements(wheel)
    return [one for one in wanted if one.marker is None or one.marker.evaluate(dict(environment))]


@lru_cache(maxsize=1000)
def _requirements(wheel: Wheel) -> tuple[Requirement, ...]:
    try:
        with zipfile.ZipFile(wheel.file) as packed:
            listed = next(one for one in packed.namelist() if one.endswith(".dist-info/METADATA"))
            about = Parser().parsestr(_text(packed, listed))
        return tuple(Requirement(text) for text in about.get_all("Requires-Dist") or ())
    except (OSError, StopIteration, zipfile.BadZipFile, UnicodeDecodeError, InvalidRequirement) as error:
        raise PackageInvalid(f"{wheel.file.name} cannot be read: {error}") from None


def _fits(file: str, machine: Machine) -> bool:
    """Whether a file is for the machine: one of its tags (PEP 425) is."""
    try:
        tags = parse_wheel_filename(file)[3]
    except InvalidWheelFilename:
        return False
    return any(_tag_fits(tag, machine) for tag in tags)


def _tag_fits(tag: Tag, machine: Machine) -> bool:
    if tag.platform != "any":
        families = {"linux": ("manylinux", "linux"), "macos": ("macosx",), "windows": ("win",)}
        machines = _MACHINES.get((machine.system, machine.arch), ())
        if not tag.platform.startswith(families.get(machine.system, ())) or not tag.platform.endswith(machines):
            return False
    if not machine.python or tag.interpreter in ("py3", "py2.py3"):
        return True
    own = int(machine.python.split(".")[1])
    numbers = tag.interpreter.removeprefix("cp3")
    if not tag.interpreter.startswith("cp3") or not numbers.isdecimal():
        return False
    return int(numbers) <= own if tag.abi == "abi3" else int(numbers) == own


def pip_wheel() -> Wheel | None:
    """The newest pip that this server hands out."""
    found = [one for one in wheels() if one.name == PIP]
    return max(found, key=lambda one: order_key(one.version), default=None)


MAX_KEPT = 5


def keep_versions() -> None:
    """Copies the agents that came with this server, so that hosts can go back to them after an upgrade of the server.
    The newest MAX_KEPT stay. What they need comes with every server."""
    kept = kept_folder()
    kept.mkdir(parents=True, exist_ok=True, mode=0o700)
    for version in held_versions():
        if version.wheel.file.parent != kept and not (kept / version.wheel.file.name).exists():
            add_files([version.wheel.file])
    for version in held_versions()[MAX_KEPT:]:
        (kept / version.wheel.file.name).unlink(missing_ok=True)


def add_files(files: list[Path]) -> None:
    """Puts checked files into the server's own folder, each whole or not at all."""
    folder = kept_folder()
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    for file in files:
        part = folder / f"{file.name}.part"
        shutil.copyfile(file, part)
        part.replace(folder / file.name)


def checked_files(files: list[Path]) -> list[Path]:
    """Wheels that an administrator wants to add. Raises PackageInvalid for one that does not exist, is not a wheel, or
    is a package of the agent that contradicts itself."""
    for file in files:
        if not file.is_file():
            raise PackageInvalid(f"{file} does not exist.")
        name, version = name_and_version(file.name)
        if file.suffix != ".whl" or not version:
            raise PackageInvalid(f"{file.name} is not a wheel.")
        if name == AGENT:
            read_package(Wheel(name, version, file, ""))
    return files
