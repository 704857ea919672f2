"""How many small faults in the core's decisions its tests find: ``make mutants`` (SAMPLE=…, SEED=…).

Mutmut makes the faults, one at a time, in a copy of the core; a sample of them, the same for the same seed, is tried
with the tests that reach the changed function. Prints what survived, and the share that was killed.
"""

from __future__ import annotations

import argparse
import json
import random
import shutil
import subprocess
import sys
from collections import Counter
from pathlib import Path

ROOT = Path(__file__).parent.parent
PLACE = ROOT / ".make" / "mutants"
DECISIONS = [
    "dispatch/*", "findings/*", "fit", "kits", "lifecycle", "link_state", "quiet_hours", "reasons", "remedies",
    "suspicion", "trend", "unblocking", "verdicts", "readiness",
]  # fmt: skip
SETTINGS = f"""
[tool.pytest.ini_options]
pythonpath = ["."]
addopts = "--import-mode=importlib -p no:django -p no:xdist"
asyncio_default_fixture_loop_scope = "function"
[tool.mutmut]
source_paths = ["paddock_core"]
only_mutate = {json.dumps([f"paddock_core/{one}.py" for one in DECISIONS])}
pytest_add_cli_args_test_selection = ["tests"]
# It compares versions with other programs, and decides nothing.
pytest_add_cli_args = ["--ignore=tests/test_version_oracles.py", "-p", "no:schemathesis"]
# A sentence may be worded otherwise, and an error that names nothing is not a decision.
do_not_mutate_patterns = ["raise "]
use_git_change_detection = false
also_copy = ["conftest.py"]
"""
# The same examples each time, so that the same seed gives the same figure; a slow machine kills nothing.
CONFTEST = """
from hypothesis import HealthCheck, settings
slow = [HealthCheck.too_slow]
settings.register_profile("mutants", deadline=None, derandomize=True, database=None, suppress_health_check=slow)
settings.load_profile("mutants")
"""
KILLED, SURVIVED = {1, 3}, {0}


def mutmut(*arguments: str) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "mutmut", *arguments]
    return subprocess.run(command, cwd=PLACE, capture_output=True, text=True, check=False)


def outcomes() -> dict[str, int | None]:
    """What came of each fault: the exit code of its tests, None for one that was not tried."""
    found: dict[str, int | None] = {}
    for file in PLACE.glob("mutants/**/*.meta"):
        found |= json.loads(file.read_text())["exit_code_by_key"]
    return found


def main() -> int:
    given = argparse.ArgumentParser()
    given.add_argument("--sample", type=int, default=200)
    given.add_argument("--seed", type=int, default=17)
    given.add_argument("--only", type=Path, help="try the faults that this file names, as an earlier run printed them")
    options = given.parse_args()
    shutil.rmtree(PLACE, ignore_errors=True)
    PLACE.mkdir(parents=True)
    for name in ("paddock_core", "tests"):
        shutil.copytree(ROOT / "core" / name, PLACE / name)
    (PLACE / "docs").symlink_to(ROOT / "docs")  # a test reads the schema of pipeline files there
    (PLACE / "pyproject.toml").write_text(SETTINGS)
    (PLACE / "conftest.py").write_text(CONFTEST)
    mutmut("run", "none.such")  # makes all of them, and tries none
    names = sorted(outcomes())
    if not names:
        print("no faults were made", file=sys.stderr)
        return 1
    if options.only:
        names = sorted(set(names) & set(options.only.read_text().split()))
    sample = sorted(random.Random(options.seed).sample(names, min(options.sample, len(names))))
    ran = mutmut("run", "--max-children", "2", *sample)
    tried = {name: code for name, code in outcomes().items() if name in set(sample)}
    for name in (name for name, code in tried.items() if code in SURVIVED):
        diff = mutmut("show", name).stdout.splitlines()
        print(name, *(f"    {line}" for line in diff if line[:1] in "-+" and line[:3] not in ("---", "+++")), sep="\n")
    count = Counter(
        "killed" if code in KILLED else "survived" if code in SURVIVED else "not tried" if code is None else "timed out"
        for code in tried.values()
    )
    judged = sum(count.values()) - count["not tried"]
    print(f"{len(names)} faults, {len(sample)} of them tried: {dict(count)}")
    if not judged:
        print(ran.stdout[-3000:], ran.stderr[-3000:], sep="\n", file=sys.stderr)
        return 1
    print(f"killed: {(judged - count['survived']) / judged:.0%}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
