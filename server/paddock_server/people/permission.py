"""What an action needs of the person who does it, said at its head, so that it cannot be forgotten.

Each action whose first parameter is ``actor`` says it with one of these; a test walks over all of them.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable
from dataclasses import dataclass
from functools import wraps
from operator import attrgetter
from typing import Any, ParamSpec, TypeVar

from ..errors import NotAllowed
from .actor import Actor, times_asked
from .models import Role

P = ParamSpec("P")
R = TypeVar("R")


@dataclass(frozen=True)
class Needs:
    """``role`` in the paddock that ``of`` leads to: a parameter of the action and attributes of it, as
    ``host.paddock.name``; "" for everything, None for some paddock or other. Without a role ``otherwise`` says why."""

    role: Role | None = None
    what: str = ""
    of: str | None = ""
    otherwise: str = ""


def needs(role: Role, what: str, of: str = "") -> Callable[[Callable[P, R]], Callable[P, R]]:
    """``what`` completes "… needs the role operator in shoreline". For ``of`` see Needs."""

    def decorate(function: Callable[P, R]) -> Callable[P, R]:
        paddock_of = _reader(function, of) if of else _nowhere

        @wraps(function)
        def run(*arguments: P.args, **named: P.kwargs) -> R:
            _actor(arguments, named).demand(role, paddock_of(arguments, named), what)
            return function(*arguments, **named)

        return _marked(run, Needs(role, what, of))

    return decorate


def needs_somewhere(role: Role, what: str) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """The role in one paddock at least; where what is done reaches is the action's own affair."""

    def decorate(function: Callable[P, R]) -> Callable[P, R]:
        @wraps(function)
        def run(*arguments: P.args, **named: P.kwargs) -> R:
            if not _actor(arguments, named).may_anywhere(role):
                raise NotAllowed(f"{what} needs the role {role}. Ask an administrator for it.")
            return function(*arguments, **named)

        return _marked(run, Needs(role, what, None))

    return decorate


def asks_itself(why: str) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """For an action of which the permission hangs on what it finds; ``why`` says on what. One that ends without having
    asked is taken back: raises AssertionError."""

    def decorate(function: Callable[P, R]) -> Callable[P, R]:
        @wraps(function)
        def run(*arguments: P.args, **named: P.kwargs) -> R:
            before = times_asked()
            result = function(*arguments, **named)
            if times_asked() == before:
                raise AssertionError(f"{function.__name__} asked for no permission")
            return result

        return _marked(run, Needs(otherwise=why))

    return decorate


def needs_nothing(why: str) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """For an action that everyone may do, and ``why``."""
    return lambda function: _marked(function, Needs(otherwise=why))


def needs_of(function: Callable[..., object]) -> Needs | None:
    """What an action said that it needs; None where it said nothing."""
    found = getattr(function, "__needs__", None)
    return found if isinstance(found, Needs) else None


def _marked(function: Callable[P, R], said: Needs) -> Callable[P, R]:
    function.__needs__ = said  # type: ignore[attr-defined]
    return function


def _actor(arguments: tuple[Any, ...], named: dict[str, Any]) -> Actor:
    actor = arguments[0] if arguments else named["actor"]
    assert isinstance(actor, Actor)
    return actor


def _nowhere(arguments: tuple[Any, ...], named: dict[str, Any]) -> None:
    return None


def _reader(function: Callable[..., object], of: str) -> Callable[[tuple[Any, ...], dict[str, Any]], str | None]:
    parameter, _, rest = of.partition(".")
    place = list(inspect.signature(function).parameters).index(parameter)
    read = attrgetter(rest) if rest else str

    def paddock(arguments: tuple[Any, ...], named: dict[str, Any]) -> str | None:
        return str(read(arguments[place] if place < len(arguments) else named[parameter])) or None

    return paddock
