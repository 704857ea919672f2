"""Decorators that declare the permission an action requires.

Every action whose first parameter is ``actor`` has one of them; a test walks over all actions.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable
from dataclasses import dataclass
from functools import wraps
from operator import attrgetter
from typing import Any, ParamSpec, TypeVar, cast

from ..errors import NotAllowed
from .actor import Actor, permission_checks
from .models import Role

P = ParamSpec("P")
R = TypeVar("R")


@dataclass(frozen=True)
class Permission:
    """``role`` in the paddock at the path ``of``: a parameter of the action and its attributes, such as
    ``host.paddock.name``. ``of`` is "" for the role everywhere, and None for the role in any one paddock. An action
    without a declared role gives the ``reason``."""

    role: Role | None = None
    what: str = ""
    of: str | None = ""
    reason: str = ""


def requires(role: Role, what: str, of: str = "") -> Callable[[Callable[P, R]], Callable[P, R]]:
    """``what`` completes "… needs the role operator in shoreline". For ``of`` see Permission."""

    def decorate(function: Callable[P, R]) -> Callable[P, R]:
        paddock_of = _reader(function, of) if of else _nowhere

        @wraps(function)
        def run(*arguments: P.args, **named: P.kwargs) -> R:
            _actor(arguments, named).demand(role, paddock_of(arguments, named), what)
            return function(*arguments, **named)

        return _marked(run, Permission(role, what, of))

    return decorate


def requires_anywhere(role: Role, what: str) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Raises NotAllowed for an actor who has the role in no paddock. The action itself limits its reach."""

    def decorate(function: Callable[P, R]) -> Callable[P, R]:
        @wraps(function)
        def run(*arguments: P.args, **named: P.kwargs) -> R:
            if not _actor(arguments, named).may_anywhere(role):
                raise NotAllowed(
                    f"{what} needs the role {role}. Ask an administrator for it.",
                    needs={"role": role.value, "paddock": None},
                )
            return function(*arguments, **named)

        return _marked(run, Permission(role, what, None))

    return decorate


def about_jobs(function: Callable[P, R]) -> Callable[P, R]:
    """For an action on jobs: it sees the actor with what a token's scope leaves for jobs. Stands above the decorator
    that asks."""

    @wraps(function)
    def run(*arguments: P.args, **named: P.kwargs) -> R:
        actor = _actor(arguments, named)
        if actor.for_jobs is None:
            return function(*arguments, **named)
        call = cast(Callable[..., R], function)
        if arguments:
            return call(actor.for_jobs, *arguments[1:], **named)
        return call(**{**named, "actor": actor.for_jobs})

    return run


def checks_itself(why: str) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """For an action that checks the permission itself, and the reason. Raises AssertionError, which rolls the action
    back, if it returned without a check."""

    def decorate(function: Callable[P, R]) -> Callable[P, R]:
        @wraps(function)
        def run(*arguments: P.args, **named: P.kwargs) -> R:
            before = permission_checks()
            result = function(*arguments, **named)
            if permission_checks() == before:
                raise AssertionError(f"{function.__name__} returned without a permission check")
            return result

        return _marked(run, Permission(reason=why))

    return decorate


def open_to_everyone(why: str) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """For an action that needs no permission, and the reason."""
    return lambda function: _marked(function, Permission(reason=why))


def permission_of(function: Callable[..., object]) -> Permission | None:
    """The declared permission of an action; None without a declaration."""
    found = getattr(function, "__permission__", None)
    return found if isinstance(found, Permission) else None


def _marked(function: Callable[P, R], declared: Permission) -> Callable[P, R]:
    function.__permission__ = declared  # type: ignore[attr-defined]
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
