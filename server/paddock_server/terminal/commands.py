"""``paddock lint``, ``submit``, ``fit``, ``watch`` and ``why``.

Exit codes: 0 well; 1 a mistake, or a job that did not pass, or nothing fits; 2 the command line is wrong, or the server
cannot be asked.
"""

from __future__ import annotations

import argparse
import sys
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any

from .client import Refused, Server
from .output import output_options, show
from .people_commands import add_people_commands
from .rollout_commands import add_rollout_commands

WELL, NOT_WELL, NOT_ASKED = 0, 1, 2
MAX_FILE_BYTES = 1_000_000
CHECK_INTERVAL_SECONDS = 1.0
ENDED = {"passed", "failed", "cancelled", "timed out", "lost"}


def add_commands(commands: Any) -> None:
    """Adds them to the parser of ``paddock``."""
    shared = argparse.ArgumentParser(add_help=False, parents=[output_options()])
    shared.add_argument("--server", default="", help="the server's address (default: PADDOCK_SERVER)")

    add_people_commands(commands, shared)
    add_rollout_commands(commands, shared)

    one = commands.add_parser(
        "lint", parents=[shared], help="say what is wrong with a pipeline file, and what the fleet says"
    )
    one.add_argument("file", nargs="?", default="paddock.yaml")
    one.set_defaults(remote=lint)

    one = commands.add_parser("submit", parents=[shared], help="send all jobs of a pipeline file")
    one.add_argument("file", nargs="?", default="paddock.yaml")
    one.add_argument("--watch", action="store_true", help="and watch them to their end")
    one.set_defaults(remote=submit)

    one = commands.add_parser("fit", parents=[shared], help="say which hosts fit some terms")
    one.add_argument(
        "terms", nargs="*", help='one term each, as "tool jdk 17..21"; none: from standard input, one a line'
    )
    one.add_argument("--slots", type=int, default=1)
    one.add_argument("--pipeline", default="", help="only where the fence lets this pipeline in")
    one.set_defaults(remote=fit)

    one = commands.add_parser("watch", parents=[shared], help="watch a job to its end, with its log")
    one.add_argument("job", type=int)
    one.set_defaults(remote=watch)

    one = commands.add_parser(
        "why", parents=[shared], help="say why a job waits and what would help, or why it ran where it did"
    )
    one.add_argument("job", type=int)
    one.set_defaults(remote=why)


def run(options: argparse.Namespace, server: Server | None = None) -> int:
    """Runs one of them; what the server refuses goes to standard error."""
    command: Callable[[argparse.Namespace, Server], int] = options.remote
    try:
        return command(options, server or Server(options.server))
    except Refused as error:
        _say_refusal(error, getattr(options, "file", ""))
        return NOT_WELL if error.status in (400, 403, 404, 409) else NOT_ASKED
    except KeyboardInterrupt:
        return 130


def lint(options: argparse.Namespace, server: Server) -> int:
    remarks = server.post("lint/", {"text": _read(options.file)})
    show(options, remarks, (_remark_line(options.file, remark) for remark in remarks))
    mistakes = sum(remark["level"] == "mistake" for remark in remarks)
    if not mistakes:
        print(f"{options.file} can be sent.", file=sys.stderr)
    return NOT_WELL if mistakes else WELL


def _remark_line(file: str, remark: dict[str, Any]) -> str:
    where = f"{file}:{remark['line']}" + (f" (column {remark['column']} of the term)" if remark["column"] else "")
    return f"{where}: {remark['level']}: {remark['sentence']}"


def submit(options: argparse.Namespace, server: Server) -> int:
    sent = server.post("submissions/", {"text": _read(options.file)})
    if not (options.watch and options.json):
        lines = (f"{job['id']}  {job['name']}: {job['state']}. {job['reason']}".rstrip() for job in sent["jobs"])
        show(options, sent, lines)
    if not options.watch:
        return WELL
    ended = [_watched(server, job["id"], prints_log=not options.json) for job in sent["jobs"]]
    if options.json:
        show(options, {**sent, "jobs": ended}, ())
    return WELL if all(job["state"] == "passed" for job in ended) else NOT_WELL


