"""``paddock-agent``: the agent's command on a host.

Exit codes: 0 done; 1 a printed error, or a check found something missing; 2 the command line is
wrong; 3 the server refused the pass; 4 no server at the address, or one that is not trusted; 5 not joined yet; 6 the
server no longer knows the key; 75 the server asked for a restart, and the service restarts the agent.

Every question is an option or an environment variable; what is missing is asked for on a terminal, and only there.
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import getpass
import logging
import os
import signal
import sys
from collections.abc import Callable, Coroutine, Sequence
from pathlib import Path
from typing import TypeVar

import msgspec

from . import __version__, agent_service, identity, power, watch, wire
from .address import clean_address
from .agent import Agent
from .doctor import command as doctor
from .doctor.note import FILE as NOTE
from .doctor.note import read_note
from .environment import adopted
from .errors import AgentError, Dismissed, JoinRefused, NotJoined, Unreachable, Untrusted
from .facts import gather_facts
from .join import join, leave
from .last_words import LastWords, note_end
from .preflight import __main__ as preflight_command
from .preflight import plan as preflight_plan
from .probes import Probes
from .services import ServiceManager, diagnose
from .steps import Reporter
from .survey import survey
from .system.real import RealSystem
from .upgrade import command as upgrades

RESTART_VARIABLE = "PADDOCK_AGENT_RESTARTED"
T = TypeVar("T")

EXIT_CODES: dict[type[AgentError], int] = {JoinRefused: 3, Unreachable: 4, Untrusted: 4, NotJoined: 5, Dismissed: 6}
RESTART = 75
"""EX_TEMPFAIL: the service manager starts the agent again after it."""


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs one command and returns the exit code."""
    options = _parser().parse_args(arguments)
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(message)s", stream=sys.stderr)
    logging.getLogger("websockets").setLevel(logging.WARNING)
    try:
        return _as_exit_code(lambda: _carry_out(options))
    except (KeyboardInterrupt, EOFError):
        return 130


def _carry_out(options: argparse.Namespace) -> int:
    if of_service := getattr(options, "of_service", ""):
        options.home = options.home or Path(doctor.home_of(of_service))
    return int(options.command(options))


