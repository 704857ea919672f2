"""The browser's live feed: numbered notes of what has changed, some with how the thing is now. For the rest the browser
asks the API."""

from __future__ import annotations

import asyncio
import json
import logging
from typing import Any, NamedTuple
from urllib.parse import parse_qsl

from channels.db import database_sync_to_async
from channels.generic.websocket import AsyncJsonWebsocketConsumer
from channels.layers import get_channel_layer
from django.contrib.auth.models import User

from ..changes import Change
from ..people.actor import Actor, person
from ..people.models import Role
from ..people.sessions import living_session
from ..process import event_loop
from ..process.pulse import Pulse
from ..process.state import part
from ..secret import digest
from ..work.fleet import host_now
from ..work.visible import visible_jobs
from .recent_changes import Note, RecentChanges

log = logging.getLogger("paddock.feed")

NOT_LOGGED_IN = 4401
ABOUT_JOBS = ("job", "log")
"""Notes that name a job: who may see only some paddocks may see only some of them."""
GATHERED_FOR = 0.3
"""Seconds for which such notes are gathered before they are looked up together."""
MAX_GATHERED = 500
MAX_NUMBER_LENGTH = 19
"""Digits of a number that the database can hold, and one more."""
PUBLISH_INTERVAL = 0.1
"""Seconds between two batches of notes. A batch has one note per thing, encoded once for all browsers."""
MAX_PENDING_BATCHES = 50
"""Batches that wait for one browser. A slower browser misses notes, and loads everything again."""
SESSION_CHECK_INTERVAL_SECONDS = 30.0
"""Seconds after which it is looked up again whether the person is still logged in, and what they may see."""


def pass_on(change: Change) -> None:
    """Hands a change to every browser, with how the thing is now where that is known. Safe from every thread."""
    thing = _host_thing(change.name) if change.noun == "host" else change.thing
    note = {"noun": change.noun, "name": change.name, "paddock": change.paddock, "thing": thing}
    event_loop.post(publish, note)


def _host_thing(name: str) -> dict[str, object] | None:
    host = host_now(name)
    if host is None:
        return None
    return {"readiness": host.readiness.value, "slots": host.slots, "free_slots": host.free_slots}


class _EncodedNote(NamedTuple):
    note: Note
    text: str
    """The note as JSON, for people who may see everything."""


class _Browsers:
    """The connected browsers, and the notes of the next batch: the latest one per thing."""

    def __init__(self) -> None:
        self.listening: set[FeedConsumer] = set()
        self.pending: dict[tuple[str, str], Note] = {}


def publish(note: Note) -> None:
    """Numbers a note and adds it to the next batch. Call it in the server's event loop."""
    pending = part(_Browsers).pending
    if not pending:
        asyncio.get_running_loop().call_later(PUBLISH_INTERVAL, _publish_pending)
    numbered = part(RecentChanges).add(note)
    pending.pop((note["noun"], note["name"]), None)
    pending[note["noun"], note["name"]] = numbered


def _publish_pending() -> None:
    browsers = part(_Browsers)
    notes, browsers.pending = browsers.pending.values(), {}
    if browsers.listening:
        batch = [_EncodedNote(note, _text(note["noun"], note["name"], note["number"], note["thing"])) for note in notes]
        for browser in browsers.listening:
            browser.deliver(batch)


def _text(noun: str, name: str, number: int, thing: object) -> str:
    return json.dumps({"noun": noun, "name": name, "number": number, "thing": thing})


def end_session(key_digest: str) -> None:
    """Ends every feed that was opened with the session of this hash."""
    event_loop.post(_send_to, _session_group(key_digest), "feed.over")


def end_feeds_of(user_pk: int) -> None:
    """Ends every feed of a person."""
    event_loop.post(_send_to, _person_group(user_pk), "feed.over")


def read_roles_again(user_pk: int) -> None:
    """What a person may see has changed."""
    event_loop.post(_send_to, _person_group(user_pk), "feed.roles")


def _send_to(group: str, kind: str) -> None:
    layer = get_channel_layer()
    assert layer is not None
    event_loop.start(layer.group_send(group, {"type": kind}))


def _session_group(key_digest: str) -> str:
    return f"session.{key_digest[:32]}"


def _person_group(user_pk: int) -> str:
    return f"person.{user_pk}"


