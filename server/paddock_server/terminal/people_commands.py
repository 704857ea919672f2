"""``paddock people``, ``roles`` and ``tokens``."""

from __future__ import annotations

import argparse
from datetime import UTC, datetime, timedelta
from typing import Any
from urllib.parse import quote

from .client import Refused, Server
from .output import show

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
    people = server.get("people/")["people"]
    show(options, people, map(_person_line, people))
    return 0


def _person_line(person: dict[str, Any]) -> str:
    roles = ", ".join(_role(held) for held in person["roles"]) or "no role"
    seen = f"last seen {person['last_seen_at'][:10]}" if person["last_seen_at"] else "never seen"
    return f"{person['name']}  {person['kind']}, {person['state']}, {seen}: {roles}"


def invite(options: argparse.Namespace, server: Server) -> int:
    body = {"name": options.name, "role": options.role, "paddock": options.paddock, "hours": options.hours}
    _show_link(options, server.post("people/", body))
    return 0


def reset(options: argparse.Namespace, server: Server) -> int:
    _show_link(options, server.post(f"{_path(options.name)}reset/", {"passkeys_too": options.passkeys_too}))
    return 0


def change_person(options: argparse.Namespace, server: Server) -> int:
    if options.verb == "delete":
        server.delete(_path(options.name))
    else:
        server.post(f"{_path(options.name)}{options.verb}/")
    show(options, {"name": options.name, "done": options.verb}, [f"{options.name} is {options.verb}d."])
    return 0


def list_roles(options: argparse.Namespace, server: Server) -> int:
    roles = server.get(_path(options.name))["roles"]
    show(options, roles, (f"{_role(held)}, {_last_used(held)}" for held in roles))
    return 0


def _last_used(held: dict[str, Any]) -> str:
    return f"last used {held['last_used_at'][:10]}" if held["last_used_at"] else "never used"


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
    line = f"{options.name} is {options.role or 'without a role'} in {options.paddock or EVERYWHERE} now."
    show(options, {"name": options.name, "role": options.role, "paddock": options.paddock}, [line])
    return 0


def list_tokens(options: argparse.Namespace, server: Server) -> int:
    tokens = server.rows("tokens/")
    show(options, tokens, map(_token_line, tokens))
    return 0


def _token_line(token: dict[str, Any]) -> str:
    state = f"ends {token['ends_at'][:10]}" if token["ends_at"] else "never ends"
    state = f"revoked {token['revoked_at'][:10]}" if token["revoked_at"] else state
    used = f"{_last_used(token)} from {token['last_used_from']}" if token["last_used_at"] else "unused"
    where = ", ".join(token["paddocks"]) or "all paddocks"
    return f"{token['id']:5}  {token['account']}: {token['name']} ({token['scope']}, {where}), {state}, {used}"


def make_token(options: argparse.Namespace, server: Server) -> int:
    body = {
        "account": options.account, "name": options.name, "scope": options.scope, "paddocks": options.paddock,
        "days": options.days,
    }  # fmt: skip
    made = server.post("tokens/", body)
    show(options, made, [made["token"]])
    return 0


def revoke_token(options: argparse.Namespace, server: Server) -> int:
    server.post(f"tokens/{options.number}/revoke/")
    show(options, {"id": options.number, "done": "revoke"}, [f"Token {options.number} is revoked."])
    return 0


def _path(name: str) -> str:
    if not name.strip():
        raise Refused("Name the account.")
    return f"people/{quote(name, safe='')}/"


def _role(held: dict[str, Any]) -> str:
    until = f" until {held['ends_at'][:10]}" if held["ends_at"] else ""
    by = f" by {held['by_provider']}" if held["by_provider"] else ""
    return f"{held['role']} in {held['paddock'] or EVERYWHERE}{until}{by}"


def _show_link(options: argparse.Namespace, made: dict[str, Any]) -> None:
    until = made["ends_at"][:16].replace("T", " ")
    show(options, made, [f"Send this link to {made['name']}. It works once, until {until} UTC:", made["link"]])
