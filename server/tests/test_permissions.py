"""Every action declares its permission, and refuses an actor who has less before it does anything."""

import ast
import importlib
import inspect
import pkgutil
from pathlib import Path
from types import SimpleNamespace

import pytest

import paddock_server
from paddock_server.errors import NotAllowed
from paddock_server.people.actor import Actor
from paddock_server.people.models import Role
from paddock_server.people.permission import checks_itself, permission_of

ROOT = Path(paddock_server.__file__).parent
LESSER = {
    Role.VIEWER: [None],
    Role.ADMINISTRATOR: [None, Role.VIEWER, Role.OPERATOR],
    Role.OPERATOR: [None, Role.VIEWER],
}
BEFORE_LOG_IN = {"join", "note_step", "note_wrong_pass", "count_wrong", "note_right", "note_refused"}
"""Actions without a person that views call: of agents that come, and of people who are not known yet."""


def actions():
    """All actions of the server, by module and name."""
    for module in pkgutil.walk_packages(paddock_server.__path__, "paddock_server."):
        if ".migrations" in module.name or module.name.endswith("__main__"):
            continue
        for name, value in vars(importlib.import_module(module.name)).items():
            if inspect.isfunction(value) and hasattr(value, "is_action") and value.__module__ == module.name:
                yield f"{module.name.removeprefix('paddock_server.')}.{name}", value


ACTIONS = dict(actions())
OF_PEOPLE = {name: one for name, one in ACTIONS.items() if next(iter(inspect.signature(one).parameters), "") == "actor"}
DECLARED = {name: one for name, one in OF_PEOPLE.items() if (declared := permission_of(one)) and declared.role}


def test_the_walk_finds_the_actions():
    assert len(ACTIONS) > 120
    assert len(DECLARED) > 50
    assert not any(
        "actor" in inspect.signature(one).parameters for name, one in ACTIONS.items() if name not in OF_PEOPLE
    )


@pytest.mark.parametrize("name", OF_PEOPLE)
def test_an_action_of_a_person_says_what_it_needs(name):
    declared = permission_of(OF_PEOPLE[name])
    assert declared, f"{name} declares no permission"
    assert bool(declared.role) != bool(declared.reason)


def stub(of):
    """Something that has the attributes of which the last is the name of a paddock."""
    value = "shoreline"
    for part in reversed(of.split(".")[1:]):
        value = SimpleNamespace(**{part: value})
    return value


def called(action, actor):
    """Calls the action with nothing to work on but what its permission hangs on."""
    of = permission_of(action).of or ""
    inner = inspect.unwrap(action)
    given = {
        name: stub(of) if of.partition(".")[0] == name else object()
        for name, one in list(inspect.signature(inner).parameters.items())[1:]
        if one.default is one.empty and one.kind not in (one.VAR_KEYWORD, one.VAR_POSITIONAL)
    }
    return action(actor, **given)


@pytest.mark.django_db
@pytest.mark.parametrize("name", DECLARED)
def test_who_has_less_is_refused_before_anything_is_looked_at(name):
    action, declared = DECLARED[name], permission_of(DECLARED[name])
    for lesser in LESSER[declared.role]:
        with pytest.raises(NotAllowed, match=f"needs the role {declared.role}"):
            called(action, Actor("ada", lesser))
        held = (("shoreline", lesser),) if lesser else ()
        with pytest.raises(NotAllowed, match="needs the role"):
            called(action, Actor("ada", None, held))
    if declared.of is not None:
        with pytest.raises(NotAllowed, match="in shoreline" if declared.of else "for everything"):
            called(action, Actor("ada", None, (("upriver", declared.role),)))


@pytest.mark.django_db
@pytest.mark.parametrize("name", DECLARED)
def test_who_has_the_role_gets_past_the_question(name):
    declared = permission_of(DECLARED[name])
    roles = [Actor("ada", declared.role)]
    if declared.of != "":
        roles.append(Actor("ada", None, (("shoreline", declared.role),)))
    for actor in roles:
        try:
            called(DECLARED[name], actor)
        except NotAllowed as error:
            pytest.fail(f"refused: {error}")
        except Exception:
            pass


def test_an_action_that_asks_itself_and_does_not_is_taken_back():
    @checks_itself("on what it finds")
    def forgets(actor):
        return "done"

    @checks_itself("on what it finds")
    def asks(actor):
        actor.demand(Role.VIEWER, None, "It")
        return "done"

    with pytest.raises(AssertionError, match="forgets returned without a permission check"):
        forgets(Actor("ada", Role.ADMINISTRATOR))
    assert asks(Actor("ada", Role.VIEWER)) == "done"
    with pytest.raises(NotAllowed):
        asks(Actor("ada", None))


def test_views_for_people_call_no_action_that_asks_nobody():
    asks_nobody = {name.rpartition(".")[2] for name in ACTIONS if name not in OF_PEOPLE} - BEFORE_LOG_IN
    found = set()
    for file in set(ROOT.rglob("*views.py")) - set(ROOT.rglob("agent_views.py")):
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.ImportFrom):
                found |= {(file.name, one.name) for one in node.names if one.name in asks_nobody}
    assert not found
