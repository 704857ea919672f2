"""Reads one file of a Git repository at a commit, with the real Git and nothing of this machine's own configuration."""

from __future__ import annotations

import os
import re
import subprocess
import tempfile
from dataclasses import dataclass
from pathlib import Path

from paddock_core.pipeline_file import why_no_address

from ..errors import Invalid, NotNow

PATIENCE = 60.0
MAX_FILE_BYTES = 512 * 1024
SCHEMES = ("https", "http", "ssh")
_REF = re.compile(r"[A-Za-z0-9_][A-Za-z0-9._/+@-]{0,199}")
_PATH = re.compile(r"[A-Za-z0-9._][A-Za-z0-9 ._/+-]{0,199}")
COMMIT = re.compile(r"[0-9a-f]{40}(?:[0-9a-f]{24})?")


@dataclass(frozen=True)
class FileAtCommit:
    """What the file says at this commit."""

    commit: str
    text: str


def check_url(url: str) -> str:
    """Raises Invalid for an address that leads to a file of this machine, to a program, or is an option of Git's."""
    if problem := why_no_address(url, SCHEMES):
        raise Invalid(f"{url[:80]!r}: {problem}.", errors=[{"pointer": "/url", "detail": problem}])
    return url


def check_ref(ref: str) -> str:
    """Raises Invalid for an invalid name of a branch or tag."""
    if not _REF.fullmatch(ref) or ".." in ref or "@{" in ref or ref.endswith((".lock", "/", ".")):
        raise Invalid(
            f"{ref[:80]!r} is not the name of a branch or a tag.", errors=[{"pointer": "/ref", "detail": "no name"}]
        )
    return ref


def check_path(path: str) -> str:
    """Raises Invalid for a path outside the repository."""
    if not _PATH.fullmatch(path) or ".." in path.split("/"):
        raise Invalid(
            f"{path[:80]!r} is not a path within a repository.", errors=[{"pointer": "/path", "detail": "no path"}]
        )
    return path


def read_file(url: str, ref: str, path: str, commit: str = "") -> FileAtCommit:
    """The file at the newest commit of ``ref``, or at ``commit``, which has to be one that the ref leads to.

    Raises NotNow with Git's message.
    """
    check_url(url)
    check_ref(ref)
    check_path(path)
    if commit and not COMMIT.fullmatch(commit):
        raise Invalid(f"{commit[:80]!r} is not a commit: 40 hexadecimal digits.")
    with tempfile.TemporaryDirectory(prefix="paddock-source-") as folder:
        home = Path(folder)
        _git(home, "init", "--quiet", "--bare", "repository")
        repository = home / "repository"
        # One commit is enough for the newest; to find another among those of the ref, all of them are looked through,
        # though without what is in their files.
        depth = ["--filter=blob:none"] if commit else ["--depth=1"]
        _git(repository, "fetch", "--quiet", "--no-tags", *depth, "--", url, ref)
        head = _git(repository, "rev-parse", "FETCH_HEAD^{commit}").decode().strip()
        if commit and commit != head:
            if _fails(repository, "merge-base", "--is-ancestor", commit, head):
                raise NotNow(f"{ref} of {url} does not lead to the commit {commit[:12]}.")
            head = commit
        listed = _git(repository, "ls-tree", "-l", head, "--", path).decode(errors="replace").split()
        if len(listed) < 4 or listed[1] != "blob" or listed[0] == "120000":
            raise NotNow(f"{url} has no file {path} at {head[:12]}.")
        if listed[3].isdecimal() and int(listed[3]) > MAX_FILE_BYTES:
            raise NotNow(
                f"{path} has {int(listed[3]) // 1024} KiB; a pipeline file has at most {MAX_FILE_BYTES // 1024}."
            )
        text = _git(repository, "cat-file", "blob", listed[2], remote=url)
        return FileAtCommit(head, text[: MAX_FILE_BYTES + 1].decode(errors="replace"))


def _git(folder: Path, *arguments: str, remote: str = "") -> bytes:
    done = _run(folder, arguments, remote)
    if done.returncode:
        problem = done.stderr.decode(errors="replace").strip().splitlines()
        why = next(
            (line for line in problem if line.startswith(("fatal:", "error:"))), problem[-1] if problem else "no word"
        )
        raise NotNow(f"Git could not do it: {why[:400]}")
    return done.stdout


def _fails(folder: Path, *arguments: str) -> bool:
    return _run(folder, arguments, "").returncode != 0


def _run(folder: Path, arguments: tuple[str, ...], remote: str) -> subprocess.CompletedProcess[bytes]:
    settings = {
        "GIT_CONFIG_NOSYSTEM": "1",
        "GIT_CONFIG_GLOBAL": os.devnull,
        "GIT_TERMINAL_PROMPT": "0",
        "GIT_ALLOW_PROTOCOL": ":".join(SCHEMES),
        "GIT_ASKPASS": "true",
        "GIT_SSH_COMMAND": "ssh -o BatchMode=yes -o StrictHostKeyChecking=accept-new",
        "HOME": os.environ.get("HOME", str(folder)),
        "PATH": os.environ.get("PATH", os.defpath),
        "LC_ALL": "C",
    }
    options = ["-c", "core.hooksPath=/dev/null", "-c", "http.followRedirects=false"]
    if remote:  # what was left out of the fetch is asked for when it is needed
        options += ["-c", f"remote.origin.url={remote}", "-c", "remote.origin.promisor=true",
                    "-c", "extensions.partialClone=origin"]  # fmt: skip
    try:
        return subprocess.run(
            ["git", *options, *arguments], cwd=folder, env=settings, capture_output=True, timeout=PATIENCE, check=False
        )
    except FileNotFoundError:
        raise NotNow("Git is not installed on the server. Install it and try again.") from None
    except subprocess.TimeoutExpired:
        raise NotNow(
            f"Git did not end within {PATIENCE:g} s: the repository does not answer, or is too large."
        ) from None
