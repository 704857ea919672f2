"""Evidence about the way to the server, tried step by step until one fails."""

from __future__ import annotations

import email.utils
import json
import socket
import ssl
import time
import urllib.error
import urllib.request
from urllib.parse import urlsplit

from ..errors import Untrusted
from ..http_client import unreachable
from ..system import trials
from .evidence import Check
from .files import MAX_FILE_BYTES, text_of

PATIENCE = 15.0
MAX_CLOCK_DIFFERENCE = 120.0
NSSWITCH = "/etc/nsswitch.conf"
KEY_ADDRESS = "/agent/v1/key"


def tried_server(server: str, key: str) -> list[Check]:
    """The way to the server, step by step, until one fails: connection, answer, certificate, clock, key."""
    facts = {"address": server, **trials.proxy_facts(server)}
    failed = trials.failed_of([("server", lambda: trials.connect(server), lambda: facts)])
    if failed:
        if facts.get("proxy"):
            facts["direct"] = _direct(server)
        return [Check("connection", False, failed[0].why, {**facts, **_sources_of_names()})]
    found = [Check("connection", True, f"a connection to {':'.join(map(str, trials.way_to(server)))} is made", facts)]
    try:
        with urllib.request.urlopen(f"{server}/healthz", timeout=PATIENCE) as answer:  # noqa: S310 - the agent's server
            date = answer.headers.get("Date", "")
            health = json.loads(answer.read(MAX_FILE_BYTES))
        is_ours = isinstance(health, dict) and health.get("status") == "ok"
        found.append(
            Check(
                "answer", is_ours, f"{server} answers" if is_ours else f"{server} is not a Yellow Paddock server", facts
            )
        )
        if date:
            found.append(_clock_check(date))
    except urllib.error.HTTPError as error:
        found.append(Check("answer", False, f"{server} answered {error.code} {error.reason}", facts))
    except (OSError, ValueError) as error:
        named = unreachable(f"{server}/agent/", error)
        if facts.get("proxy"):
            facts["direct"] = _direct(server)
        name = "certificate" if isinstance(named, Untrusted) else "answer"
        found.append(Check(name, False, str(named), {**facts, "speaks TLS": _speaks_tls(server)}))
    if key and all(one.ok for one in found if one.name != "clock"):
        found += _key_checks(server, key)
    return found


def _sources_of_names() -> dict[str, str]:
    """Where this machine looks names up, by nsswitch.conf(5)."""
    for number, line in enumerate(text_of(NSSWITCH).splitlines(), 1):
        name, _, sources = line.partition("#")[0].partition(":")
        if name.strip() == "hosts":
            return {"sources of names": " ".join(sources.split()), "sources line": str(number)}
    return {}


def _direct(server: str) -> str:
    """Whether the server answers without the proxy: "yes", or why not."""
    parts = urlsplit(server)
    opener = urllib.request.build_opener(urllib.request.ProxyHandler({}))
    try:
        with opener.open(f"{parts.scheme}://{parts.netloc}/healthz", timeout=PATIENCE):
            return "yes"
    except (OSError, ValueError) as error:
        return str(getattr(error, "reason", error))


def _speaks_tls(server: str) -> str:
    """ "yes" if the server's port accepts a TLS handshake, else "no". The scheme of the address does not matter."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE  # nothing is sent, only the kind is asked
    host, port = trials.way_to(server)
    try:
        with socket.create_connection((host, port), timeout=PATIENCE) as plain, context.wrap_socket(plain):
            return "yes"
    except (OSError, ValueError):
        return "no"


def _clock_check(date: str) -> Check:
    try:
        ahead = time.time() - email.utils.parsedate_to_datetime(date).timestamp()
    except (TypeError, ValueError):
        return Check("clock", True, "the server does not tell its time")
    return Check(
        "clock",
        abs(ahead) < MAX_CLOCK_DIFFERENCE,
        f"this machine's clock is {ahead:+.0f} s off the server's",
        {"off": f"{ahead:.0f}"},
    )


def _key_checks(server: str, key: str) -> list[Check]:
    """Whether the server knows the key, and hears the agent that has it."""
    name = "server knows the key"
    asked = urllib.request.Request(f"{server}{KEY_ADDRESS}", headers={"Authorization": f"Bearer {key}"})  # noqa: S310
    try:
        with urllib.request.urlopen(asked, timeout=PATIENCE) as answer:  # noqa: S310 - the agent's server
            known = json.loads(answer.read(MAX_FILE_BYTES))
    except urllib.error.HTTPError as error:
        return [Check(name, error.code != 401, f"the server answered {error.code} {error.reason}")]
    except (OSError, ValueError) as error:
        return [Check(name, True, f"not answered: {error}")]
    hears = isinstance(known, dict) and known.get("connected") is True
    return [
        Check(name, True, "the server knows the agent's key"),
        Check("connected", hears, "the server hears the agent" if hears else "the server does not hear the agent"),
    ]
