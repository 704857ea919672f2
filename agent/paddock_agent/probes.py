"""The catalogue that this agent surveys with: the built-in tools, and those that its server has signed.

A probe is a command that runs on this host, so one is taken only with the signature of the server that the agent knows
since it first met it, and never an older set than the one that it has. An administrator of the host may turn them all
off."""

from __future__ import annotations

import logging
import os
from pathlib import Path

import msgspec

from .catalogue import Tool, built_in, checked, read_tool
from .catalogue.signing import signed_text, trial_text
from .errors import AgentError, BadTool

log = logging.getLogger("paddock.agent")

ONLY_BUILT_IN = "probes-built-in-only"
SWITCH = "PADDOCK_PROBES"
"""``built-in`` in the environment of the agent turns the server's probes off too."""
_FILE, _SIGNER = "probes.json", "probes.signer"


class ProbesRefused(AgentError):
    """Probes that this host does not take; the sentence says why."""


class _Stored(msgspec.Struct):
    number: int
    tools: str
    signature: str


class Probes:
    """The agent's catalogue. ``home`` is the agent's own folder."""

    def __init__(self, home: Path) -> None:
        self._home = home
        self.number = 0
        self.refused = ""
        self.tools: tuple[Tool, ...] = built_in()
        try:
            stored = msgspec.json.decode((home / _FILE).read_bytes(), type=_Stored)
        except FileNotFoundError:
            return
        except (OSError, msgspec.DecodeError) as error:
            log.warning("The probes of the server cannot be read: %s", error)
            return
        self.accept(stored.number, stored.tools, stored.signature, save=False)

    def know(self, signer: str) -> None:
        """Notes the server's public key when it is first seen; later ones change nothing."""
        file = self._home / _SIGNER
        if signer and not file.exists():
            self._home.mkdir(parents=True, exist_ok=True)
            file.write_text(signer)

    def accept(self, number: int, tools: str, signature: str, save: bool = True) -> bool:
        """Takes a set of probes over the built-in tools; whether that changed anything. What is wrong is in
        ``refused``."""
        if number == self.number and save:
            return False
        try:
            if number < self.number:
                raise ProbesRefused(f"probes {number} are older than {self.number}, which this host has")
            self._check(signed_text(number, tools), signature)
            fresh = [checked(tool) for tool in msgspec.json.decode(tools, type=list[Tool])]
        except (ProbesRefused, BadTool, msgspec.DecodeError) as error:
            self.refused = str(error)[:2000]
            log.warning("Probes of the server are not taken: %s", error)
            return True
        self.refused, self.number = "", number
        # A definition of the server's stands in for the built-in one of its name.
        self.tools = tuple({tool.name: tool for tool in (*built_in(), *fresh)}.values())
        if save:
            self._write(_Stored(number, tools, signature))
        return True

    def for_trial(self, trial: int, tool: str, signature: str) -> Tool:
        """The definition of a dry run. Raises ProbesRefused or BadTool."""
        self._check(trial_text(trial, tool), signature)
        return read_tool(tool)

    def _check(self, text: bytes, signature: str) -> None:
        from nacl.exceptions import BadSignatureError
        from nacl.signing import VerifyKey

        if why := self.why_only_built_in():
            raise ProbesRefused(why)
        try:
            signer = (self._home / _SIGNER).read_text().strip()
            VerifyKey(bytes.fromhex(signer)).verify(text, bytes.fromhex(signature))
        except BadSignatureError:
            raise ProbesRefused("they are not signed by the server that this host knows") from None
        except (OSError, ValueError, TypeError):
            raise ProbesRefused(
                "this host does not know its server's key for probes, or the signature is missing"
            ) from None

    def why_only_built_in(self) -> str:
        """Why this host takes built-in probes only, "" where it takes the server's too."""
        if os.environ.get(SWITCH, "").strip().lower() == "built-in":
            return f"this host takes built-in probes only ({SWITCH}=built-in)"
        if (self._home / ONLY_BUILT_IN).exists():
            return "this host takes built-in probes only (`paddock-agent probes --all` would change that)"
        return ""

    def only_built_in(self, wanted: bool) -> None:
        """Turns the server's probes off or on, for the next start of the agent."""
        file = self._home / ONLY_BUILT_IN
        if wanted:
            self._home.mkdir(parents=True, exist_ok=True)
            file.touch()
        else:
            file.unlink(missing_ok=True)

    def definition(self, tool: str) -> Tool | None:
        """What the catalogue says of a tool."""
        return next((one for one in self.tools if one.name == tool), None)

    def _write(self, stored: _Stored) -> None:
        fresh = self._home / f"{_FILE}.new"
        fresh.write_bytes(msgspec.json.encode(stored))
        fresh.replace(self._home / _FILE)
