"""``paddock people``, ``roles`` and ``tokens``."""

from __future__ import annotations

import argparse
from datetime import UTC, datetime, timedelta
from typing import Any
from urllib.parse import quote

from .client import Refused, Server

ROLES = ["viewer", "operator", "administrator"]
EVERYWHERE = "everything"


def add_people_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Adds them to the parser of ``paddock``."""
    one = commands.add_parser("people", help="list people; invite, disable, enable, reset or delete one")
    acts = one.add_subparsers(required=True, metavar="ACT")
    act = acts.add_parser("list", parents=[shared], help="who may do what where")
    act.add_argument("--csv", action="store_true", help="as CSV, one line per role, for a review of access")
    act.set_defaults(remote=list_people)
    act = acts.add_parser("invite", parents=[shared], help="add a person; prints a one-time link, once")
    act.add_argument("name")
    act.add_argument("--role", choices=ROLES, default="viewer")
    act.add_argument("--paddock", help="only for this paddock (default: for everything)")
    act.add_argument("--hours", type=int, default=72, help="for which the link is good (default: 72)")
    act.set_defaults(remote=invite)
    for verb, help_text in (
        ("disable", "shut an account out: sessions, feeds, downloads and tokens end at once"),
        ("enable", "let an account in again"),
        ("delete", "delete an account that no record names"),
    ):
        act = acts.add_parser(verb, parents=[shared], help=help_text)
        act.add_argument("name")
        act.set_defaults(remote=change_person, verb=verb)
    act = acts.add_parser("reset", parents=[shared], help="end a password, and print a one-time link to set a new one")
    act.add_argument("name")
    act.add_argument("--passkeys-too", action="store_true", help="end the second factor as well")
    act.set_defaults(remote=reset)

    one = commands.add_parser("roles", help="list, give or take back the roles of an account")
    acts = one.add_subparsers(required=True, metavar="ACT")
    act = acts.add_parser("list", parents=[shared], help="the roles of an account")
    act.add_argument("name")
    act.set_defaults(remote=list_roles)
    act = acts.add_parser("give", parents=[shared], help="give a role, or change it")
    act.add_argument("name")
    act.add_argument("role", choices=ROLES)
    act.add_argument("--paddock", default="", help="only for this paddock (default: for everything)")
    act.add_argument("--days", type=int, help="after which it ends (default: never)")
    act.set_defaults(remote=set_role)
    act = acts.add_parser("take", parents=[shared], help="take a role back")
    act.add_argument("name")
    act.add_argument("--paddock", default="", help="that of this paddock (default: that for everything)")
    act.set_defaults(remote=set_role, role=None, days=None)

    one = commands.add_parser("tokens", help="list, make or revoke tokens")
    acts = one.add_subparsers(required=True, metavar="ACT")
    act = acts.add_parser("list", parents=[shared], help="your tokens and those of your service accounts")
    act.set_defaults(remote=list_tokens)
    act = acts.add_parser("make", parents=[shared], help="make a token for a service account; it is printed once")
    act.add_argument("name", help="what the token is for")
    act.add_argument("--account", required=True, help="the service account that it acts as")
    act.add_argument("--scope", choices=["read", "jobs", "operate", "all"], default="read")
    act.add_argument("--paddock", action="append", default=[], help="only for this paddock; may be repeated")
    act.add_argument("--days", type=int, default=90, help="after which it ends (default: 90)")
    act.set_defaults(remote=make_token)
    act = acts.add_parser("revoke", parents=[shared], help="end a token")
    act.add_argument("number", type=int, help="as `paddock tokens list` prints it")
    act.set_defaults(remote=revoke_token)


def list_people(options: argparse.Namespace, server: Server) -> int:
    if options.csv:
        print(server.text("people-review/", raises=True), end="")
        return 0
    for one in server.get("people/")["people"]:
        roles = ", ".join(_role(held) for held in one["roles"]) or "no role"
        seen = f"last seen {one['last_seen_at'][:10]}" if one["last_seen_at"] else "never seen"
        print(f"{one['name']}  {one['kind']}, {one['state']}, {seen}: {roles}")
    return 0


def invite(options: argparse.Namespace, server: Server) -> int:
    body = {"name": options.name, "role": options.role, "paddock": options.paddock, "hours": options.hours}
    _print_link(server.post("people/", body))
    return 0


def reset(options: argparse.Namespace, server: Server) -> int:
    _print_link(server.post(f"{_path(options.name)}reset/", {"passkeys_too": options.passkeys_too}))
    return 0


def change_person(options: argparse.Namespace, server: Server) -> int:
    if options.verb == "delete":
        server.delete(_path(options.name))
    else:
        server.post(f"{_path(options.name)}{options.verb}/")
    print(f"{options.name} is {options.verb}d.")
    return 0


def list_roles(options: argparse.Namespace, server: Server) -> int:
    for held in server.get(_path(options.name))["roles"]:
        used = f", last used {held['last_used_at'][:10]}" if held["last_used_at"] else ", never used"
        print(_role(held) + used)
    return 0


def set_role(options: argparse.Namespace, server: Server) -> int:
    held = server.get(_path(options.name))["roles"]
    own = [one["role"] for one in held if one["paddock"] == options.paddock and not one["by_provider"]]
    ends_at = None
    if options.days is not None:
        ends_at = (datetime.now(UTC) + timedelta(days=options.days)).isoformat()
    body = {
        "paddock": options.paddock,
        "role": options.role,
        "was": max(own, key=ROLES.index, default=None),
        "ends_at": ends_at,
    }
    server.put(f"{_path(options.name)}role/", body)
    print(f"{options.name} is {options.role or 'without a role'} in {options.paddock or EVERYWHERE} now.")
    return 0


def list_tokens(options: argparse.Namespace, server: Server) -> int:
    for one in server.get("tokens/"):
        state = f"ends {one['ends_at'][:10]}" if one["ends_at"] else "never ends"
        state = f"revoked {one['revoked_at'][:10]}" if one["revoked_at"] else state
        used = f"last used {one['last_used_at'][:10]} from {one['last_used_from']}" if one["last_used_at"] else "unused"
        where = ", ".join(one["paddocks"]) or "all paddocks"
        print(f"{one['id']:5}  {one['account']}: {one['name']} ({one['scope']}, {where}), {state}, {used}")
    return 0


def make_token(options: argparse.Namespace, server: Server) -> int:
    body = {
        "account": options.account, "name": options.name, "scope": options.scope, "paddocks": options.paddock,
        "days": options.days,
    }  # fmt: skip
    print(server.post("tokens/", body)["token"])
    return 0


def revoke_token(options: argparse.Namespace, server: Server) -> int:
    server.post(f"tokens/{options.number}/revoke/")
    print(f"Token {options.number} is revoked.")
    return 0


def _path(name: str) -> str:
    if not name.strip():
        raise Refused("Name the account.")
    return f"people/{quote(name, safe='')}/"


def _role(held: dict[str, Any]) -> str:
    until = f" until {held['ends_at'][:10]}" if held["ends_at"] else ""
    by = f" by {held['by_provider']}" if held["by_provider"] else ""
    return f"{held['role']} in {held['paddock'] or EVERYWHERE}{until}{by}"


def _print_link(made: dict[str, Any]) -> None:
    print(f"Send this link to {made['name']}. It works once, until {made['ends_at'][:16].replace('T', ' ')} UTC:")
    print(made["link"])
