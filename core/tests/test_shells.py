"""What a shell implies, and scripts that were written for another one."""

import pytest

from paddock_core.shells import NEEDS, implied_terms, meant_shell, other_shell
from paddock_core.terms import parse_term

POSIX = 'set -eu\nexport OUT=out\nif [ -d "$OUT" ]; then\n  rm -r "$OUT"\nfi\n'
POWERSHELL = '$out = "out"\nif (Test-Path $out) { Remove-Item $out -Recurse }\nWrite-Host $env:TEMP\n'
CMD = "@echo off\nset OUT=out\nif exist %OUT% rmdir /s /q %OUT%\n"
PYTHON = "import os\nfor name in os.listdir('.'):\n    print(name)\n"


@pytest.mark.parametrize("shell", NEEDS)
def test_what_a_shell_implies_is_a_term_in_its_canonical_form(shell):
    (term,) = implied_terms([shell, shell])
    assert str(parse_term(term)) == term


def test_no_shell_implies_nothing():
    assert implied_terms(["", "fish"]) == []


@pytest.mark.parametrize(
    ("word", "meant"), [("pwsh", "powershell"), ("Bash", "bash"), ("pyhton", "python"), ("bat", "cmd"), ("fish", None)]
)
def test_the_nearest_shell_is_named(word, meant):
    assert meant_shell(word) == meant


@pytest.mark.parametrize(
    ("script", "shell", "hosts", "looks_like"),
    [
        (POSIX, "bash", [], None),
        (POSIX, "zsh", [], None),
        (POSIX, "powershell", [], "bash"),
        (POSIX, "python", [], "bash"),
        (POSIX, "", ["linux", "macos"], None),
        (POSIX, "", ["windows"], "bash"),
        (POWERSHELL, "powershell", [], None),
        (POWERSHELL, "bash", [], "powershell"),
        (POWERSHELL, "", ["linux"], "powershell"),
        (POWERSHELL, "", ["linux", "windows"], "powershell"),
        (POWERSHELL, "", ["windows"], None),
        (CMD, "cmd", [], None),
        (CMD, "powershell", [], "cmd"),
        (CMD, "", ["windows"], "cmd"),
        (PYTHON, "python", [], None),
        (PYTHON, "", ["linux"], "python"),
        ("#!/usr/bin/env python3\nx = 1\n", "bash", [], "python"),
        ("#!/bin/bash\nmake\n", "", ["windows"], "bash"),
        ("make -j4\n./run --all\n", "powershell", [], None),
        ("echo done\n", "cmd", [], None),
        ("echo 100%\nprintf '%s' $x\n", "bash", [], None),
        ("", "bash", [], None),
    ],
)
def test_a_script_for_another_shell_is_noticed(script, shell, hosts, looks_like):
    look = other_shell(script, shell, hosts)
    assert (look.shell if look else None) == looks_like


def test_a_long_line_costs_no_more_than_a_short_one():
    assert other_shell("%" * 1_000_000 + "\n" + CMD, "bash").shell == "cmd"
