"""The browser's live feed: short notes of what has changed. The browser then asks the API for what it shows."""

from __future__ import annotations

from typing import Any

from channels.db import database_sync_to_async
from channels.generic.websocket import AsyncJsonWebsocketConsumer
from channels.layers import get_channel_layer
from django.db import transaction

from ..health import looking
from ..people.actor import Actor, person
from ..people.models import Role
from ..work import changed_hosts
from . import running

GROUP = "feed"
NOT_LOGGED_IN = 4401


def tell(noun: str, name: object, paddock: str = "") -> None:
    """Tells every browser, once the transaction is through, that a thing has changed."""
    if noun == "host":
        # At once for whoever reads in this transaction, and again when others can see what it wrote.
        changed_hosts.note(str(name))
        transaction.on_commit(lambda: changed_hosts.note(str(name)))
    if noun in ("host", "paddock", "pass"):
        looking.stir_named(noun, str(name))
    note = {"type": "feed.note", "noun": noun, "name": str(name), "paddock": paddock}
    transaction.on_commit(lambda: running.post(_send, note))


def tell_now(noun: str, name: object) -> None:
    """The same of something that is in no database. Called in the server's loop."""
    _send({"type": "feed.note", "noun": noun, "name": str(name), "paddock": ""})


def _send(note: dict[str, str]) -> None:
    layer = get_channel_layer()
    assert layer is not None
    running.start(layer.group_send(GROUP, note))


class FeedConsumer(AsyncJsonWebsocketConsumer):
    """One browser. It hears only of paddocks that its person may see."""

    actor: Actor

    async def connect(self) -> None:
        user = self.scope["user"]
        if not user.is_authenticated:
            await self.accept()
            await self.close(NOT_LOGGED_IN)
            return
        self.actor = await database_sync_to_async(person)(user)
        # Before the browser hears that it is connected, and asks for everything: no note may fall between.
        await self.channel_layer.group_add(GROUP, self.channel_name)
        await self.accept()

    async def receive_json(self, content: Any, **kwargs: Any) -> None:
        """Nothing is expected from the browser."""

    async def disconnect(self, code: int) -> None:
        await self.channel_layer.group_discard(GROUP, self.channel_name)

    async def feed_note(self, note: dict[str, str]) -> None:
        """Passes a note on."""
        if not note["paddock"] or self.actor.may(Role.VIEWER, note["paddock"]):
            await self.send_json({"noun": note["noun"], "name": note["name"]})
