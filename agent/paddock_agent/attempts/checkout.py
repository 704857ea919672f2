"""The commands of a checkout step: a commit of a repository, fetched with the host's own Git."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from urllib.parse import urlsplit

from ..errors import CommandFailed
from ..wire import Checkout, GivenSecret

PROTOCOLS = ("https", "http", "ssh", "git")
_COMMIT = re.compile(r"[0-9a-f]{40}(?:[0-9a-f]{24})?")
_REF = re.compile(r"[A-Za-z0-9_][A-Za-z0-9._/+@-]{0,199}")
_SHORT_SSH = re.compile(r"[A-Za-z0-9_][A-Za-z0-9._-]*@[A-Za-z0-9][A-Za-z0-9.-]*:[A-Za-z0-9_~/]\S*")
# Git asks the helper; the answer comes from its environment, so that it stands in no list of processes and in no file.
_HELPER = '!f() { test "$1" = get && echo "username=$PADDOCK_GIT_USER" && echo "password=$PADDOCK_GIT_PASSWORD"; }; f'


def checked(wanted: Checkout) -> None:
    """Raises CommandFailed for an address or a name that Git would take for something else."""
    way = urlsplit(wanted.url) if "://" in wanted.url else None
    if not wanted.url.isprintable() or " " in wanted.url:
        raise CommandFailed("the address of the repository has spaces, or characters that cannot be seen")
    is_known = way is not None and way.scheme in PROTOCOLS and way.hostname and not way.hostname.startswith("-")
    if not is_known and not _SHORT_SSH.fullmatch(wanted.url):
        raise CommandFailed(
            f"{wanted.url[:80]!r} is not the address of a repository: use https://, http://, ssh:// or git://"
        )
    if wanted.commit and not _COMMIT.fullmatch(wanted.commit):
        raise CommandFailed(f"{wanted.commit[:80]!r} is not a commit: 40 hexadecimal digits")
    if wanted.ref and (not _REF.fullmatch(wanted.ref) or ".." in wanted.ref):
        raise CommandFailed(f"{wanted.ref[:80]!r} is not the name of a branch or a tag")


def environment(secret: GivenSecret | None) -> dict[str, str]:
    """What Git finds in its environment: no questions, no hooks, no helpers of the host, and the secret if there is
    one.

    What a former job wrote into a warm folder's own configuration still counts: folders are warm within one pipeline.
    """
    settings = {"core.hooksPath": "/dev/null", "credential.helper": "", "advice.detachedHead": "false",
                "protocol.ext.allow": "never", "gc.auto": "0", "init.defaultBranch": "main"}  # fmt: skip
    pairs = list(settings.items())
    variables = {"GIT_TERMINAL_PROMPT": "0", "GIT_ALLOW_PROTOCOL": ":".join(PROTOCOLS), "GIT_ASKPASS": "true"}
    variables["GIT_SSH_COMMAND"] = "ssh -o BatchMode=yes -o StrictHostKeyChecking=accept-new"
    if secret:
        user, colon, password = secret.value.partition(":")
        pairs.append(("credential.helper", _HELPER))
        variables["PADDOCK_GIT_USER"] = user if colon else "token"
        variables["PADDOCK_GIT_PASSWORD"] = (password if colon else user).strip()
    variables["GIT_CONFIG_COUNT"] = str(len(pairs))
    for number, (name, value) in enumerate(pairs):
        variables[f"GIT_CONFIG_KEY_{number}"] = name
        variables[f"GIT_CONFIG_VALUE_{number}"] = value
    return variables


@dataclass(frozen=True)
class Run:
    """A command, and another to try where it fails."""

    command: Sequence[str]
    otherwise: Sequence[str] = ()


HEAD_COMMAND = ("git", "rev-parse", "HEAD")
"""Prints the commit that is checked out."""


def commands(wanted: Checkout, is_there: bool) -> list[Run]:
    """What is run, in order; ``is_there`` where the folder has a repository already. The last one prints the commit."""
    ref = wanted.ref or "HEAD"
    depth = [f"--depth={wanted.depth}"] if wanted.depth else []
    fetch = ["git", "fetch", "--no-tags", "--force", "--no-recurse-submodules"]
    ran: list[Run] = []
    if is_there:
        ran.append(Run(["git", "remote", "set-url", "origin", "--", wanted.url]))
    else:
        ran += [Run(["git", "init", "--quiet"]), Run(["git", "remote", "add", "--", "origin", wanted.url])]
    if wanted.commit:
        # Some servers give out branches only: then the whole branch, in which the commit is.
        whole = [*fetch, "--", "origin", ref]
        ran.append(Run([*fetch, *depth, "--", "origin", wanted.commit], whole))
    else:
        ran.append(Run([*fetch, *depth, "--", "origin", ref]))
    ran.append(Run(["git", "checkout", "--force", "--detach", wanted.commit or "FETCH_HEAD"]))
    if wanted.clean:
        ran.append(Run(["git", "clean", "-ffdx"]))
    if wanted.submodules:
        ran.append(Run(["git", "submodule", "sync", "--recursive"]))
        ran.append(Run(["git", "submodule", "update", "--init", "--recursive", "--force", *depth]))
    return [*ran, Run(HEAD_COMMAND)]
