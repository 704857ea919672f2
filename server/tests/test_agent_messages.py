"""Whatever a hostile agent sends: it is refused on the wire, or taken in without a fault."""

from __future__ import annotations

import random
import typing

import msgspec
import pytest
from django.db import transaction
from placing import placed

from paddock_agent import wire
from paddock_agent.errors import BadMessage
from paddock_server.health.actions.greet import greet
from paddock_server.hosts.models import Host
from paddock_server.link.agents import _record

NUMBERS = [0, -1, 1, 2**31, 2**53, 2**53 + 1, 2**63, -(2**63) - 1, 10**30]
FLOATS = [*NUMBERS, 0.5, -0.5, 1e18, 1e300, -1e300, 4e9, 4.0000001e9]
TEXTS = [
    "",
    " ",
    "\x00",
    "\u202e",
    "\x1b[31m",
    "x" * 199,
    "x" * 200,
    "x" * 2000,
    "9" * 19,
    "../..",
    "<script>",
    "\ud7ff",
    "💥",
]
KINDS = typing.get_args(wire.AgentMessage)


def some(kind, chance, attempt):
    """A value of a type: often a plain one, else one at its edges, so that much of it is let through and tried."""
    origin, arguments = typing.get_origin(kind), typing.get_args(kind)
    if origin is typing.Annotated:
        return some(arguments[0], chance, attempt)
    if origin is list:
        return [some(arguments[0], chance, attempt) for _ in range(chance.choice([0, 1, 1, 3]))]
    if origin is dict:
        return {some(arguments[0], chance, attempt): some(arguments[1], chance, attempt) for _ in range(2)}
    if origin is not None:  # a union
        return some(chance.choice(arguments), chance, attempt)
    if isinstance(kind, type) and issubclass(kind, msgspec.Struct):
        hints = typing.get_type_hints(kind, include_extras=True)
        given = {name: some(hints[name], chance, attempt) for name in kind.__struct_fields__}
        if "attempt" in given and chance.random() < 0.8:
            given["attempt"] = attempt
        return given
    if kind is bool:
        return chance.choice([True, False])
    is_plain = chance.random() < 0.8
    if kind is int:
        return 1 if is_plain else chance.choice(NUMBERS)
    if kind is float:
        return 1.0 if is_plain else chance.choice(FLOATS)
    if kind is type(None):
        return None
    if kind is bytes:
        return "eA=="
    return "plain" if is_plain else chance.choice(TEXTS)


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.__name__)
def test_every_message_at_its_edges(kind, operator, new_host):
    host = new_host("avocet-01")
    attempt = placed(operator, host, steps=[{"script": "make"}], script="").wire_name
    chance, taken = random.Random(f"messages {kind.__name__}"), 0
    tag = kind.__struct_config__.tag
    for _ in range(400):
        data = msgspec.json.encode({"type": tag, **some(kind, chance, attempt)})
        try:
            message = wire.from_agent(data)
        except BadMessage:
            continue
        taken += 1
        with transaction.atomic():
            if isinstance(message, wire.Hello):
                greet(host.pk, message, "10.0.0.7")
            elif not isinstance(message, wire.Heartbeat | wire.LogChunk | wire.Goodbye):
                _record(host.pk, message)
            assert Host.objects.filter(pk=host.pk).exists()
            transaction.set_rollback(True)
    assert taken > 3, "nothing of it was tried"


@pytest.mark.parametrize("code", [-(2**31) - 1, 2**32 + 1, 10**30])
def test_an_exit_code_that_no_process_has_is_refused_on_the_wire(code):
    with pytest.raises(BadMessage, match="exit_code"):
        wire.from_agent(f'{{"type": "ended", "attempt": "1-1", "outcome": "exited", "exit_code": {code}}}')