class FeedConsumer(AsyncJsonWebsocketConsumer):  # type: ignore[misc]
    """One browser. It hears only of what its person may see, and only as long as the person is logged in."""

    actor: Actor

    async def connect(self) -> None:
        self._gathered: dict[tuple[str, str], Note] = {}
        self._looked_up: dict[tuple[str, str], Note] = {}
        self._heard = self._sent_number = 0
        self._has_missed = False
        self._batches: asyncio.Queue[list[_EncodedNote]] = asyncio.Queue(MAX_PENDING_BATCHES)
        self._working: list[asyncio.Task[None]] = []
        session = self.scope.get("session")
        key = (session.session_key or "") if session is not None else ""
        self._groups = [_session_group(digest(key))] if key else []
        self._key_digest = digest(key) if key else ""
        if not self.scope["user"].is_authenticated or not await self._look_again():
            await self.accept()
            await self.close(NOT_LOGGED_IN)
            return
        # Before the browser hears that it is connected, and asks for everything: no note may fall between.
        part(_Browsers).listening.add(self)
        part(Pulse).browsers = len(part(_Browsers).listening)
        self._groups.append(_person_group(self.scope["user"].pk))
        for group in self._groups:
            await self.channel_layer.group_add(group, self.channel_name)
        await self.accept()
        await self._catch_up()
        kept = (self._delivery_loop(), self._session_loop(), self._pass_on_gathered())
        self._working = [asyncio.create_task(one) for one in kept]

    async def _catch_up(self) -> None:
        """The browser names the last note that it heard. It gets the later ones, or the word to load everything."""
        recent = part(RecentChanges)
        asked = dict(parse_qsl(self.scope.get("query_string", b"").decode(errors="replace")))
        number = asked.get("number", "")
        missed = recent.since(asked.get("start", ""), int(number)) if number.isdecimal() and len(number) < 16 else None
        self._sent_number = recent.number
        if missed is None:
            await self.send_json({"noun": "everything", "name": "", "start": recent.start, "number": recent.number})
        else:
            await self.send_json({"noun": "caught up", "name": "", "start": recent.start, "number": int(number)})
        for note in missed or ():
            await self._pass_on(note)

    async def receive(self, text_data: str | None = None, bytes_data: bytes | None = None, **_: Any) -> None:
        """Nothing is expected from the browser, and nothing that it sends is read."""

    async def disconnect(self, code: int) -> None:
        for task in self._working:
            task.cancel()
        part(_Browsers).listening.discard(self)
        part(Pulse).browsers = len(part(_Browsers).listening)
        for group in self._groups:
            await self.channel_layer.group_discard(group, self.channel_name)

    async def feed_over(self, _: dict[str, str]) -> None:
        """The session has ended."""
        await self.close(NOT_LOGGED_IN)

    async def feed_roles(self, _: dict[str, str]) -> None:
        """The person's roles have changed: the browser loads everything again, and sees what it may see now."""
        if not await self._look_again():
            await self.close(NOT_LOGGED_IN)
            return
        self._has_missed = True

    def deliver(self, batch: list[_EncodedNote]) -> None:
        """Queues a batch for this browser. Call it in the server's event loop."""
        try:
            self._batches.put_nowait(batch)
        except asyncio.QueueFull:
            self._has_missed = True

    async def _delivery_loop(self) -> None:
        try:
            while True:
                for encoded in await self._batches.get():
                    if encoded.note["number"] > self._sent_number:  # otherwise the browser got it when it connected
                        await self._send_encoded(encoded)
        except Exception:
            log.exception("A batch of notes could not be sent. The browser has to reconnect.")
            await self.close()

    async def _send_encoded(self, encoded: _EncodedNote) -> None:
        if self.actor.everywhere is None or self._gathered or self._looked_up:
            await self._pass_on(encoded.note)
            return
        self._heard = max(self._heard, encoded.note["number"])
        await self.send(text_data=encoded.text)

    async def _pass_on(self, note: Note) -> None:
        """With the name of the thing, and the thing, only to who may see it."""
        noun, name, paddock = note["noun"], note["name"], note["paddock"]
        self._heard = max(self._heard, note["number"])
        if paddock:
            if self.actor.may(Role.VIEWER, paddock):
                await self._show(noun, name, note["thing"])
        elif self.actor.everywhere is not None:
            await self._show(noun, name, note["thing"])
        elif noun in ABOUT_JOBS:
            if len(self._gathered) < MAX_GATHERED:
                self._gathered[noun, name] = note
            else:
                self._has_missed = True
        else:
            await self._show(noun, "", None)

    async def _show(self, noun: str, name: str, thing: object) -> None:
        """Sends a note. Its number says up to where the browser has heard of everything: notes that are still gathered
        or looked up come after it."""
        unsent = (note["number"] for note in (*self._gathered.values(), *self._looked_up.values()))
        number = min(self._heard, min(unsent, default=self._heard + 1) - 1)
        await self.send(text_data=_text(noun, name, number, thing))

    async def _pass_on_gathered(self) -> None:
        while True:
            await asyncio.sleep(GATHERED_FOR)
            self._looked_up, self._gathered = self._gathered, {}
            try:
                names = {name for _, name in self._looked_up}
                seen = await self._seen_of(names) if names else set()
            except Exception:
                log.exception("What a person may see of some jobs could not be looked up. The browser reloads.")
                self._has_missed, seen = True, set()
            for noun, name in list(self._looked_up):
                thing = self._looked_up.pop((noun, name))["thing"]
                if name in seen:
                    await self._show(noun, name, thing)
            if self._has_missed:
                self._has_missed = False
                await self._show("everything", "", None)

    async def _seen_of(self, names: set[str]) -> set[str]:
        seen: set[str] = await database_sync_to_async(_seen_jobs)(self.actor, names)
        return seen

    async def _session_loop(self) -> None:
        while True:
            await asyncio.sleep(SESSION_CHECK_INTERVAL_SECONDS)
            if not await self._look_again():
                await self.close(NOT_LOGGED_IN)
                return

    async def _look_again(self) -> bool:
        """Whether the person is still logged in; reads their permissions again."""
        found = await database_sync_to_async(_still_there)(self.scope["user"].pk, self._key_digest)
        if found is not None:
            self.actor = found
        return found is not None


def _still_there(user_pk: int, key_digest: str) -> Actor | None:
    user = User.objects.filter(pk=user_pk, is_active=True).first()
    if user is None or (key_digest and living_session(key_digest) is None):
        return None
    return person(user)


def _seen_jobs(actor: Actor, names: set[str]) -> set[str]:
    if not actor.may_anywhere(Role.VIEWER):
        return set()
    numbers = [int(name) for name in names if name.isdecimal() and len(name) < MAX_NUMBER_LENGTH]
    seen = visible_jobs(actor).prefetch_related(None).filter(pk__in=numbers).values_list("pk", flat=True)
    return {str(pk) for pk in seen}
