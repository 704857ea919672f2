"""Checks the prose of screens, messages and docs for words that the writing rules replace: ``make lint``.

It reads the templates of Vue files, the string literals of Python files that have a space (docstrings included), and
Markdown files.
``tools/prose.json`` records how often each file still has each word. A file may not get more, and the record may not be
higher than the file: ``python tools/prose.py --lower`` lowers it after a rewrite.
Move the entry of a file that you rename.
"""

from __future__ import annotations

import argparse
import ast
import json
import re
import subprocess
import sys
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parent.parent
RECORD = ROOT / "tools" / "prose.json"
INSTEAD = {
    "told": "name the actor: the server notifies, the agent reports",
    "said": "say the noun: message, detail, reported",
    "anew": "again",
    "afresh": "again, or the verb alone: restart",
    "somebody": "a person, an administrator, or the role",
    "nobody": "no one, or the role: no administrator",
    "what cannot be": "invalid, impossible",
    "is no": "is not a",
    "lately": "recently, or the period",
    "meanwhile": "in the meantime, or leave it out",
}
WORDS = re.compile(rf"(?<!there )\b({'|'.join(map(re.escape, INSTEAD))})\b(?! longer)", re.IGNORECASE)
"""*There is no* and *is no longer* are plain English."""
TEMPLATE = re.compile(r"<template>.*</template>", re.DOTALL)
COVERED = (
    "core/paddock_core/",
    "agent/paddock_agent/",
    "server/paddock_server/",
    "standins/paddock_standins/",
    "web/src/",
)


class Hit(NamedTuple):
    file: str
    line: int
    word: str


def hits(file: str, text: str) -> Iterator[Hit]:
    """The words in what people read of a file. Raises SyntaxError for Python that cannot be read."""
    for line, prose in _prose(file, text):
        for found in WORDS.finditer(prose):
            yield Hit(file, line + prose.count("\n", 0, found.start()), found[0].lower())


def _prose(file: str, text: str) -> Iterator[tuple[int, str]]:
    """Pieces of prose with the lines on which they begin."""
    if file.endswith(".py"):
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, ast.Constant) and isinstance(node.value, str) and " " in node.value:
                yield node.lineno, node.value
    elif file.endswith(".vue"):
        for found in TEMPLATE.finditer(text):
            yield text.count("\n", 0, found.start()) + 1, found[0]
    else:
        yield 1, text


def files() -> list[str]:
    """The tracked files that have prose."""
    listed = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True).stdout.split(
        "\n"
    )
    code = [
        one for one in listed if one.startswith(COVERED) and one.endswith((".py", ".vue")) and "/migrations/" not in one
    ]
    return code + [one for one in listed if one == "README.md" or (one.startswith("docs/") and one.endswith(".md"))]


def compared(found: dict[str, Counter[str]], record: dict[str, dict[str, int]]) -> tuple[list[tuple[str, str]], bool]:
    """The files and words that occur more often than the record allows, and whether the record is too high."""
    more = [
        (file, word)
        for file, counts in found.items()
        for word, n in counts.items()
        if n > record.get(file, {}).get(word, 0)
    ]
    is_too_high = any(
        n > found.get(file, Counter())[word] for file, counts in record.items() for word, n in counts.items()
    )
    return more, is_too_high


def main() -> int:
    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument("--lower", action="store_true", help="lower the record to what the files have now")
    options = given.parse_args()
    everything = [hit for file in files() for hit in hits(file, (ROOT / file).read_text())]
    found: dict[str, Counter[str]] = {}
    for hit in everything:
        found.setdefault(hit.file, Counter())[hit.word] += 1
    record = json.loads(RECORD.read_text()) if RECORD.exists() else {file: dict(one) for file, one in found.items()}
    more, is_too_high = compared(found, record)
    for hit in everything:
        if (hit.file, hit.word) in more:
            print(f'{hit.file}:{hit.line}: "{hit.word}": {INSTEAD[hit.word]}')
    if options.lower:
        lowest = {
            file: {word: min(n, found[file][word]) for word, n in sorted(counts.items()) if found[file][word]}
            for file, counts in sorted(record.items())
            if file in found
        }
        RECORD.write_text(json.dumps({file: one for file, one in lowest.items() if one}, indent=1) + "\n")
    elif is_too_high:
        print("Files have fewer of these words than tools/prose.json records. Run: python tools/prose.py --lower")
        return 1
    print(f"{len(everything)} of the words are left.")
    return 1 if more else 0


if __name__ == "__main__":
    sys.exit(main())
