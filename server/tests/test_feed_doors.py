"""The feed sends only what a person may see, and ends with the session."""

from __future__ import annotations

import asyncio
import json

import pytest
from asgiref.sync import async_to_sync, sync_to_async
from asgiref.testing import ApplicationCommunicator
from channels.layers import get_channel_layer
from django.contrib.auth.models import User
from django.utils import timezone
from people import a_person
from two_paddocks import make_side

from paddock_server.hosts.models import Paddock
from paddock_server.link import feed, recent_changes
from paddock_server.link.feed import NOT_LOGGED_IN, FeedConsumer
from paddock_server.link.recent_changes import RecentChanges
from paddock_server.people.models import Grant, Role, Session
from paddock_server.people.sessions import SessionStore
from paddock_server.secret import digest

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def sides(settings, tmp_path):
    settings.SECRETS_KEY = tmp_path / "secrets-key"
    return make_side("shoremark", "shoreline"), make_side("orchmark", "orchard")


class Browser:
    """A browser's end of the feed, of a person with a session."""

    def __init__(self, user, session=None, query=""):
        scope = {"type": "websocket", "user": user, "session": session, "query_string": query.encode()}
        self._talk = ApplicationCommunicator(FeedConsumer.as_asgi(), scope)

    async def __aenter__(self):
        await self._talk.send_input({"type": "websocket.connect"})
        assert (await self._talk.receive_output())["type"] == "websocket.accept"
        self.first = await self.hears()
        return self

    async def __aexit__(self, *_):
        await self._talk.send_input({"type": "websocket.disconnect", "code": 1000})
        await self._talk.wait()

    async def hears(self):
        message = await self._talk.receive_output(10)
        return json.loads(message["text"]) if "text" in message else message

    async def hears_nothing(self, seconds=1.0):
        return await self._talk.receive_nothing(seconds)

    async def send(self, text):
        await self._talk.send_input({"type": "websocket.receive", "text": text})


async def tell(noun, name, paddock=""):
    feed.publish({"noun": noun, "name": str(name), "paddock": paddock, "thing": None})


def test_who_sees_one_paddock_hears_only_of_its_jobs(sides):
    mine, others = sides
    a_person("loop", Role.VIEWER, _paddock("shoreline"))
    a_person("lookout", Role.VIEWER)

    async def talk():
        async with (
            Browser(await User.objects.aget(username="loop")) as loop,
            Browser(await User.objects.aget(username="lookout")) as lookout,
        ):
            numbers = [others.ids["job"], mine.ids["job"], others.ids["waiting"], mine.ids["waiting"], 10**30]
            for number in numbers:
                await tell("job", number)
            await tell("log", others.ids["job"])
            heard = [await loop.hears() for _ in range(2)]
            assert [one["name"] for one in heard] == [str(mine.ids["job"]), str(mine.ids["waiting"])]
            assert await loop.hears_nothing()
            assert [(await lookout.hears())["name"] for _ in numbers] == [str(one) for one in numbers]
            await tell("kit", others.ids["kit"])
            heard = await loop.hears()
            assert (heard["noun"], heard["name"], heard["thing"]) == ("kit", "", None)

    async_to_sync(talk)()


def _paddock(name):
    from paddock_server.hosts.models import Paddock

    return Paddock.objects.get(name=name)


def session_of(user):
    session = SessionStore()
    session["_auth_user_id"] = str(user.pk)
    session.create()
    return session


def test_the_feed_ends_when_its_person_logs_out_and_no_others_does():
    a_person("lookout", Role.VIEWER)

    async def talk():
        user = await User.objects.aget(username="lookout")
        first, second = [await sync_to_async(session_of)(user) for _ in range(2)]
        async with Browser(user, first) as leaving, Browser(user, second) as staying:
            await get_channel_layer().group_send(feed._session_group(digest(first.session_key)), {"type": "feed.over"})
            closed = await leaving.hears()
            assert (closed["type"], closed["code"]) == ("websocket.close", NOT_LOGGED_IN)
            await tell("host", "avocet-01", "shoreline")
            assert (await staying.hears())["name"] == "avocet-01"

    async_to_sync(talk)()


