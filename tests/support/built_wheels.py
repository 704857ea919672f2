"""The wheels that an administrator installs, built from this checkout once in a run of the tests: they are built in one
place, and several modules of tests, in processes side by side, ask for them."""

from __future__ import annotations

import fcntl
import os
import subprocess
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
BUILT_BY = ROOT / ".make" / "dist-built-by"


def built_wheels() -> list[Path]:
    """The wheels in dist/: core, agent and server. Skips where the web part or the packages for hosts are not built."""
    if not (ROOT / ".make" / "wheels").is_dir() or not (ROOT / "web" / "dist").is_dir():
        pytest.skip("web part and packages for hosts are not built: make dist")
    this_run = os.environ.get("PYTEST_XDIST_TESTRUNUID", str(os.getpid()))
    with BUILT_BY.open("a+") as note:
        fcntl.flock(note, fcntl.LOCK_EX)
        note.seek(0)
        if note.read() != this_run:
            subprocess.run(["sh", ROOT / "setup" / "dist.sh"], check=True)
            note.truncate(0)
            note.write(this_run)
            note.flush()
        return sorted((ROOT / "dist").glob("*.whl"))
