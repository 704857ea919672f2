"""The live feed, the command line, and what roles reach."""

import json

import pytest
from asgiref.sync import async_to_sync
from asgiref.testing import ApplicationCommunicator
from django.contrib.auth.models import AnonymousUser, User
from people import a_person

from paddock_server import cli
from paddock_server.access.actions.add_user import add_user
from paddock_server.errors import Invalid, NotAllowed, NotNow
from paddock_server.hosts.models import Paddock
from paddock_server.link.feed import NOT_LOGGED_IN, FeedConsumer, publish
from paddock_server.logbook.models import Entry
from paddock_server.people.actor import SERVER, Actor, agent_of, person
from paddock_server.people.models import Role


def browser_of(user):
    """A browser's end of the feed."""
    return ApplicationCommunicator(FeedConsumer.as_asgi(), {"type": "websocket", "user": user})


@pytest.mark.django_db(transaction=True)
def test_the_feed_tells_only_of_paddocks_that_the_person_may_see(shoreline, orchard):
    a_person("loop", Role.VIEWER, shoreline)

    async def talk():
        browser = browser_of(await User.objects.aget(username="loop"))
        await browser.send_input({"type": "websocket.connect"})
        assert (await browser.receive_output())["type"] == "websocket.accept"
        for name, paddock in (("russet-01", "orchard"), ("avocet-01", "shoreline"), ("anywhere", "")):
            publish({"noun": "host", "name": name, "paddock": paddock, "thing": {"slots": 2}})
        heard = [json.loads((await browser.receive_output())["text"]) for _ in range(3)]
        await browser.send_input({"type": "websocket.receive", "text": '{"hello": "server"}'})
        assert await browser.receive_nothing()
        await browser.send_input({"type": "websocket.disconnect", "code": 1000})
        await browser.wait()
        return heard

    everything, *notes = async_to_sync(talk)()
    assert everything["noun"] == "everything"
    assert [(one["name"], one["thing"]) for one in notes] == [("avocet-01", {"slots": 2}), ("", None)]


def test_the_feed_is_closed_to_strangers():
    async def talk():
        browser = browser_of(AnonymousUser())
        await browser.send_input({"type": "websocket.connect"})
        return [await browser.receive_output(), await browser.receive_output()]

    accepted, closed = async_to_sync(talk)()
    assert accepted["type"] == "websocket.accept"
    assert (closed["type"], closed["code"]) == ("websocket.close", NOT_LOGGED_IN)


KEEPER = Actor("loop", None, (("shoreline", Role.OPERATOR), ("orchard", Role.VIEWER)))


@pytest.mark.parametrize(
    ("actor", "role", "paddock", "may"),
    [
        (SERVER, Role.ADMINISTRATOR, None, True),
        (Actor("a", Role.OPERATOR), Role.VIEWER, "orchard", True),
        (Actor("a", Role.OPERATOR), Role.ADMINISTRATOR, "orchard", False),
        (KEEPER, Role.OPERATOR, "shoreline", True),
        (KEEPER, Role.ADMINISTRATOR, "shoreline", False),
        (KEEPER, Role.OPERATOR, "orchard", False),
        (KEEPER, Role.VIEWER, None, False),
        (Actor("raised", Role.VIEWER, (("shoreline", Role.ADMINISTRATOR),)), Role.ADMINISTRATOR, "shoreline", True),
        (agent_of("avocet-01"), Role.VIEWER, "shoreline", False),
    ],
)
def test_what_a_role_reaches(actor, role, paddock, may):
    assert actor.may(role, paddock) is may
    if not may:
        with pytest.raises(NotAllowed, match=f"needs the role {role}"):
            actor.demand(role, paddock, "This")


def test_where_a_role_reaches():
    assert KEEPER.where(Role.VIEWER) == ["shoreline", "orchard"]
    assert KEEPER.where(Role.OPERATOR) == ["shoreline"]
    assert SERVER.where(Role.ADMINISTRATOR) is None
    assert not KEEPER.may_anywhere(Role.ADMINISTRATOR)
    assert person(AnonymousUser()).where(Role.VIEWER) == []


def test_people_are_added_with_a_password_that_holds(shoreline):
    with pytest.raises(Invalid, match="too short"):
        add_user(SERVER, "deckhand", "short", Role.OPERATOR)
    add_user(SERVER, "deckhand", "long-and-salty", Role.OPERATOR, shoreline)
    with pytest.raises(NotNow, match="already"):
        add_user(SERVER, "deckhand", "long-and-salty", Role.VIEWER)
    assert Entry.objects.get(verb="added").details == {"role": "operator"}
    assert person(User.objects.get()).paddocks == (("shoreline", Role.OPERATOR),)


@pytest.mark.parametrize(
    ("arguments", "code", "says"),
    [
        (["user", "harbourmaster", "--role", "administrator"], 0, "harbourmaster is administrator."),
        (["user", "loop", "--role", "operator", "--paddock", "shoreline"], 0, "loop is operator in shoreline."),
        (["user", "loop", "--paddock", "meadow"], 1, 'No paddock is called "meadow". Known paddocks: shoreline.'),
        (["token", "--user", "nobody"], 1, "No person is called nobody. Known people: none yet."),
    ],
)
def test_the_command_line(arguments, code, says, capsys, monkeypatch):
    Paddock.objects.create(name="shoreline")
    monkeypatch.setenv("PADDOCK_PASSWORD", "long-and-salty")
    assert cli.main(arguments) == code
    out, err = capsys.readouterr()
    assert says in out + err


def test_a_token_from_the_command_line_works(capsys, viewer, client):
    assert cli.main(["token", "--user", "lookout"]) == 0
    token = capsys.readouterr().out.strip()
    answer = client.get("/api/v1/session/", headers={"Authorization": f"Bearer {token}"}).json()
    assert (answer["name"], answer["role"]) == ("lookout", "viewer")


def test_a_wrong_command_line_is_said(capsys):
    with pytest.raises(SystemExit) as ended:
        cli.main(["user", "x", "--role", "king"])
    assert ended.value.code == 2
    assert "king" in capsys.readouterr().err
