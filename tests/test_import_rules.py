"""The folders are the architecture: who may import whom."""

from __future__ import annotations

import ast
from collections.abc import Collection
from functools import cache
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
OURS = {"paddock_core", "paddock_agent", "paddock_server", "paddock_standins"}
PYWIN32 = {
    "pywintypes",
    "servicemanager",
    "win32api",
    "win32evtlog",
    "win32evtlogutil",
    "win32security",
    "win32service",
}
PYWIN32 |= {"win32con", "win32job", "win32serviceutil"}
# What a package may import of ours, and which libraries; None where it is free to choose.
RULES: dict[str, tuple[set[str], set[str] | None]] = {
    "core/paddock_core": (set(), {"lark", "numpy", "dateutil"}),
    "agent/paddock_agent": (set(), {"msgspec", "websockets", "psutil", "platformdirs", "yaml", "nacl", *PYWIN32}),
    "server/paddock_server": (
        {"paddock_core", "paddock_agent.wire", "paddock_agent.catalogue", "paddock_agent.errors"},
        None,
    ),
    "standins/paddock_standins": ({"paddock_agent"}, {"yaml", "aiosmtpd", "joserfc", "cryptography"}),
}
NOT_IN_THE_CORE = {
    "os",
    "io",
    "pathlib",
    "socket",
    "time",
    "random",
    "subprocess",
    "threading",
    "asyncio",
    "urllib",
    "sqlite3",
}


def imports(source: str) -> set[str]:
    """The absolute modules that a source imports, as ``package`` or ``package.module``."""
    found = set()
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.level == 0 and node.module:
            submodules = {f"{node.module}.{alias.name}" for alias in node.names}
            found |= submodules if node.module in OURS else {node.module}
    return found


def broken_rules(package: str, source: str) -> set[str]:
    """What ``source``, if it stood in ``package``, would import against the rules."""
    import sys

    ours, libraries = RULES[package]
    broken = set()
    for module in imports(source):
        top = module.split(".")[0]
        if top in OURS:
            own = top == Path(package).name
            if not own and not any(module == rule or module.startswith(rule + ".") for rule in ours):
                broken.add(module)
        elif (package.startswith("core/") and top in NOT_IN_THE_CORE) or (
            top not in sys.stdlib_module_names and libraries is not None and top not in libraries
        ):
            broken.add(module)
    return broken


@pytest.mark.parametrize("package", RULES)
def test_a_package_imports_only_what_it_may(package):
    files = list((ROOT / package).rglob("*.py"))
    assert len(files) > 5
    broken = {str(file): found for file in files if (found := broken_rules(package, file.read_text()))}
    assert broken == {}


@pytest.mark.parametrize(
    ("package", "source"),
    [
        ("core/paddock_core", "import django"),
        ("core/paddock_core", "import time"),
        ("core/paddock_core", "from paddock_agent import wire"),
        ("agent/paddock_agent", "import requests"),
        ("agent/paddock_agent", "from paddock_core.terms import Term"),
        ("server/paddock_server", "from paddock_agent import attempts"),
        ("server/paddock_server", "from paddock_standins.demo import Demo"),
        ("standins/paddock_standins", "from paddock_server.hosts import models"),
    ],
)
def test_the_rules_would_notice(package, source):
    assert broken_rules(package, source)


# ---- circles -------------------------------------------------------------------------------------------------------


def modules_of(package: str) -> dict[str, Path]:
    """The modules of a package by their full names."""
    root = ROOT / package
    found = {}
    for file in root.rglob("*.py"):
        if "migrations" not in file.parts:
            parts = [root.name, *file.relative_to(root).with_suffix("").parts]
            found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = file
    return found


def imported(name: str, source: str, *, is_package: bool, modules: Collection[str]) -> set[str]:
    """Which of ``modules`` a module imports: inside functions and for types alone as well. A package that holds it is
    no import."""
    base = name.split(".") if is_package else name.split(".")[:-1]
    found = set()
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            above = base[: len(base) - node.level + 1] if node.level else []
            start = ".".join([*above, *([node.module] if node.module else [])])
            for alias in node.names:
                whole = f"{start}.{alias.name}"
                found.add(whole if whole in modules else start)
    return {one for one in found if one in modules and one != name and not name.startswith(f"{one}.")}


