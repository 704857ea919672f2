"""``paddock``: the server's command, and what people use at a terminal to send jobs and ask about them.

Exit codes: 0 done; 1 an error, printed; 2 the command line is wrong.
"""

from __future__ import annotations

import argparse
import getpass
import os
import socket
import sys
from collections.abc import Sequence
from pathlib import Path

import shtab

from . import __version__
from .settings_file import SettingsInvalid, apply_settings_file, listed, value_of
from .terminal.commands import add_commands, run
from .terminal.output import output_options, show

NO_PASSWORD_YET = " (has not set a password yet)"


def _until_nobody_reads(options: argparse.Namespace) -> int:
    """Runs a command whose output a person may cut short, as with ``head``."""
    try:
        code: int = run(options)
        sys.stdout.flush()
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())  # the interpreter flushes once more
        return 1
    return code


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs one command and returns the exit code."""
    mistakes = ""
    try:
        apply_settings_file()  # before the parser, whose defaults are settings
    except SettingsInvalid as error:
        mistakes = str(error)
    options = _parser().parse_args(arguments)
    if mistakes and not hasattr(options, "remote"):
        print(mistakes, file=sys.stderr)
        return 1
    if hasattr(options, "remote"):
        return _until_nobody_reads(options)
    if hasattr(options, "of_system"):  # as root: nothing of the server's own is touched by that account
        code_of_system: int = options.of_system(options)
        return code_of_system
    os.umask(0o077)  # keys, database and logs are for this account alone
    import django
    from django.conf import settings

    # Not a default: whoever works on another Django project may have its settings named in the environment.
    if not settings.configured:
        os.environ["DJANGO_SETTINGS_MODULE"] = "paddock_server.settings"
    django.setup()
    from .errors import ActionError
    from .storage.migrate import DatabaseRefused, demand_current

    try:
        if options.command not in AS_IT_IS:
            demand_current()
        code: int = options.command(options)
        return code
    except ActionError as error:
        print(error.detail, file=sys.stderr)
    except DatabaseRefused as error:
        print(error, file=sys.stderr)
    return 1


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="paddock", description="The server of Yellow Paddock. PADDOCK_DATA names the folder that it keeps."
    )
    parser.add_argument("--version", action="version", version=f"Yellow Paddock {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    printing = output_options()

    one = commands.add_parser("serve", help="run the server")
    one.add_argument("--bind", default=value_of("bind"), help="the address to listen at (default: this machine only)")
    one.add_argument("--port", type=int, help="default: that of the settings")
    one.set_defaults(command=_serve)

    one = commands.add_parser("config", parents=[printing], help="list the settings, and where each comes from")
    one.set_defaults(of_system=_config)

    one = commands.add_parser("completion", help="print a script with which a shell completes this command")
    one.add_argument("shell", choices=shtab.SUPPORTED_SHELLS)
    one.set_defaults(of_system=_completion)

    one = commands.add_parser("setup", help="as root: make the server a service of systemd, or remove the service")
    one.add_argument("--name", default=socket.getfqdn(), help="the server's name for people (default: this machine's)")
    one.add_argument("--bind", default="127.0.0.1", help="the address to listen at (default: this machine only)")
    one.add_argument("--port", type=int, default=8200)
    one.add_argument("--data", type=Path, default=Path("/var/lib/yellow-paddock"))
    one.add_argument("--account", default="yellow-paddock", help="the system account that runs it")
    one.add_argument("--administrator", default="harbourmaster", help="the first administrator, if there is none yet")
    one.add_argument(
        "--certificate", type=Path, help="for TLS of its own: the certificate, then its authorities, in PEM"
    )
    one.add_argument("--certificate-key", type=Path, help="the key of the certificate, which the account may read")
    one.add_argument("--proxy", action="append", default=[], help="a reverse proxy's address or network; repeatable")
    one.add_argument("--url", default="", help="with a proxy: the address for people, which may have a path")
    one.add_argument("--dry-run", action="store_true", help="only say what would be done")
    one.add_argument("--remove", action="store_true", help="remove the service; the data stays")
    one.add_argument("--with-data", action="store_true", help="with --remove: the data and the account as well")
    one.set_defaults(of_system=_setup)

    one = commands.add_parser("administrators", parents=[printing], help="list the administrators for everything")
    one.set_defaults(command=_administrators)

    one = commands.add_parser("add-agent", help="let the server hold another version of the agent, from its packages")
    one.add_argument("files", nargs="+", type=Path, metavar="WHEEL", help="the agent's wheel, and others that it needs")
    one.set_defaults(command=_add_agent)

    one = commands.add_parser("migrate", help="upgrade the database of a stopped server, after a copy of it")
    one.set_defaults(command=_migrate)

    one = commands.add_parser(
        "backup", parents=[printing], help="back up the server's data, while it runs as well, into a new folder of DIR"
    )
    one.add_argument("target", type=Path, metavar="DIR")
    one.add_argument("--keep", type=int, default=0, help="how many backups stay in DIR (default: all)")
    one.add_argument(
        "--without-keys", action="store_true",
        help="leave the server's keys out; else they are encrypted to PADDOCK_BACKUP_PASSPHRASE, or it is asked for",
    )  # fmt: skip
    one.set_defaults(command=_backup)

    one = commands.add_parser(
        "restore", parents=[printing], help="restore a backup while the server is stopped, or check one"
    )
    one.add_argument("backup", type=Path)
    one.add_argument("--check", action="store_true", help="only compare it with its manifest")
    one.add_argument("--replace", action="store_true", help="move what is in the data folder aside first")
    one.add_argument("--without-keys", action="store_true", help="leave the keys as they are in the data folder")
    one.set_defaults(command=_restore)

    one = commands.add_parser(
        "token", parents=[printing], help="make a token with which a program acts for a person; it is shown once"
    )
    one.add_argument("--user", required=True)
    one.add_argument("--name", default="command line", help="what it is for")
    one.add_argument("--scope", choices=["read", "jobs", "operate", "all"], default="all")
    one.add_argument("--days", type=int, default=90, help="after how many days it ends (default: 90)")
    one.set_defaults(command=_token)

    one = commands.add_parser("user", help="add a person; asks for the password, or takes it from PADDOCK_PASSWORD")
    one.add_argument("name")
    one.add_argument("--role", choices=["viewer", "operator", "administrator"], default="viewer")
    one.add_argument("--paddock", help="only for this paddock (default: for everything)")
    one.set_defaults(command=_user)

    one = commands.add_parser(
        "rescue",
        help="make a person administrator, and print a one-time link to log in; for when no administrator can log in",
    )
    one.add_argument("name")
    one.add_argument("--url", default=value_of("url"), help="the server's address, for the link")
    one.set_defaults(command=_rescue)

    one = commands.add_parser("history", help="take over links and readings that were recorded elsewhere, from a file")
    one.add_argument("file", type=Path, help="JSON; docs/health.md says how it is made up")
    one.add_argument(
        "--runs", metavar="ORIGIN", help="the file has runs of jobs, one JSON object per line; ORIGIN names where from"
    )
    one.set_defaults(command=_history)

    add_commands(commands)
    return parser


def _history(options: argparse.Namespace) -> int:
    from .health.actions.load_history import load_history
    from .people.actor import COMMAND_LINE

    if options.runs:
        from .planning.history_file import import_runs

        print(import_runs(COMMAND_LINE, options.runs, options.file))
        return 0
    print(load_history(COMMAND_LINE, options.file.read_bytes()))
    return 0


def _serve(options: argparse.Namespace) -> int:
    from .serve import serve

    return serve(options.bind, options.port or int(value_of("port")))


def _config(options: argparse.Namespace) -> int:
    found = [{"name": name, "value": value, "source": source} for name, value, source in listed()]
    show(options, found, (f"{one['name']} = {one['value'] or '-'}    ({one['source']})" for one in found))
    return 0


def _completion(options: argparse.Namespace) -> int:
    print(shtab.complete(_parser(), options.shell))
    return 0


def _setup(options: argparse.Namespace) -> int:
    from .service_setup.run import SetupFailed, set_up, take_away
    from .service_setup.unit import SetupInvalid, Wanted

    program = Path(sys.argv[0]).absolute()
    wanted = Wanted(
        options.name, program, options.bind, options.port, options.account, options.data, options.administrator,
        options.certificate, options.certificate_key, tuple(options.proxy), options.url,
    )  # fmt: skip
    try:
        if options.remove:
            take_away(wanted, with_data=options.with_data, dry_run=options.dry_run, say=print)
        else:
            set_up(wanted, dry_run=options.dry_run, say=print)
    except (SetupInvalid, SetupFailed) as error:
        print(error, file=sys.stderr)
        return 1
    return 0


def _administrators(options: argparse.Namespace) -> int:
    from .people.administrators import lasting_administrators

    found = [
        {"name": user.get_username(), "has_password": user.has_usable_password()}
        for user in lasting_administrators().order_by("username")
    ]
    show(options, found, (f"{one['name']}{'' if one['has_password'] else NO_PASSWORD_YET}" for one in found))
    return 0


def _add_agent(options: argparse.Namespace) -> int:
    from .install.versions import add_files, checked_files, held_versions

    add_files(checked_files(options.files))
    print(f"This server holds the agents {', '.join(one.version for one in held_versions())}.")
    return 0


def _migrate(options: argparse.Namespace) -> int:
    from .serve import upgrade

    return upgrade()


def _passphrase(*, twice: bool) -> str:
    given = os.environ.get("PADDOCK_BACKUP_PASSPHRASE") or getpass.getpass("Passphrase of the backup: ")
    if twice and "PADDOCK_BACKUP_PASSPHRASE" not in os.environ and getpass.getpass("Once more: ") != given:
        raise SystemExit("The two passphrases differ.")
    return given


def _backup(options: argparse.Namespace) -> int:
    from django.conf import settings

    from .backup.make import BackupFailed, make_backup

    passphrase = "" if options.without_keys else _passphrase(twice=True)
    try:
        made = make_backup(Path(settings.DATA), options.target, passphrase=passphrase, keep=options.keep)
    except BackupFailed as error:
        print(error, file=sys.stderr)
        return 1
    show(options, {"backup": made}, [str(made)])
    return 0


def _restore(options: argparse.Namespace) -> int:
    from django.conf import settings

    from .backup.restore import RestoreFailed, check_backup, restore
    from .data_folder import FolderInUse, locked

    data = Path(settings.DATA)
    try:
        manifest = check_backup(options.backup)
        passphrase = _passphrase(twice=False) if manifest.has_keys and not options.without_keys else ""
        if options.check:
            check_backup(options.backup, passphrase)
            line = f"{options.backup} is whole: {len(manifest.files)} files of {manifest.made_at}."
            show(options, {"files": len(manifest.files), "made_at": manifest.made_at}, [line])
            return 0
        with locked(data):
            aside = restore(options.backup, data, passphrase=passphrase, replace=options.replace)
    except (RestoreFailed, FolderInUse) as error:
        print(error, file=sys.stderr)
        return 1
    line = f"Restored into {data}." + (f" What was there before is in {aside}." if aside else "")
    show(options, {"restored_into": data, "moved_aside_to": aside}, [line])
    return 0


def _token(options: argparse.Namespace) -> int:
    from paddock_core.access.roles import Scope

    from .people.actions.make_token import make_token
    from .people.actor import COMMAND_LINE

    token, shown_once = make_token(COMMAND_LINE, options.user, options.name, Scope(options.scope), (), options.days)
    show(options, {"id": token.pk, "token": shown_once, "ends_at": token.ends_at}, [shown_once])
    return 0


def _rescue(options: argparse.Namespace) -> int:
    from .access.actions.rescue import rescue
    from .people.actor import COMMAND_LINE

    link = rescue(COMMAND_LINE, options.name)
    address = (options.url or f"http://127.0.0.1:{value_of('port')}").rstrip("/")
    print(f"{options.name} is administrator for everything. This link sets a password. It works once:")
    print(f"{address}/welcome#{link}")
    return 0


def _user(options: argparse.Namespace) -> int:
    from .access.actions.add_user import add_user
    from .hosts.queries import paddock_called
    from .people.actor import COMMAND_LINE
    from .people.models import Role

    paddock = paddock_called(COMMAND_LINE, options.paddock) if options.paddock else None
    password = os.environ.get("PADDOCK_PASSWORD") or getpass.getpass(f"Password for {options.name}: ")
    add_user(COMMAND_LINE, options.name, password, Role(options.role), paddock)
    print(f"{options.name} is {options.role}{f' in {paddock.name}' if paddock else ''}.")
    return 0


AS_IT_IS = {_serve, _migrate, _backup, _restore}
"""Commands that begin with the database as it is: they upgrade it themselves, or only copy files."""
