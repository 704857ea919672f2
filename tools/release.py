"""Stamps a version on everything that has one, and gives the changes since the last release its heading.

    tools/release.py 0.2.0

Nothing is written unless all of it can be. ``make release VERSION=0.2.0`` builds the wheels afterwards.
"""

from __future__ import annotations

import re
import sys
from datetime import UTC, datetime
from pathlib import Path

ROOT = Path(__file__).parents[1]
STAMPED = {
    "agent/paddock_agent/__init__.py": r'^__version__ = "(.+)"$',
    "core/pyproject.toml": r'^version = "(.+)"$',
    "server/pyproject.toml": r'^version = "(.+)"$',
    "standins/pyproject.toml": r'^version = "(.+)"$',
}
"""The files that name the version, and the line in which each does."""
VERSION = re.compile(r"\d+\.\d+\.\d+")
CHANGES = "agent/paddock_agent/changes.md"
"""A copy of the changes that goes with the agent's package: servers show it."""
UNRELEASED = "## Unreleased\n"


class ReleaseRefused(Exception):
    """The release cannot be made; says why."""


def versions(root: Path = ROOT) -> dict[str, str]:
    """The version that each file names. Raises ReleaseRefused."""
    found = {}
    for name, pattern in STAMPED.items():
        match = re.search(pattern, (root / name).read_text(), re.MULTILINE)
        if match is None:
            raise ReleaseRefused(f"{name} has no line like {pattern}.")
        found[name] = match[1]
    return found


def release(version: str, root: Path, day: str) -> None:
    """Stamps ``version``, and writes it with the day into the changelog. Raises ReleaseRefused."""
    if not VERSION.fullmatch(version):
        raise ReleaseRefused(f"{version!r} is not a version: write three numbers, such as 0.2.0.")
    before = versions(root)
    if len(set(before.values())) > 1:
        raise ReleaseRefused(f"The versions differ: {before}.")
    (old,) = set(before.values())
    if _numbers(version) <= _numbers(old):
        raise ReleaseRefused(f"{version} does not come after {old}.")
    changelog = root / "CHANGELOG.md"
    head, found, rest = changelog.read_text().partition(UNRELEASED)
    changes, _, _ = rest.partition("\n## ")
    if not found or not changes.strip():
        raise ReleaseRefused(f"CHANGELOG.md has no changes below “{UNRELEASED.strip()}”.")
    (root / CHANGES).write_text(changes.strip() + "\n")
    changelog.write_text(f"{head}{UNRELEASED}\n## {version}, {day}\n{rest}")
    for name, pattern in STAMPED.items():
        file = root / name
        line = re.search(pattern, file.read_text(), re.MULTILINE)
        assert line
        file.write_text(file.read_text().replace(line[0], line[0].replace(old, version), 1))


def _numbers(version: str) -> tuple[int, ...]:
    return tuple(int(number) for number in version.split("."))


def main() -> int:
    """The exit code: 1 with a reason where the release is refused."""
    if len(sys.argv) != 2:
        print("Usage: tools/release.py VERSION", file=sys.stderr)
        return 2
    try:
        release(sys.argv[1], ROOT, f"{datetime.now(UTC):%d %b %Y}")
    except ReleaseRefused as error:
        print(error, file=sys.stderr)
        return 1
    print(f"Everything is {sys.argv[1]} now. Look at the changes, and commit them.")
    return 0


if __name__ == "__main__":
    sys.exit(main())