def _as_exit_code(work: Callable[[], int]) -> int:
    """What ``work`` returns, or says and has as its code when it fails."""
    try:
        return work()
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
    home.add_argument(
        "--service", dest="of_service", default="", help="the agent with this service, where several run here"
    )

    one = commands.add_parser("preflight", help="check this machine for what an agent needs; changes nothing")
    preflight_plan.add_options(one, os.environ)
    one.add_argument("--json", action="store_true", help="print for machines")
    one.set_defaults(command=preflight_command.run)

    one = commands.add_parser("join", parents=[home], help="ask a server to let this machine join")
    given = os.environ.get
    one.add_argument("--server", default=given("PADDOCK_SERVER", ""), help="as http://paddock:8200 (PADDOCK_SERVER)")
    one.add_argument(
        "--pass",
        dest="secret",
        default=given("PADDOCK_PASS", ""),
        help="the entry pass; PADDOCK_PASS keeps it out of the list of processes, and - reads it from standard input",
    )
    one.add_argument("--name", default=given("PADDOCK_NAME", ""), help="default: the machine's own (PADDOCK_NAME)")
    one.add_argument("--labels", default=given("PADDOCK_LABELS", ""), help="with commas between them (PADDOCK_LABELS)")
    one.add_argument(
        "--slots", type=int, default=int(given("PADDOCK_SLOTS") or 0), help="jobs at a time (PADDOCK_SLOTS)"
    )
    one.add_argument("--work", default=given("PADDOCK_WORK", ""), help="the folder in which jobs run (PADDOCK_WORK)")
    one.add_argument("--sheet", default=given("PADDOCK_SHEET", ""), help="the bring-up sheet's code (PADDOCK_SHEET)")
    one.add_argument("--again", action="store_true", help="join again although this machine already has a key")
    one.set_defaults(command=_join)

    one = commands.add_parser("run", parents=[home], help="connect and work until stopped")
    one.set_defaults(command=_run)

    service = commands.add_parser("service", help="have the agent kept running by this machine's service manager")
    verbs = service.add_subparsers(required=True, metavar="VERB")
    one = verbs.add_parser("install", parents=[home], help="set the service up and start it (needs root)")
    one.add_argument("--user", default=given("PADDOCK_USER", ""), help="its account (PADDOCK_USER; default: its own)")
    one.add_argument("--at-login", action="store_true", help="start when that account logs in, not at boot (macOS)")
    one.add_argument("--ask-password", action="store_true", help="ask for the account's password (Windows)")
    one.add_argument("--sheet", default=given("PADDOCK_SHEET", ""), help="the bring-up sheet's code (PADDOCK_SHEET)")
    one.add_argument("--no-start", action="store_true", help="set it up only")
    one.add_argument("--now", action="store_true", help="do not wait for jobs that run: they are lost")
    one.set_defaults(command=_service_install)
    for verb, what in (("start", "start it"), ("stop", "stop it"), ("restart", "stop and start it")):
        one = verbs.add_parser(verb, parents=[home], help=f"{what} (needs root)")
        one.set_defaults(command=_service_verb, verb=verb)
    one = verbs.add_parser("status", parents=[home], help="say how it is, and what to do if it is not well")
    one.set_defaults(command=_service_status)
    one = verbs.add_parser("uninstall", parents=[home], help="take it out; the agent's folder stays (needs root)")
    one.set_defaults(command=_service_uninstall)

    one = commands.add_parser("watch", help="the small separate unit that says how the agent's service is")
    verbs = one.add_subparsers(required=True, metavar="VERB")
    one = verbs.add_parser("install", parents=[home], help="set it up (needs root; a service gets it by itself)")
    one.set_defaults(command=_watch_install)
    one = verbs.add_parser("report", parents=[home], help="send one report now and print it (needs root)")
    one.add_argument("--folder", default="", help=argparse.SUPPRESS)
    one.set_defaults(command=_watch_report)
    one = verbs.add_parser("uninstall", parents=[home], help="take it out (needs root)")
    one.set_defaults(command=_watch_uninstall)
    one = verbs.add_parser("renew", help="replace its program by that of this version, if that can report (needs root)")
    one.add_argument("--folder", required=True)
    one.set_defaults(command=_watch_renew)

    one = verbs.add_parser("power-down")  # for the watch, which has an order for it
    one.add_argument("--folder", required=True)
    one.set_defaults(command=_watch_power_down)

    one = commands.add_parser("doctor", help="say what keeps the agent from working, and what mends it (needs root)")
    doctor.add_options(one, "")
    one.set_defaults(command=doctor.run_doctor)
    one = commands.add_parser("repair", help="mend unit, program and folders; key, name and account stay (needs root)")
    doctor.add_options(one, "", repair=True)
    one.set_defaults(command=doctor.run_repair)

    upgrades.add_commands(commands, home)
    for name in ("upgrade", "rollback"):
        commands.choices[name].set_defaults(command=_upgrading)

    one = commands.add_parser("leave", parents=[home], help="leave the server: service, key and folder are removed")
    one.add_argument("--anyway", action="store_true", help="also where the server does not answer any more")
    one.set_defaults(command=_leave)

    one = commands.add_parser(
        "survey", parents=[home], help="show what the survey finds on this machine; needs no server"
    )
    one.set_defaults(command=_survey)

    one = commands.add_parser("probes", parents=[home], help="say whose definitions of tools this host takes")
    choice = one.add_mutually_exclusive_group()
    choice.add_argument(
        "--only-built-in", action="store_true", help="take none from the server, from the next start on"
    )
    choice.add_argument("--all", action="store_true", help="take those that the server has signed")
    one.set_defaults(command=_probes)
    return parser


def _join(options: argparse.Namespace) -> int:
    home = options.home or identity.default_home()
    server = options.server or _asked("The server's address, as http://paddock:8200: ")
    given = options.secret or _asked("The entry pass: ", hidden=True)
    if not server or not given:
        missing = "--pass SECRET" if server else "--server URL"
        print(f"paddock-agent join needs {missing}.", file=sys.stderr)
        return 2
    if (home / identity.FILE).exists() and not options.again:
        known = identity.load(home)
        print(
            f"This machine has joined {known.server} as {known.host} already. `paddock-agent run` connects it; "
            "to join again, add --again.",
            file=sys.stderr,
        )
        return 1
    if given == "-":
        given = sys.stdin.read().removesuffix("\n")
    secret = given.strip()
    if secret != given:
        print("The pass had spaces or line breaks round it; they were left out.", file=sys.stderr)
    server = clean_address(server)
    work_folder = str(Path(options.work).absolute() if options.work else (home / "work").absolute())
    facts = asyncio.run(gather_facts(RealSystem(), work_folder))
    labels = [label.strip() for label in options.labels.split(",") if label.strip()]
    answer = join(
        server, wire.JoinRequest(secret, facts, options.name.strip(), labels, options.slots, options.sheet.strip())
    )
    identity.save(home, identity.Identity(server, answer.key, answer.host, answer.paddock, work_folder))
    where = "admitted" if answer.admitted else "at the gate: an administrator must admit it"
    print(f"Joined {answer.paddock} as {answer.host}, {where}. Next: paddock-agent run")
    return 0


