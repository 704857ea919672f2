"""Our order of versions against the programs that own each scheme, on random pairs that are alike.

What is compared is counted, and the count is printed at the end of the run (see conftest.py).
"""

import os
import random
import re
import shutil
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path

import packaging.version
import pytest

from paddock_core import versions
from paddock_core.errors import VersionError

ROOT = Path(__file__).parents[2]
COMPARE = Path(__file__).parent / "oracles" / "Compare.java"

Pairs = list[tuple[str, str]]


def numbers(chance: random.Random, most: int = 4, start: str = "") -> str:
    parts = [str(chance.choice([0, 1, 2, 9, 10, 17, 100])) for _ in range(chance.randint(1, most))]
    return start + ".".join(parts)


def jdk(chance: random.Random) -> str:
    parts = [str(chance.choice([8, 11, 17, 21]))] + [
        str(chance.choice([0, 1, 9, 15])) for _ in range(chance.randint(0, 3))
    ]
    while len(parts) > 1 and parts[-1] == "0":
        parts.pop()
    early = chance.choice(["", "", "", "-ea", "-internal", "-7", "-12", "-beta2"])
    build = chance.choice(["", "", "+9", "+10", "+0"])
    vendor = chance.choice(["", "", "-LTS"]) if build else ""
    return ".".join(parts) + early + build + vendor


def debian(chance: random.Random) -> str:
    epoch = chance.choice(["", "", "", "0:", "1:"])
    upstream = numbers(chance) + chance.choice(["", "", "~rc1", "~", "+b1", "a", "+dfsg", "~beta.2", ".z", "-1"])
    return (
        epoch + upstream + chance.choice(["", "", "-0", "-1", "-14", "-14~deb12u1", "-14+deb12u1", "-1ubuntu1", "-1.1"])
    )


def pep440(chance: random.Random) -> str:
    early = chance.choice(["", "", "a1", ".b2", "-rc.3", "rc", "alpha0", "c1", "pre2"])
    post = chance.choice(["", "", ".post1", "-2", "post", ".r3"])
    dev = chance.choice(["", "", ".dev1", "dev0", "-dev"])
    local = chance.choice(["", "", "+ubuntu.1", "+1", "+abc", "+1.2-3"])
    return chance.choice(["", "", "v", "1!"]) + numbers(chance) + early + post + dev + local


def maven(chance: random.Random) -> str:
    words = [
        "alpha",
        "beta",
        "b",
        "m",
        "rc",
        "cr",
        "SNAPSHOT",
        "final",
        "ga",
        "sp",
        "xyz",
        "jre",
        "a",
        "1",
        "0",
        "2",
        "10",
        "",
    ]
    text = numbers(chance)
    for _ in range(chance.randint(0, 3)):
        text += chance.choice([".", "-", "-", ""]) + chance.choice(words) + chance.choice(["", "", "1", "-2", ".0"])
    return text


def semver(chance: random.Random) -> str:
    early = chance.choice(
        ["", "", "-alpha", "-alpha.1", "-alpha.beta", "-beta.2", "-beta.11", "-rc.1", "-preview.7.244", "-0.3"]
    )
    return ".".join(str(chance.choice([0, 1, 2, 10, 20])) for _ in range(3)) + early + chance.choice(["", "+5", "+abc"])


def pairs_of(make: Callable[[random.Random], str], count: int) -> Pairs:
    """Half of the pairs share their beginning, since those are the ones that a wrong order gets wrong."""
    chance = random.Random(1921)
    made: Pairs = []
    while len(made) < count:
        one, other = make(chance), make(chance)
        made.append((one, other))
        cut = chance.randint(1, len(one))
        if chance.random() < 0.5 and one[cut - 1].isalnum():
            grown = one[:cut] + chance.choice(["", "0", "1", ".1"])
            made.append((one, grown))
    return [pair for pair in made if all(is_taken(text, make.__name__) for text in pair)][:count]


TAKEN_BY_THE_ORACLE = {
    "jdk": re.compile(r"[1-9]\d*(?:(?:\.0)*\.[1-9]\d*)*(?:-[a-zA-Z0-9]+)?(?:\+(?:0|[1-9]\d*)(?:-[-a-zA-Z0-9.]+)?)?"),
    "semver": re.compile(
        r"(?:0|[1-9]\d*)(?:\.(?:0|[1-9]\d*)){2}(?:-(?:0|[1-9]\d*|[a-z]+)(?:\.(?:0|[1-9]\d*|[a-z]+))*)?(?:\+\w+)?"
    ),
}
"""These two refuse what ours forgives: zeros at the end or in front, other than three numbers."""


