"""From messages to bytes, and back."""

from __future__ import annotations

from typing import TypeVar

import msgspec

from ..errors import BadMessage
from .link import AgentMessage, ServerMessage
from .shared import MAX_MESSAGE_BYTES

_FROM_AGENT: msgspec.json.Decoder[AgentMessage] = msgspec.json.Decoder(AgentMessage)
_FROM_SERVER: msgspec.json.Decoder[ServerMessage] = msgspec.json.Decoder(ServerMessage)
_ENCODER = msgspec.json.Encoder()

_Struct = TypeVar("_Struct", bound=msgspec.Struct)


def encode(message: msgspec.Struct) -> bytes:
    """The bytes of one message. Raises BadMessage where they are more than the other side takes."""
    data = _ENCODER.encode(message)
    if len(data) > MAX_MESSAGE_BYTES:
        raise BadMessage(f"a message of {len(data)} bytes is over the limit of {MAX_MESSAGE_BYTES}")
    return data


def from_agent(data: bytes | str) -> AgentMessage:
    """Reads a message of an agent. Raises BadMessage."""
    return _decode(_FROM_AGENT, data)


def from_server(data: bytes | str) -> ServerMessage:
    """Reads a message of the server. Raises BadMessage."""
    return _decode(_FROM_SERVER, data)


def read_as(kind: type[_Struct], data: bytes) -> _Struct:
    """Reads a bare struct, such as a JoinRequest. Raises BadMessage."""
    return _decode(msgspec.json.Decoder(kind), data)


_Decoded = TypeVar("_Decoded")


def _decode(decoder: msgspec.json.Decoder[_Decoded], data: bytes | str) -> _Decoded:
    if len(data) > MAX_MESSAGE_BYTES:
        raise BadMessage(f"a message of {len(data)} bytes is over the limit of {MAX_MESSAGE_BYTES}")
    try:
        return decoder.decode(data)
    except (msgspec.DecodeError, RecursionError) as error:
        raise BadMessage(f"not a message of this protocol: {error}") from None