def _home_of(named: Path | None) -> Path:
    """The folder of the agent that is meant. Raises AgentError where several agents run on this machine, none of them
    in the usual folder, and none is named: a command must not reach the wrong one."""
    if named:
        return named
    usual = identity.default_home()
    if (usual / identity.FILE).exists() or os.environ.get("PADDOCK_AGENT_HOME"):
        return usual
    others = doctor.homes_here()
    if len(others) > 1:
        raise AgentError(f"Several agents run on this machine. Name one with --home: {', '.join(others)}")
    return Path(others[0]) if others else usual


def _asked(question: str, hidden: bool = False) -> str:
    """What a person answers at a terminal; "" where there is none."""
    if not sys.stdin.isatty():
        return ""
    return getpass.getpass(question) if hidden else input(question)


def _run(options: argparse.Namespace) -> int:
    home = options.home or identity.default_home()
    # Scripts inherit this environment: a pass that was given in it goes no further.
    os.environ.pop("PADDOCK_PASS", None)

    system = RealSystem()
    if system.family == "windows" and (service := os.environ.get(agent_service.SERVICE_VARIABLE)):
        from .services.windows_run import run_as_service

        run_as_service(service, lambda: _as_exit_code(lambda: _work(system, home)), _stop_work)
        return 0
    code = _work(system, home)
    if code == RESTART and not system.kept_by():
        os.environ[RESTART_VARIABLE] = "1"
        os.execv(sys.executable, [sys.executable, "-m", "paddock_agent", *sys.argv[1:]])  # noqa: S606 - ourselves again
    return code


_stoppers: list[Callable[[], object]] = []


def _stop_work() -> None:
    for stop in _stoppers:
        stop()


def _work(system: RealSystem, home: Path) -> int:
    """Runs the agent until it is stopped. Returns RESTART if the server asked for a restart."""
    words = LastWords(home)
    logging.getLogger().addHandler(words)

    async def work() -> int:
        # One that was started by hand has the environment of the shell that it was started from.
        if system.kept_by() or os.environ.pop(RESTART_VARIABLE, ""):
            os.environ.update(adopted(system, await system.fresh_environment()))
        agent = Agent(system, identity.load(home), home, words.drain_troubles)
        loop = asyncio.get_running_loop()
        _stoppers.append(lambda: loop.call_soon_threadsafe(agent.stop))
        for number in (signal.SIGINT, signal.SIGTERM):
            with contextlib.suppress(NotImplementedError):
                loop.add_signal_handler(number, agent.stop)
        await agent.run()
        return RESTART if agent.restarts else 0

    try:
        return asyncio.run(work())
    except Exception as error:
        note_end(error)
        raise
    finally:
        logging.getLogger().removeHandler(words)


def _service_install(options: argparse.Namespace) -> int:
    home = _home_of(options.home).absolute()
    known, system = identity.load(home), RealSystem()
    secret = os.environ.pop("PADDOCK_ACCOUNT_PASSWORD", "")
    if options.ask_password:
        secret = _asked(f"The password of {options.user}: ", hidden=True)
    reporter = Reporter(known.server, options.sheet, system.hostname())
    reporter.tell("service", "begun")
    try:
        found = asyncio.run(
            agent_service.install(
                system,
                known,
                str(home),
                options.user.strip(),
                start=not options.no_start,
                at_login=options.at_login,
                secret=secret,
                now=options.now,
                say=lambda text: print(text, flush=True),
            )
        )
    except AgentError as error:
        reporter.tell("service", "failed", str(error), error.remedy)
        raise
    print(
        f"{agent_service.name_on(system, known)}: {found.sentence}", *(f"  do: {one}" for one in found.remedy), sep="\n"
    )
    _install_watch_too(system, known, home)
    well = found.is_well or options.no_start
    reporter.tell("service", "done" if well else "failed", found.sentence, () if well else found.remedy)
    return 0 if well else 1


def _install_watch_too(system: RealSystem, known: identity.Identity, home: Path) -> None:
    """The service works without its watch, so a watch that cannot be installed only gives a warning."""
    try:
        asyncio.run(agent_service.install_watch(system, known, str(home)))
    except AgentError as error:
        print(f"The watch could not be set up: {error}\n  do: paddock-agent watch install", file=sys.stderr)


