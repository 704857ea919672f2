"""The catalogue as this server has it: the built-in tools, and the released definitions of its administrators over
them."""

from __future__ import annotations

import logging
from dataclasses import dataclass
from functools import cached_property

import msgspec
from nacl.signing import SigningKey

from paddock_agent.catalogue import Tool, built_in, read_tool
from paddock_agent.catalogue.signing import signed_text, trial_text
from paddock_agent.errors import BadTool
from paddock_core.terms import ToolWords

from ..data_folder import data_folder, stored_secret
from ..process.state import part
from .models import ToolEdit

log = logging.getLogger("paddock.toolchains")

KEY_FILE = "probes.key"


@dataclass(frozen=True)
class Catalogue:
    """All tools by name; ``number`` is that of the newest release, 0 for the built-in tools alone."""

    tools: dict[str, Tool]
    number: int
    own: frozenset[str]
    """The names of the tools that are defined by this server."""

    @cached_property
    def words(self) -> ToolWords:
        """What terms need to know of it."""
        schemes = {tool.name: tool.scheme for tool in self.tools.values() if tool.scheme != "generic"}
        return ToolWords(
            schemes, {a: tool.name for tool in self.tools.values() for a in tool.aliases if a not in self.tools}
        )

    @cached_property
    def commands(self) -> dict[str, str]:
        """The tool behind each command that people type."""
        return {
            command.lower(): tool.name
            for tool in self.tools.values()
            for command in reversed(tool.commands)
            if not any(mark in command for mark in "*[?")
        }

    @cached_property
    def own_text(self) -> str:
        """The server's own definitions, as agents get them."""
        return msgspec.json.encode([self.tools[name] for name in sorted(self.own)]).decode()


class _Known:
    catalogue: Catalogue | None = None


def catalogue() -> Catalogue:
    """The catalogue; read from the database once after each release."""
    known = part(_Known)
    if known.catalogue is None:
        known.catalogue = _read()
    return known.catalogue


def forget() -> None:
    """After a release."""
    part(_Known).catalogue = None


def _read() -> Catalogue:
    tools = {tool.name: tool for tool in built_in()}
    own: set[str] = set()
    number = 0
    for edit in ToolEdit.objects.exclude(release=None).order_by("release"):
        number = edit.release or number
        tools.pop(edit.tool, None)
        own.discard(edit.tool)
        builtin = next((tool for tool in built_in() if tool.name == edit.tool), None)
        if not edit.text:
            tools.update({edit.tool: builtin} if builtin else {})
            continue
        try:
            tools[edit.tool] = read_tool(edit.text)
            own.add(edit.tool)
        except BadTool as error:  # the rules may have become stricter since it was released
            log.warning("The definition of %s is left out: %s", edit.tool, error)
            tools.update({edit.tool: builtin} if builtin else {})
    return Catalogue(dict(sorted(tools.items())), number, frozenset(own))


def signing_key() -> SigningKey:
    """The key with which this server signs probes: in a file of its own, which only the server's account can read."""
    return SigningKey(
        bytes.fromhex(stored_secret(data_folder() / KEY_FILE, lambda: bytes(SigningKey.generate()).hex()))
    )


def public_key() -> str:
    """What agents check signatures with, in hexadecimal."""
    return bytes(signing_key().verify_key).hex()


def signature_of_set(number: int, tools: str) -> str:
    """Signs a set of probes."""
    return signing_key().sign(signed_text(number, tools)).signature.hex()


def signature_of_trial(trial: int, tool: str) -> str:
    """Signs the definition of a dry run."""
    return signing_key().sign(trial_text(trial, tool)).signature.hex()