def circles(imports_of: dict[str, set[str]]) -> list[set[str]]:
    """The sets of modules that can be reached from each other."""

    @cache
    def reached(start: str) -> frozenset[str]:
        seen, ahead = set(), list(imports_of[start])
        while ahead:
            if (one := ahead.pop()) not in seen:
                seen.add(one)
                ahead += imports_of[one]
        return frozenset(seen)

    found = {frozenset(two for two in reached(one) if one in reached(two)) for one in imports_of if one in reached(one)}
    return sorted(map(set, found), key=sorted)


@pytest.mark.parametrize("package", RULES)
def test_no_module_leads_back_to_itself(package):
    modules = modules_of(package)
    assert len(modules) > 20
    found = {
        name: imported(name, file.read_text(), is_package=file.name == "__init__.py", modules=modules)
        for name, file in modules.items()
    }
    assert circles(found) == []


def test_a_circle_would_be_noticed():
    modules = {"p", "p.a", "p.b", "p.c", "p.d"}
    sources = {
        "p": "from .a import x",
        "p.a": "def f():\n    from .b import y",
        "p.b": "if TYPE_CHECKING:\n    from . import c",
        "p.c": "import p.a",
        "p.d": "from .a import f",
    }
    found = {name: imported(name, text, is_package=name == "p", modules=modules) for name, text in sources.items()}
    assert circles(found) == [{"p.a", "p.b", "p.c"}]


# ---- layers of the server ------------------------------------------------------------------------------------------

LAYERS = (
    ("asgi", "serve", "cli", "urls", "web", "front", "terminal", "service_setup"),
    ("api",),
    ("link",),
    ("yard", "board", "tool_reports", "server_page"),
    ("retention",),
    ("standby",),
    ("planning",),
    ("chores", "rollout", "maintenance", "notifications", "bring_up"),
    ("health", "runs"),
    ("work",),
    ("time_line", "housekeeping"),
    ("toolchains",),
    ("sign_on",),
    ("access", "pipeline_secrets", "install", "backup"),
    ("hosts",),
    ("people",),
    ("logbook",),
    (
        "errors",
        "settings",
        "settings_file",
        "moments",
        "json_lists",
        "patterns",
        "secret",
        "sealing",
        "tls",
        "webhooks",
        "data_folder",
        "pooled_sqlite",
    ),
    ("storage", "changes", "process", "rest"),
)
"""The rooms of the server, from the top. A room uses rooms of lower rows. Within the first row and the last two, which
are the composition root and the floor, rooms use each other as well."""
TOP, FLOOR = 0, {len(LAYERS) - 2, len(LAYERS) - 1}


def _room(module: str) -> str:
    return module.split(".")[1]


def upward(imports_of: dict[str, set[str]]) -> list[tuple[str, str]]:
    """The imports that lead up, or to another room of the same row."""
    row = {room: number for number, rooms in enumerate(LAYERS) for room in rooms}

    def is_allowed(name: str, target: str) -> bool:
        mine, other = row[_room(name)], row[_room(target)]
        together = {mine, other} == {TOP} or {mine, other} <= FLOOR
        return other > mine or together or _room(name) == _room(target)

    pairs = ((name, target) for name, targets in imports_of.items() for target in targets)
    return sorted(pair for pair in pairs if all("." in one for one in pair) and not is_allowed(*pair))


def test_the_rooms_of_the_server_use_only_rooms_below_them():
    modules = modules_of("server/paddock_server")
    found = {
        name: imported(name, file.read_text(), is_package=file.name == "__init__.py", modules=modules)
        for name, file in modules.items()
    }
    assert upward(found) == []


@pytest.mark.parametrize(
    ("name", "target", "is_allowed"),
    [
        ("s.work.round", "s.hosts.models", True),
        ("s.hosts.models", "s.work.round", False),
        ("s.health.views", "s.runs.models", False),
        ("s.health.views", "s.health.models", True),
        ("s.storage.writer", "s.errors", True),
        ("s.errors", "s.storage.writer", True),
        ("s.errors", "s.logbook.write", False),
        ("s.asgi", "s.front.headers", True),
        ("s.storage.writer", "s.asgi", False),
        ("s.api.urls", "s.urls", False),
    ],
)
def test_an_import_that_leads_up_would_be_noticed(name, target, is_allowed):
    assert (upward({name: {target}}) == []) == is_allowed
