"""``paddock-agent``: the agent's command on a host.

Exit codes: 0 done; 1 something went wrong, and was said; 2 the command line is wrong; 3 the server refused the pass;
4 no server at the address; 5 not joined yet; 6 the server knows the key no longer.
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import logging
import os
import signal
import sys
from collections.abc import Sequence
from pathlib import Path

import msgspec

from . import __version__, identity, keeping, wire
from .agent import Agent
from .errors import AgentError, Dismissed, JoinRefused, NotJoined, Unreachable
from .facts import gather_facts
from .join import clean_address, join, leave
from .services import diagnose
from .survey import survey
from .system.real import RealSystem

EXIT_CODES: dict[type[AgentError], int] = {JoinRefused: 3, Unreachable: 4, NotJoined: 5, Dismissed: 6}


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs one command and returns the exit code."""
    options = _parser().parse_args(arguments)
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(message)s", stream=sys.stderr)
    logging.getLogger("websockets").setLevel(logging.WARNING)
    try:
        code: int = options.command(options)
        return code
    except AgentError as error:
        print(error, file=sys.stderr)
        return EXIT_CODES.get(type(error), 1)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="paddock-agent", description="The agent of Yellow Paddock, for build hosts.")
    parser.add_argument("--version", action="version", version=__version__)
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    home = argparse.ArgumentParser(add_help=False)
    home.add_argument(
        "--home", type=Path, help="the agent's own folder (default: PADDOCK_AGENT_HOME, or the user's data folder)"
    )

    one = commands.add_parser("join", parents=[home], help="ask a server to let this machine join")
    one.add_argument(
        "--server", default=os.environ.get("PADDOCK_SERVER"), help="as http://paddock:8200 (or PADDOCK_SERVER)"
    )
    one.add_argument(
        "--pass",
        dest="secret",
        default=os.environ.get("PADDOCK_PASS"),
        help="the entry pass; PADDOCK_PASS keeps it out of the list of processes, and - reads it from standard input",
    )
    one.add_argument("--name", default="", help="the host's name (default: the machine's own)")
    one.add_argument("--labels", default="", help="labels, with commas between them")
    one.add_argument("--slots", type=int, default=0, help="jobs at a time (default: by cores and memory)")
    one.add_argument("--work", help="the folder in which jobs run (default: work in the agent's own folder)")
    one.add_argument("--again", action="store_true", help="join anew although this machine has a key already")
    one.set_defaults(command=_join)

    one = commands.add_parser("run", parents=[home], help="connect and work until stopped")
    one.set_defaults(command=_run)

    service = commands.add_parser("service", help="have the agent kept running by this machine's service manager")
    verbs = service.add_subparsers(required=True, metavar="VERB")
    one = verbs.add_parser("install", parents=[home], help="set the service up and start it (needs root)")
    one.add_argument("--user", default=os.environ.get("PADDOCK_USER", keeping.OWN_ACCOUNT), help="its account")
    one.add_argument("--no-start", action="store_true", help="set it up only")
    one.set_defaults(command=_service_install)
    for verb, what in (("start", "start it"), ("stop", "stop it"), ("restart", "stop and start it")):
        one = verbs.add_parser(verb, parents=[home], help=f"{what} (needs root)")
        one.set_defaults(command=_service_verb, verb=verb)
    one = verbs.add_parser("status", parents=[home], help="say how it is, and what to do if it is not well")
    one.set_defaults(command=_service_status)
    one = verbs.add_parser("uninstall", parents=[home], help="take it out; the agent's folder stays (needs root)")
    one.set_defaults(command=_service_uninstall)

    one = commands.add_parser("leave", parents=[home], help="leave the server: service, key and folder are removed")
    one.set_defaults(command=_leave)

    one = commands.add_parser("survey", help="show what the survey finds on this machine; needs no server")
    one.set_defaults(command=_survey)
    return parser