def fit(options: argparse.Namespace, server: Server) -> int:
    terms = options.terms or [line for line in sys.stdin.read(MAX_FILE_BYTES).splitlines() if line.strip()]
    found = server.post("fit/", {"terms": terms, "slots": options.slots, "pipeline": options.pipeline})
    show(options, found, _fit_lines(found))
    return WELL if found["fits"] else NOT_WELL


def _fit_lines(found: dict[str, Any]) -> Iterator[str]:
    for term in found["terms"]:
        yield f"{term['hosts']:6} of {found['all_hosts']}  {term['term']}"
    yield f"{found['fits']:6} of {found['all_hosts']}  all of them"
    for row in found["hosts"]:
        if row["fits"]:
            yield f"  {row['host']}: fits, {row['readiness']}"
    yield from _remedy_lines(found)
    if not found["fits"]:
        yield found["reason"]


def watch(options: argparse.Namespace, server: Server) -> int:
    job = _watched(server, options.job, prints_log=not options.json)
    show(options, job, ())
    return WELL if job["state"] == "passed" else NOT_WELL


def why(options: argparse.Namespace, server: Server) -> int:
    job = server.get(f"jobs/{options.job}/")
    found = server.get(f"jobs/{options.job}/fit/") if job["state"] == "waiting" else None
    show(options, {**job, "fit": found}, _why_lines(job, found))
    return WELL


def _why_lines(job: dict[str, Any], found: dict[str, Any] | None) -> Iterator[str]:
    yield f"{job['name']} (job {job['id']} of {job['pipeline']}) is {job['state']}."
    if job["reason"]:
        yield job["reason"]
    if found:
        for step in found["funnel"]:
            yield f"{step['left']:6}  {step['name']}"
        yield from _remedy_lines(found)
        return
    for attempt in job["attempts"]:
        status = f"{attempt['state']}. {attempt['why']} {attempt['note']}".rstrip()
        yield f"Attempt {attempt['number']} on {attempt['host']}: {status}"
        for tool in attempt["tools"]:
            yield f"  {tool['tool']} {tool['version']} at {tool['path']}"


def _watched(server: Server, number: int, *, prints_log: bool = True) -> dict[str, Any]:
    """Says what a job does until it ends, and prints its log; returns the job as it ended."""
    status = ""
    attempt = printed = 0
    while True:
        job: dict[str, Any] = server.get(f"jobs/{number}/")
        newest = job["attempts"][-1] if job["attempts"] else None
        now = job["reason"] if job["state"] == "waiting" else job["state"]
        if newest and job["state"] != "waiting":
            now += f" on {newest['host']}"
            if newest["number"] != attempt:
                attempt, printed = newest["number"], 0
            data = server.text(f"jobs/{number}/log/", attempt=attempt, offset=printed) if prints_log else ""
            printed += len(data.encode())
            if data:
                print(data, end="", flush=True)
        if now != status:
            status = now
            print(f"job {number} {job['name']}: {now}", file=sys.stderr)
        if job["state"] in ENDED:
            if job["reason"]:
                print(job["reason"], file=sys.stderr)
            return job
        time.sleep(CHECK_INTERVAL_SECONDS)


def _remedy_lines(found: dict[str, Any]) -> Iterator[str]:
    near = [row for row in found["hosts"] if row["remedy"]]
    if near:
        yield "What would help, the easiest first:"
    for row in near[:8]:
        yield f"  {row['host']}: {row['remedy']}"


def _say_refusal(error: Refused, file: str) -> None:
    lines: Sequence[dict[str, Any]] = [one for one in error.errors if one.get("line")]
    for one in lines:
        print(f"{file}:{one['line']}: {one['detail']}", file=sys.stderr)
    if not lines:
        print(error, file=sys.stderr)


def _read(file: str) -> str:
    try:
        data = Path(file).read_bytes()[: MAX_FILE_BYTES + 1]
    except OSError as error:
        raise Refused(f"{file} cannot be read: {error.strerror}.") from None
    try:
        return data.decode()
    except UnicodeDecodeError as error:
        raise Refused(f"{file} is not text in UTF-8: byte {error.start} cannot be read.") from None
