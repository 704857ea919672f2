"""What a stand-in host's Git does for a checkout: it fetches nothing, and says what Git would."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence

from .answer import Answer


def git_answer(repositories: dict[str, tuple[str, str]], folder: str, words: Sequence[str]) -> Answer:
    """``repositories`` holds address and what was fetched last, by folder. The commit follows from both."""
    url, fetched = repositories.get(folder, ("", ""))
    match words[0]:
        case "init":
            repositories[folder] = "", ""
        case "remote":
            repositories[folder] = words[-1], fetched
        case "fetch":
            repositories[folder] = url, words[-1]
            return Answer(stdout=f"From {url}\n * branch            {words[-1]} -> FETCH_HEAD\n", seconds=0.3)
        case "checkout":
            return Answer(stdout=f"HEAD is now at {_commit(url, fetched)[:9]}\n")
        case "rev-parse":
            return Answer(stdout=f"{_commit(url, fetched)}\n")
        case "clean" | "submodule":
            pass
        case other:
            return Answer(stderr=f"git: the stand-in has no answer to: {other}\n", exit=1)
    return Answer()


def _commit(url: str, fetched: str) -> str:
    """The commit itself, or one that is always the same for a branch of an address."""
    is_commit = len(fetched) == 40 and set(fetched) <= set("0123456789abcdef")
    return fetched if is_commit else hashlib.sha1(f"{url} {fetched}".encode(), usedforsecurity=False).hexdigest()