def _watch_install(options: argparse.Namespace) -> int:
    home = _home_of(options.home).absolute()
    system, known = RealSystem(), identity.load(home)
    asyncio.run(agent_service.install_watch(system, known, str(home)))
    print(f"The watch of {known.host} is set up, and reports to {known.server}.")
    return 0


def _watch_report(options: argparse.Namespace) -> int:
    system = RealSystem()
    if not options.folder:
        options.folder = agent_service.watch_folder(system, identity.load(_home_of(options.home)))
    print(asyncio.run(watch.report(system, options.folder)))
    return 0


def _watch_renew(options: argparse.Namespace) -> int:
    system = RealSystem()
    agent_service.demand_rights(system, "Renewing the watch")
    system.renew_watch(options.folder)
    return 0


def _watch_power_down(options: argparse.Namespace) -> int:
    system = RealSystem()
    agent_service.demand_rights(system, "Powering this machine down")
    note = read_note(system.read_text(str(Path(options.folder, NOTE))), options.folder)
    asyncio.run(power.carry_out(system, note, options.folder))
    return 0


def _upgrading(options: argparse.Namespace) -> int:
    system = RealSystem()
    agent_service.demand_rights(system, "This")
    folder = getattr(options, "carry_out", "")
    if not folder:
        folder = agent_service.watch_folder(system, identity.load(_home_of(options.home)))
    return int(options.upgrading(system, folder, options))


def _watch_uninstall(options: argparse.Namespace) -> int:
    asyncio.run(agent_service.remove_watch(RealSystem(), identity.load(_home_of(options.home))))
    return 0


def _with_manager(home: Path | None, do: Callable[[ServiceManager, str], Coroutine[None, None, T]]) -> T:
    """Does something with the service of the agent at ``home``."""
    system = RealSystem()
    name = agent_service.name_on(system, identity.load(_home_of(home)))

    async def work() -> T:
        return await do(await agent_service.manager_at_work(system), name)

    return asyncio.run(work())


def _service_verb(options: argparse.Namespace) -> int:
    system = RealSystem()
    agent_service.demand_rights(system, "This")
    known = identity.load(_home_of(options.home))
    agent_service.mark_stopped(system, known, options.verb == "stop")
    _with_manager(options.home, lambda manager, name: getattr(manager, options.verb)(name))
    return 0 if options.verb == "stop" else _service_status(options)


def _service_status(options: argparse.Namespace) -> int:
    state = _with_manager(options.home, lambda manager, name: manager.state(name))
    print(f"{state.name}: {agent_service.described(state)}")
    return 0 if diagnose(state).is_well else 1


def _service_uninstall(options: argparse.Namespace) -> int:
    asyncio.run(agent_service.remove(RealSystem(), identity.load(_home_of(options.home))))
    return 0


def _leave(options: argparse.Namespace) -> int:
    home = _home_of(options.home)
    known = identity.load(home)
    asyncio.run(agent_service.remove(RealSystem(), known))
    try:
        server_note = "" if leave(known.server, known.key) else " The server no longer knew its key."
    except Unreachable as error:
        if not options.anyway:
            raise AgentError(f"{error} Its service is out, its key and folder are still here: --anyway.") from None
        server_note = f" The server could not be reached, and lists the host until an administrator retires it: {error}"
    kept = agent_service.remove_files(home, known)
    print(f"{known.host} has left {known.server}.{server_note}")
    for path in kept:
        print(f"  could not be removed: {path}", file=sys.stderr)
    return 1 if kept else 0


def _survey(options: argparse.Namespace) -> int:
    probes = Probes(options.home or identity.default_home())
    result = asyncio.run(survey(RealSystem(), probes.tools))
    shown = {"installations": result.installations, "broken": result.broken, "took": round(result.took, 2)}
    sys.stdout.write(msgspec.json.format(msgspec.json.encode(shown), indent=2).decode() + "\n")
    return 0


def _probes(options: argparse.Namespace) -> int:
    probes = Probes(options.home or identity.default_home())
    if options.only_built_in or options.all:
        probes.only_built_in(options.only_built_in)
    built_in_only = probes.why_only_built_in()
    print(built_in_only or "This host takes the built-in probes, and those that its server has signed.")
    print(f"{len(probes.tools)} tools" + (f", with the server's probes {probes.number}" if probes.number else ""))
    return 0
