"""What a shell on a machine says of its tools, to compare a survey with: other words than the survey's own."""

from __future__ import annotations

import re
import subprocess
from collections.abc import Callable, Iterable

SHELL = {
    "git": ("git", "git --version", r"version (\S+)"),
    "gcc": ("gcc", "gcc -dumpfullversion", r"(\S+)"),
    "gxx": ("g++", "g++ -dumpfullversion", r"(\S+)"),
    "clang": ("clang", "clang --version | head -1", r"version (\d[\w.]*)"),
    "make": ("make", "make --version | head -1", r"Make (\S+)"),
    "cmake": ("cmake", "cmake --version | head -1", r"version (\S+)"),
    "ninja": ("ninja", "ninja --version", r"(\S+)"),
    "perl": ("perl", "perl -e 'print substr($^V, 1)'", r"(\S+)"),
    "node": ("node", "node -p process.versions.node", r"(\S+)"),
    "npm": ("npm", "npm --version", r"(\S+)"),
    "jdk": ("javac", "java -version 2>&1", r'version "([^"]+)"'),
    "maven": ("mvn", "mvn --version | sed 's/\x1b\\[[0-9;]*m//g'", r"Apache Maven (\S+)"),
    "cargo": ("cargo", "cargo --version", r"cargo (\S+)"),
    "rustc": ("rustc", "rustc --version", r"rustc (\S+)"),
    "python": ("python3", "python3 -c 'import platform; print(platform.python_version())'", r"(\S+)"),
    "bash": ("bash", "bash -c 'echo ${BASH_VERSINFO[0]}.${BASH_VERSINFO[1]}.${BASH_VERSINFO[2]}'", r"(\S+)"),
    "curl": ("curl", "curl --version", r"curl (\S+)"),
    "openssl": ("openssl", "openssl version", r"OpenSSL (\S+)"),
    "gnupg": ("gpg", "gpg --version", r"\(GnuPG\) (\S+)"),
    "jq": ("jq", "jq --version", r"jq-(\S+)"),
    "sqlite": ("sqlite3", "sqlite3 --version", r"(\S+)"),
    "psql": ("psql", "psql --version", r"\(PostgreSQL\) (\S+)"),
    "openssh": ("ssh", "ssh -V 2>&1", r"OpenSSH_([^ ,]+)"),
    "chromium": ("chromium", "chromium --version", r"Chromium (\S+)"),
    "pkg-config": ("pkg-config", "pkg-config --version", r"(\S+)"),
    "valgrind": ("valgrind", "valgrind --version", r"valgrind-(\S+)"),
    "rsync": ("rsync", "rsync --version | head -1", r"version (\S+)"),
    "docker": ("docker", "docker --version", r"version ([^ ,]+)"),
}
"""By tool: the command that tells whether it is there, what to type, and where the version stands in the answer."""


def run_here(line: str) -> str:
    """What a shell on this machine prints."""
    return subprocess.run(line, shell=True, capture_output=True, text=True, check=False).stdout


def disagreements(
    installations: Iterable, broken: Iterable, shell: Callable[[str], str] = run_here
) -> tuple[set[str], list[str]]:
    """The tools that were compared, and a sentence for each of which shell and survey say otherwise.

    The survey's plain installation is to be what the shell starts; where the shell has no such command, or it tells no
    version, the survey is to have no plain one.
    """
    plain = {one.tool: one.version.split(" (")[0] for one in installations if one.plain}
    is_broken = {one.tool for one in broken}
    compared, differing = set(), []
    for tool, (command, line, pattern) in SHELL.items():
        there = shell(f"command -v {command}").strip()
        # A command that hangs is as good as none.
        found = re.search(pattern, shell(f"timeout 20 sh -c {_quoted(line)}")) if there else None
        wanted = found.group(1) if found else None
        if plain.get(tool) != wanted:
            differing.append(f"{tool}: a shell says {wanted}, the survey {plain.get(tool)}")
        elif there and not found and tool not in is_broken:
            differing.append(f"{tool}: {there} tells no version, and the survey does not say that it is broken")
        compared.add(tool)
    return compared, differing


def _quoted(line: str) -> str:
    return "'" + line.replace("'", "'\\''") + "'"
