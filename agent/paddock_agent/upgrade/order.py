"""The server's order to upgrade: which version, and the hash of every file that may be installed."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ..errors import AgentError

CONTEXT = b"yellow paddock upgrade\n"
"""What is signed begins with its purpose, so that no signature can be used for another."""
MAX_PACKAGES = 100
MAX_HASHES = 200
_VERSION = re.compile(r"[0-9][0-9A-Za-z.+!-]{0,59}")
_NAME = re.compile(r"[a-z0-9][a-z0-9-]{0,99}")
_FILE = re.compile(r"[A-Za-z0-9][A-Za-z0-9_.+-]{0,199}\.whl")
_SHA256 = re.compile(r"[0-9a-f]{64}")


class OrderRefused(AgentError):
    """An order that this host does not carry out; the sentence says why."""


@dataclass(frozen=True)
class Package:
    """One package to install, by its exact version. ``hashes`` are those of its files for all systems (SHA-256)."""

    name: str
    version: str
    hashes: tuple[str, ...]


@dataclass(frozen=True)
class Order:
    """``number`` tells it from others of this host; ``wheel`` and ``pip`` are files of the server with their hashes.
    ``drain_limit`` is how many seconds jobs may take to end, ``proof_limit`` how many the new version has to prove
    itself."""

    number: int
    host: str
    version: str
    wheel: tuple[str, str]
    pip: tuple[str, str]
    packages: tuple[Package, ...]
    drain_limit: float
    proof_limit: float


def signed_order_text(text: str) -> bytes:
    """What the signature of an order is over."""
    return CONTEXT + text.encode()


def check_signature(text: str, signature: str, signer: str) -> None:
    """Raises OrderRefused unless the server with the public key ``signer`` signed the text (Ed25519, hexadecimal)."""
    # The watch goes back where the agent's packages are broken, so they are imported only here.
    from nacl.exceptions import BadSignatureError
    from nacl.signing import VerifyKey

    if not signer:
        raise OrderRefused("The watch of this host does not know its server's key. Run: paddock-agent watch install")
    try:
        VerifyKey(bytes.fromhex(signer)).verify(signed_order_text(text), bytes.fromhex(signature))
    except (BadSignatureError, ValueError, TypeError):
        raise OrderRefused("The order is not signed by the server that this host knows.") from None


def read_order(text: str) -> Order:
    """Reads an order. Raises OrderRefused for one with a field that is missing or out of its bounds."""
    try:
        given = json.loads(text)
        packages = [_package(one) for one in given["packages"]]
        order = Order(
            number=int(given["number"]),
            host=str(given["host"]),
            version=_matched(_VERSION, given["version"]),
            wheel=_file(given["wheel"]),
            pip=_file(given["pip"]),
            packages=tuple(packages),
            drain_limit=_seconds(given["drain_limit"]),
            proof_limit=_seconds(given["proof_limit"]),
        )
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise OrderRefused(f"The order cannot be read: {error}") from None
    if not 0 < len(packages) <= MAX_PACKAGES:
        raise OrderRefused(f"The order names {len(packages)} packages.")
    return order


def order_text(order: Order) -> str:
    """The order as the server sends and signs it."""
    return json.dumps(
        {
            "number": order.number,
            "host": order.host,
            "version": order.version,
            "wheel": list(order.wheel),
            "pip": list(order.pip),
            "packages": [[one.name, one.version, list(one.hashes)] for one in order.packages],
            "drain_limit": order.drain_limit,
            "proof_limit": order.proof_limit,
        }
    )


def requirements(order: Order) -> str:
    """The packages as pip reads them, each with the hashes that it accepts."""
    lines = []
    for one in order.packages:
        lines.append(" ".join([f"{one.name}=={one.version}", *(f"--hash=sha256:{found}" for found in one.hashes)]))
    return "\n".join(lines) + "\n"


def _package(given: Any) -> Package:
    name, version, hashes = given
    if not 0 < len(hashes) <= MAX_HASHES:
        raise ValueError(f"{name} has {len(hashes)} hashes")
    return Package(_matched(_NAME, name), _matched(_VERSION, version), tuple(_matched(_SHA256, one) for one in hashes))


def _file(given: Any) -> tuple[str, str]:
    name, sha256 = given
    return _matched(_FILE, name), _matched(_SHA256, sha256)


def _seconds(given: Any) -> float:
    seconds = float(given)
    if not 0 < seconds <= 30 * 86_400:
        raise ValueError(f"{given!r} seconds")
    return seconds


def _matched(pattern: re.Pattern[str], given: Any) -> str:
    if not isinstance(given, str) or not pattern.fullmatch(given):
        raise ValueError(f"{str(given)[:60]!r} cannot be used")
    return given


def from_answer(answer: Mapping[str, Any], signer: str, host: str, number: int) -> Order:
    """The order in an answer of the server, checked: signed, readable, for this host, and the one that was asked for.
    Raises OrderRefused."""
    text = str(answer.get("order") or "")
    if not text:
        raise OrderRefused("The server sent no order.")
    check_signature(text, str(answer.get("signature") or ""), signer)
    order = read_order(text)
    if order.host.lower() != host.lower():
        raise OrderRefused(f"The order is for {order.host}, and this host is {host}.")
    if order.number != number:
        raise OrderRefused(f"The server sent order {order.number} instead of {number}.")
    return order
