"""``paddock rollout plan|start|status|pause|resume|stop|go-back``."""

from __future__ import annotations

import argparse
import time
from collections.abc import Iterator
from typing import Any

from .client import Server
from .output import show

WELL, NOT_WELL = 0, 1
CHECK_INTERVAL_SECONDS = 1.0
UNFINISHED = {"waiting", "installing", "draining", "switched"}


def add_rollout_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Adds them to the parser of ``paddock``."""
    rollout = commands.add_parser("rollout", help="upgrade the agents of hosts, in waves")
    verbs = rollout.add_subparsers(required=True, metavar="VERB")
    for verb, text in (("plan", "say what a rollout would do"), ("start", "start one")):
        one = verbs.add_parser(verb, parents=[shared], help=text)
        one.add_argument("--to", default="", metavar="VERSION", help="default: the newest that the server holds")
        one.add_argument("--host", action="append", default=[], help="repeatable; default: all hosts")
        one.add_argument("--paddock", action="append", default=[], help="all hosts of a paddock; repeatable")
        one.add_argument("--term", action="append", default=[], help="all hosts that meet a term; repeatable")
        one.add_argument("--waves", default="25%,100%", help="sizes after the canaries (default: 25%%,100%%)")
        one.add_argument("--no-canaries", action="store_true", help="begin without one host per system")
        one.add_argument("--pause", type=int, default=10, metavar="MINUTES", help="after each wave (default: 10)")
        one.add_argument("--stop-after", type=int, default=1, metavar="HOSTS", help="that went back (default: 1)")
        if verb == "start":
            one.add_argument("--watch", action="store_true", help="follow it to its end")
        one.set_defaults(remote=_plan if verb == "plan" else _start)
    one = verbs.add_parser("status", parents=[shared], help="say how far one is")
    one.add_argument("rollout", nargs="?", type=int, default=0, help="its number (default: the newest)")
    one.add_argument("--watch", action="store_true", help="follow it to its end")
    one.set_defaults(remote=_status)
    for verb, text in (
        ("pause", "let no other host begin until it is resumed"),
        ("resume", "go on"),
        ("stop", "let no other host begin; those that have not switched keep their version"),
        ("go-back", "take its proven hosts back to the versions that they had"),
    ):
        one = verbs.add_parser(verb, parents=[shared], help=text)
        one.add_argument("rollout", type=int)
        one.set_defaults(remote=_act, verb=verb)


def _asked(options: argparse.Namespace) -> dict[str, Any]:
    return {
        "version": options.to, "hosts": options.host, "paddocks": options.paddock, "terms": options.term,
        "waves": [size for size in options.waves.replace(",", " ").split() if size],
        "canaries": not options.no_canaries, "pause": options.pause * 60, "stop_after": options.stop_after,
    }  # fmt: skip


def _plan(options: argparse.Namespace, server: Server) -> int:
    planned = server.post("rollout-plans/", _asked(options))
    show(options, planned, _planned_lines(planned))
    return WELL if any(planned["waves"]) else NOT_WELL


def _planned_lines(planned: dict[str, Any]) -> Iterator[str]:
    yield f"To {planned['version']}:"
    for number, names in enumerate(planned["waves"]):
        if names:
            yield f"  {f'wave {number}' if number else 'canaries'}: {', '.join(names)}"
    for one in planned["left_out"]:
        yield f"  left out: {one['host']}: {one['reason']}"
    if planned["needs_approval"]:
        yield f"A second person must approve it for {', '.join(planned['needs_approval'])}."


def _start(options: argparse.Namespace, server: Server) -> int:
    made = server.post("rollouts/", _asked(options))
    return _followed(options, server, made)


def _status(options: argparse.Namespace, server: Server) -> int:
    number = options.rollout
    if not number:
        listed = server.get("rollouts/?page_size=1")["results"]
        if not listed:
            show(options, None, ["There is no rollout."])
            return NOT_WELL
        number = listed[0]["id"]
    return _followed(options, server, server.get(f"rollouts/{number}/"))


def _act(options: argparse.Namespace, server: Server) -> int:
    done = server.post(f"rollouts/{options.rollout}/{options.verb}/", {})
    show(options, done, _lines(done))
    return WELL


def _followed(options: argparse.Namespace, server: Server, rollout: dict[str, Any]) -> int:
    if not options.json or not options.watch:
        show(options, rollout, _lines(rollout))
    seen = {one["host"]: one["step"] for one in rollout["hosts"]}
    while options.watch and _is_open(rollout):
        time.sleep(CHECK_INTERVAL_SECONDS)
        rollout = server.get(f"rollouts/{rollout['id']}/")
        for one in rollout["hosts"]:
            if seen.get(one["host"]) != one["step"] and not options.json:
                print(_host_line(one), flush=True)
            seen[one["host"]] = one["step"]
    if options.watch:
        show(options, rollout, [_summary(rollout)])
    return NOT_WELL if rollout["counts"].get("went back") else WELL


def _is_open(rollout: dict[str, Any]) -> bool:
    is_approved = rollout["state"] not in ("waiting for approval", "turned down")
    return is_approved and any(one["step"] in UNFINISHED for one in rollout["hosts"])


def _lines(rollout: dict[str, Any]) -> Iterator[str]:
    yield _summary(rollout)
    for one in rollout["hosts"]:
        yield _host_line(one)


def _summary(rollout: dict[str, Any]) -> str:
    counts = ", ".join(f"{number} {step}" for step, number in rollout["counts"].items())
    to = f"to {rollout['version']}" if rollout["version"] else f"back from rollout {rollout['undoes']}"
    return f"Rollout {rollout['id']} {to}: {rollout['state']}. {counts}. {rollout['reason']}".rstrip()


def _host_line(one: dict[str, Any]) -> str:
    wave = f"wave {one['wave']}" if one["wave"] else "canary"
    return f"  {one['host']} ({wave}): {one['step']}. {one['detail']}".rstrip()