def _shut_out(user):
    User.objects.filter(pk=user.pk).update(is_active=False)


def _take_roles(user):
    Grant.objects.filter(user=user).delete()


def _end_sessions(user):
    Session.objects.all().delete()


def _let_sessions_expire(user):
    Session.objects.update(expire_date=timezone.now())


ENDINGS = [(_shut_out, True), (_end_sessions, True), (_let_sessions_expire, True), (_take_roles, False)]


@pytest.mark.parametrize(("do", "closes"), ENDINGS)
def test_what_changes_for_a_person_is_noticed_while_the_feed_is_open(do, closes, monkeypatch):
    monkeypatch.setattr(feed, "SESSION_CHECK_INTERVAL_SECONDS", 0.05)
    a_person("lookout", Role.VIEWER)

    async def talk():
        user = await User.objects.aget(username="lookout")
        async with Browser(user, await sync_to_async(session_of)(user)) as browser:
            await sync_to_async(do)(user)
            if closes:
                assert (await browser.hears())["code"] == NOT_LOGGED_IN
                return
            for _ in range(200):
                await asyncio.sleep(0.02)
                await tell("host", "avocet-01", "shoreline")
                if await browser.hears_nothing(0.05):
                    return
                await browser.hears()
            raise AssertionError("it goes on hearing of what it may not see any more")

    async_to_sync(talk)()


def test_a_session_that_is_over_opens_no_feed_and_what_a_browser_sends_is_passed_over():
    a_person("lookout", Role.VIEWER)

    async def talk():
        user = await User.objects.aget(username="lookout")
        session = await sync_to_async(session_of)(user)
        async with Browser(user, session) as browser:
            for text in ("{", "null", "x" * 100_000, '{"a": ' * 5000):
                await browser.send(text)
            await tell("host", "avocet-01", "shoreline")
            assert (await browser.hears())["name"] == "avocet-01"
        await sync_to_async(session.delete)()
        async with Browser(user, session) as late:
            assert late.first["code"] == NOT_LOGGED_IN

    async_to_sync(talk)()


def test_a_browser_that_was_away_gets_what_it_missed_and_no_more_than_it_may_see():
    shoreline, _ = Paddock.objects.create(name="shoreline"), Paddock.objects.create(name="orchard")
    a_person("loop", Role.VIEWER, shoreline)

    async def talk():
        user = await User.objects.aget(username="loop")
        async with Browser(user) as browser:
            await tell("host", "avocet-01", "shoreline")
            last = await browser.hears()
        assert browser.first["noun"] == "everything"
        for name, paddock in (("avocet-02", "shoreline"), ("russet-01", "orchard"), ("avocet-03", "shoreline")):
            await tell("host", name, paddock)
        async with Browser(user, query=f"start={browser.first['start']}&number={last['number']}") as again:
            assert again.first["noun"] == "caught up"
            assert [(await again.hears())["name"] for _ in range(2)] == ["avocet-02", "avocet-03"]
            await tell("host", "avocet-04", "shoreline")
            assert (await again.hears())["name"] == "avocet-04"
        for query in ("start=other&number=1", f"start={browser.first['start']}&number=99", "number=x", ""):
            async with Browser(user, query=query) as fresh:
                assert fresh.first["noun"] == "everything"

    async_to_sync(talk)()


