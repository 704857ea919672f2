"""The folders are the architecture: who may import whom."""

from __future__ import annotations

import ast
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
    "core/paddock_core": (set(), {"lark", "numpy", "scipy", "dateutil"}),
    "agent/paddock_agent": (set(), {"msgspec", "websockets", "psutil", "platformdirs", "yaml", "nacl", *PYWIN32}),
    "server/paddock_server": (
        {"paddock_core", "paddock_agent.wire", "paddock_agent.catalogue", "paddock_agent.errors"},
        None,
    ),
    "standins/paddock_standins": ({"paddock_agent"}, {"yaml", "aiosmtpd"}),
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