def is_taken(text: str, scheme: str) -> bool:
    try:
        versions.parse(text, scheme)
    except VersionError:
        return False
    return scheme not in TAKEN_BY_THE_ORACLE or TAKEN_BY_THE_ORACLE[scheme].fullmatch(text) is not None


def by_dpkg(pairs: Pairs) -> Iterator[int]:
    for one, other in pairs:
        less = (
            subprocess.run(["dpkg", "--compare-versions", one, "lt", other], stderr=subprocess.DEVNULL).returncode == 0
        )
        yield -1 if less else subprocess.run(["dpkg", "--compare-versions", one, "gt", other]).returncode == 0


def by_packaging(pairs: Pairs) -> Iterator[int]:
    for one, other in pairs:
        a, b = packaging.version.Version(one), packaging.version.Version(other)
        yield (a > b) - (a < b)


def by_program(command: list[str], pairs: Pairs) -> Iterator[int]:
    asked = "".join(f"{one}\t{other}\n" for one, other in pairs)
    done = subprocess.run(command, input=asked, capture_output=True, text=True, check=True)
    return map(int, done.stdout.split())


def by_jdk(pairs: Pairs) -> Iterator[int]:
    return by_program(["java", str(COMPARE), "jdk"], pairs)


def by_maven(pairs: Pairs) -> Iterator[int]:
    home = Path(shutil.which("mvn") or "").resolve().parents[1]
    return by_program(["java", "-cp", f"{home}/lib/*", str(COMPARE), "maven"], pairs)


def by_node_semver(pairs: Pairs) -> Iterator[int]:
    script = """
        const semver = require(process.argv[1]);
        for (const pair of require("fs").readFileSync(0, "utf8").trim().split("\\n"))
            console.log(semver.compare(...pair.split("\\t")));
    """
    return by_program(["node", "-e", script, str(ROOT / "web" / "node_modules" / "semver")], pairs)


ORACLES = [
    ("dpkg --compare-versions", debian, by_dpkg, 1_500, ["dpkg"]),
    ("packaging.version", pep440, by_packaging, 20_000, []),
    ("the JDK's Runtime.Version", jdk, by_jdk, 20_000, ["java"]),
    ("Maven's ComparableVersion", maven, by_maven, 20_000, ["java", "mvn"]),
    ("npm's semver", semver, by_node_semver, 20_000, ["node"]),
]


@pytest.mark.parametrize(("oracle", "make", "answers", "count", "programs"), ORACLES, ids=[one[0] for one in ORACLES])
def test_the_order_is_that_of_its_oracle(oracle, make, answers, count, programs, counted):
    missing = " and ".join(program for program in programs if shutil.which(program) is None)
    if missing and os.geteuid():
        pytest.skip(f"{missing} is not there, and only root can install it")
    assert not missing, f"{missing} should be there: setup/test-tools.sh installs it"
    pairs = pairs_of(make, count)
    differing = []
    for (one, other), wanted in zip(pairs, answers(pairs), strict=True):
        a, b = versions.parse(one, make.__name__), versions.parse(other, make.__name__)
        if (a > b) - (a < b) != wanted:
            differing.append((one, other, wanted))
    assert not differing, f"{len(differing)} of {len(pairs)}: {differing[:12]}"
    counted(oracle, len(pairs))


def test_the_old_numbering_is_one_line_with_the_new_as_the_jdk_has_it(counted):
    old = [(f"1.{major}.0_{update}", f"{major}.0.{update}") for major in (6, 7, 8) for update in (20, 80, 392)]
    new = ["9", "11.0.21+9", "17.0.9+8", "17.0.9+9", "17-ea", "21"]
    chance = random.Random(1921)
    pairs = [(chance.choice([*old, *zip(new, new, strict=True)]), chance.choice(old)) for _ in range(500)]
    wanted = list(by_jdk([(one[1], other[1]) for one, other in pairs]))
    for (one, other), sign in zip(pairs, wanted, strict=True):
        a, b = versions.parse(one[0], "jdk"), versions.parse(other[0], "jdk")
        assert (a > b) - (a < b) == sign, (one, other)
    counted("the JDK's Runtime.Version, old numbering", len(pairs))