def test_a_number_never_passes_over_a_note_that_waits_to_be_looked_up(sides):
    mine, _ = sides
    a_person("loop", Role.VIEWER, _paddock("shoreline"))

    async def talk():
        user = await User.objects.aget(username="loop")
        async with Browser(user) as browser:
            await tell("job", mine.ids["job"])
            await tell("host", "avocet-01", "shoreline")
            heard = await browser.hears()
            assert (heard["name"], heard["number"]) == ("avocet-01", browser.first["number"])
        # It goes before the note of the job has come, and asks for that at the next connection.
        async with Browser(user, query=f"start={browser.first['start']}&number={heard['number']}") as again:
            assert again.first["number"] == heard["number"]
            names = {(await again.hears())["name"] for _ in range(2)}
            assert names == {"avocet-01", str(mine.ids["job"])}

    async_to_sync(talk)()


def test_more_notes_than_can_be_looked_up_make_the_browser_load_everything(sides, monkeypatch):
    mine, _ = sides
    a_person("loop", Role.VIEWER, _paddock("shoreline"))
    monkeypatch.setattr(feed, "MAX_GATHERED", 1)

    async def talk():
        async with Browser(await User.objects.aget(username="loop")) as browser:
            for name in ("job", "waiting"):
                await tell("job", mine.ids[name])
            assert [(await browser.hears())["noun"] for _ in range(2)] == ["job", "everything"]

    async_to_sync(talk)()


def test_what_was_forgotten_is_not_taken_for_nothing_missed(monkeypatch):
    monkeypatch.setattr(recent_changes, "MAX_THINGS", 2)
    recent = RecentChanges()
    for name in "abac":
        recent.add({"noun": "host", "name": name})
    assert [note["name"] for note in recent.since(recent.start, 2)] == ["a", "c"]
    assert recent.since(recent.start, 4) == []
    assert recent.since(recent.start, 1) is None, "the note of b had to go"
    assert recent.since(recent.start, 5) is None


def test_what_changes_often_is_told_once_in_a_while_with_how_it_is_last():
    a_person("lookout", Role.VIEWER)

    async def talk():
        async with Browser(await User.objects.aget(username="lookout")) as lookout:
            for state in ("waiting", "offered", "running"):
                feed.publish({"noun": "job", "name": "5", "paddock": "", "thing": {"state": state}})
                feed.publish({"noun": "host", "name": state, "paddock": "", "thing": None})
            heard = [await lookout.hears() for _ in range(4)]
            assert [one["name"] for one in heard] == ["waiting", "offered", "5", "running"]
            assert heard[2]["thing"] == {"state": "running"}
            numbers = [one["number"] for one in heard]
            assert numbers == sorted(numbers)
            assert await lookout.hears_nothing()

    async_to_sync(talk)()


def test_a_browser_that_is_too_slow_is_told_to_load_everything(monkeypatch):
    monkeypatch.setattr(feed, "MAX_PENDING_BATCHES", 2)
    monkeypatch.setattr(feed, "PUBLISH_INTERVAL", 0.0)
    a_person("lookout", Role.VIEWER)
    go = asyncio.Event()
    send = FeedConsumer.send

    async def slow(self, text_data=None, **more):
        if '"host"' in text_data:
            await go.wait()
        await send(self, text_data=text_data, **more)

    async def talk():
        async with Browser(await User.objects.aget(username="lookout")) as lookout:
            monkeypatch.setattr(FeedConsumer, "send", slow)
            for number in range(9):
                await tell("host", number)
                await asyncio.sleep(0)
                await asyncio.sleep(0)
            go.set()
            heard = [await lookout.hears()]
            while heard[-1]["noun"] != "everything":
                heard.append(await lookout.hears())
            assert 1 < len(heard) < 9

    async_to_sync(talk)()


def test_a_feed_that_fails_ends_so_that_the_browser_connects_again(monkeypatch):
    a_person("lookout", Role.VIEWER)

    def fails(*_):
        raise RuntimeError("it fails")

    async def talk():
        async with Browser(await User.objects.aget(username="lookout")) as lookout:
            monkeypatch.setattr(FeedConsumer, "_send_encoded", fails)
            await tell("host", "avocet-01")
            assert (await lookout.hears())["type"] == "websocket.close"

    async_to_sync(talk)()
