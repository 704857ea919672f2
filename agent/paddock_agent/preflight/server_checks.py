"""The checks that ask the server: whether it can be reached and trusted, its clock, the pass, the name."""

from __future__ import annotations

import email.utils
import json
import time
import urllib.error
import urllib.request

from ..address import clean_address
from ..errors import AgentError, Unreachable, Untrusted
from ..http_client import post, problem_of, unreachable
from ..system import System
from ..system.paths import paths_of
from .outcome import Check
from .plan import Plan

PATIENCE = 15.0
MAX_CLOCK_OFFSET_SECONDS = 60

_SETTING_CLOCK = {
    "linux": "timedatectl set-ntp true",
    "macos": "sudo systemsetup -setusingnetworktime on",
    "windows": "w32tm /resync",
}
_TRUSTING = {
    "linux": "export SSL_CERT_FILE=/path/to/your-authority.pem",
    "macos": "export SSL_CERT_FILE=/path/to/your-authority.pem",
    "windows": r"$env:SSL_CERT_FILE = 'C:\path\to\your-authority.pem'",
}


def server_checks(plan: Plan, system: System) -> list[Check]:
    """Server, clock, pass and name. After the first that fails the rest cannot be asked."""
    found: list[Check] = []
    try:
        server = clean_address(plan.server)
        if server != plan.server:
            found.append(
                Check("address", "ok", server, f"“{plan.server}” had stray spaces or slashes; they were left out.")
            )
        answered, off = _health(server)
    except Untrusted as error:
        return [*found, Check("server", "missing", plan.server, str(error), (_TRUSTING[system.family],))]
    except AgentError as error:
        return [*found, Check("server", "missing", plan.server, str(error))]
    if answered.get("status") != "ok":
        return [
            *found,
            Check("server", "missing", server, "This is not a Yellow Paddock server, or it is failing."),
        ]
    found.append(Check("server", "ok", f"answers at {server}"))
    found.append(_clock(off, system))
    if known := _joined_as(plan, system):
        found.append(Check("pass", "ok", f"not needed: this machine has joined as {known}"))
    elif plan.secret:
        found.append(_pass(server, plan, system))
    else:
        found.append(Check("pass", "mind", "none given", "PADDOCK_PASS has to hold one when it comes to joining."))
    return found


def _joined_as(plan: Plan, system: System) -> str:
    """The name under which this machine has joined already, "" where it has not."""
    text = system.read_text(paths_of(system).join(plan.home, "identity.json"))
    try:
        answered = json.loads(text or "{}")
        return str(answered.get("host", "")) if isinstance(answered, dict) else ""
    except ValueError:
        return ""


def _health(server: str) -> tuple[dict[str, object], float]:
    """What the server says of itself, and by how many seconds its clock is ahead of ours."""
    address = f"{server}/healthz"
    try:
        with urllib.request.urlopen(address, timeout=PATIENCE) as answer:  # noqa: S310 - clean_address
            date = email.utils.parsedate_to_datetime(answer.headers["Date"]).timestamp()
            answered = json.loads(answer.read(10_000))
    except urllib.error.HTTPError as error:
        raise Unreachable(f"{server} answered {error.code} {error.reason}.") from None
    except (OSError, ValueError, TypeError) as error:
        raise unreachable(f"{server}/agent/", error) from None
    return (answered if isinstance(answered, dict) else {}), date - time.time()


def _clock(off: float, system: System) -> Check:
    if abs(off) <= MAX_CLOCK_OFFSET_SECONDS:
        return Check("clock", "ok", "within a minute of the server's")
    way = "behind" if off > 0 else "ahead of"
    return Check(
        "clock", "missing", f"{abs(off):.0f} s {way} the server's",
        "Certificates, leases and logs go by it.", (_SETTING_CLOCK[system.family],),
    )  # fmt: skip


def _pass(server: str, plan: Plan, system: System) -> Check:
    secret = plan.secret.strip()
    asked = {"secret": secret, "name": plan.name, "hostname": system.hostname(), "sheet": plan.sheet}
    try:
        answered = json.loads(post(f"{server}/agent/v1/ask", json.dumps(asked).encode(), {}, PATIENCE))
        found = f"good for {answered['paddock']}, as {answered['name']}"
    except urllib.error.HTTPError as error:
        return Check("pass", "missing", "the server says no", problem_of(error))
    except (AgentError, ValueError, KeyError, TypeError) as error:
        return Check("pass", "mind", "could not be asked about", str(error))
    return Check("pass", "ok", found, "" if secret == plan.secret else "It had spaces round it; they were left out.")