def _join(options: argparse.Namespace) -> int:
    home = options.home or identity.default_home()
    if not options.server or not options.secret:
        missing = "--server URL" if not options.server else "--pass SECRET"
        print(f"paddock-agent join needs {missing}.", file=sys.stderr)
        return 2
    if (home / identity.FILE).exists() and not options.again:
        known = identity.load(home)
        print(
            f"This machine has joined {known.server} as {known.host} already. `paddock-agent run` connects it; "
            "to join anew, add --again.",
            file=sys.stderr,
        )
        return 1
    given = sys.stdin.read() if options.secret == "-" else options.secret
    secret = given.strip()
    if secret != given and options.secret != "-":
        print("The pass had spaces round it; they were left out.", file=sys.stderr)
    server = clean_address(options.server)
    work_folder = str(Path(options.work).absolute() if options.work else (home / "work").absolute())
    facts = asyncio.run(gather_facts(RealSystem(), work_folder))
    labels = [label.strip() for label in options.labels.split(",") if label.strip()]
    answer = join(server, wire.JoinRequest(secret, facts, options.name.strip(), labels, options.slots))
    identity.save(home, identity.Identity(server, answer.key, answer.host, answer.paddock, work_folder))
    where = "admitted" if answer.admitted else "at the gate: somebody has to let it in"
    print(f"Joined {answer.paddock} as {answer.host}, {where}. Next: paddock-agent run")
    return 0


def _run(options: argparse.Namespace) -> int:
    home = options.home or identity.default_home()
    # Scripts inherit this environment: a pass that was given in it goes no further.
    os.environ.pop("PADDOCK_PASS", None)

    async def work() -> None:
        agent = Agent(RealSystem(), identity.load(home), home)
        loop = asyncio.get_running_loop()
        for number in (signal.SIGINT, signal.SIGTERM):
            with contextlib.suppress(NotImplementedError):
                loop.add_signal_handler(number, agent.stop)
        await agent.run()

    asyncio.run(work())
    return 0


def _service_install(options: argparse.Namespace) -> int:
    home = (options.home or identity.default_home()).absolute()
    known = identity.load(home)
    found = asyncio.run(keeping.install(RealSystem(), known, home, options.user.strip(), not options.no_start))
    print(f"{keeping.service_name(known)}: {found.sentence}")
    return 0 if found.is_well or options.no_start else 1


def _service_verb(options: argparse.Namespace) -> int:
    keeping.demand_rights(RealSystem(), "This")
    name = keeping.service_name(identity.load(options.home or identity.default_home()))

    async def work() -> None:
        await getattr(keeping.manager_of(RealSystem()), options.verb)(name)

    asyncio.run(work())
    return 0 if options.verb == "stop" else _service_status(options)


def _service_status(options: argparse.Namespace) -> int:
    name = keeping.service_name(identity.load(options.home or identity.default_home()))
    state = asyncio.run(keeping.manager_of(RealSystem()).state(name))
    print(f"{name}: {keeping.described(state)}")
    return 0 if diagnose(state).is_well else 1


def _service_uninstall(options: argparse.Namespace) -> int:
    asyncio.run(keeping.remove(RealSystem(), identity.load(options.home or identity.default_home())))
    return 0


def _leave(options: argparse.Namespace) -> int:
    home = options.home or identity.default_home()
    known = identity.load(home)
    asyncio.run(keeping.remove(RealSystem(), known))
    left = leave(known.server, known.key)
    kept = keeping.remove_files(home, known)
    print(f"{known.host} has left {known.server}.{'' if left else ' The server knew its key no longer.'}")
    for path in kept:
        print(f"  could not be removed: {path}", file=sys.stderr)
    return 1 if kept else 0


def _survey(options: argparse.Namespace) -> int:
    result = asyncio.run(survey(RealSystem()))
    shown = {"installations": result.installations, "broken": result.broken, "took": round(result.took, 2)}
    sys.stdout.write(msgspec.json.format(msgspec.json.encode(shown), indent=2).decode() + "\n")
    return 0
