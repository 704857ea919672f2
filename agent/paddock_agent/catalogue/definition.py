"""What a tool's file says."""

from __future__ import annotations

import datetime
from typing import Annotated, Literal

import msgspec
from msgspec import Meta

Name = Annotated[str, Meta(pattern=r"^[a-z0-9][a-z0-9._+-]{0,59}$")]
"""The name of a tool, as terms write it."""
Text = Annotated[str, Meta(max_length=500)]
Arguments = Annotated[list[Text], Meta(max_length=20)]
Texts = Annotated[list[Text], Meta(max_length=40)]

Kind = Literal[
    "compiler or SDK",
    "language runtime",
    "package manager",
    "build system",
    "mobile",
    "containers",
    "browser",
    "shell",
    "version control",
    "signing and packaging",
    "database client",
    "other",
]
Scheme = Literal["generic", "jdk", "semver", "pep440", "debian", "maven", "date"]


class RegistryPlace(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A place named in the Windows registry: ``*`` in ``key`` stands for part of a name; ``value`` holds a folder,
    below which the tool lies in ``inside``."""

    key: Text
    value: Text
    inside: Text = ""


class Bundle(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A property list of macOS that tells the version, without anything being run. ``program`` is beside it: a path
    from the folder that ``home`` steps above the list."""

    plist: Text
    version: Text = "CFBundleShortVersionString"
    build: Text = ""
    program: Text = ""
    home: int = 1


class VersionFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A text file beside the tool that tells the version, without anything being run. ``program`` is beside it."""

    file: Text
    reads: Text
    program: Text = ""


class Listing(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A command of the system that lists installations: each line that ``reads`` matches is one. With ``{version}``
    nothing more is run, and if a path is listed too, the installation is the folder of its version in it; with
    ``{path}`` or ``{home}`` alone, what lies there is asked."""

    run: Annotated[list[Text], Meta(min_length=1, max_length=20)]
    reads: Text
    path: Text = ""
    """The file that a line without a path is about."""


class Places(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Where a tool is found on one system, beside the path. ``*`` stands for part of a name, ``~`` for the account's
    own folder."""

    commands: Texts = msgspec.field(default_factory=list)
    """Instead of the tool's own, where they are called otherwise here."""
    folders: Texts = msgspec.field(default_factory=list)
    registry: Annotated[list[RegistryPlace], Meta(max_length=20)] = msgspec.field(default_factory=list)
    bundles: Annotated[list[Bundle], Meta(max_length=20)] = msgspec.field(default_factory=list)
    version_files: Annotated[list[VersionFile], Meta(max_length=20)] = msgspec.field(default_factory=list)
    listings: Annotated[list[Listing], Meta(max_length=5)] = msgspec.field(default_factory=list)


class End(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """When support of a line of versions ends: ``line`` is a range, as terms write it."""

    line: Text
    day: datetime.date


class Tool(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One tool.

    ``commands`` are patterns of file names, of which those without ``*`` or ``[`` are what people type. ``ask`` are the
    arguments that make it say its version; ``reads`` are the lines in which it says so (see ``reading``), on
    ``stream``, under ``locale`` ("own" leaves the account's). Where it prints one of ``absent_when``, it only stands in
    for a tool that is not there. With an exit code other than ``exit_codes`` it is broken. ``whole_with`` must lie
    beside it for the tool to be whole: a JDK has a compiler.

    ``home_variables`` name its home in the environment, and in a job that is bound to it; ``on_path`` are the folders
    below its home that such a job gets on its path. ``ends_source`` says where the ends of support are published.
    """

    name: Name
    title: Text
    kind: Kind
    commands: Annotated[list[Text], Meta(min_length=1, max_length=20)]
    reads: Texts
    ask: Arguments = msgspec.field(default_factory=lambda: ["--version"])
    stream: Literal["either", "out", "error"] = "either"
    locale: Annotated[str, Meta(pattern=r"^[A-Za-z0-9_.-]{1,40}$")] = "C"
    exit_codes: Annotated[list[int], Meta(min_length=1, max_length=10)] = msgspec.field(default_factory=lambda: [0])
    seconds: Annotated[float, Meta(gt=0, le=60)] = 10.0
    absent_when: Texts = msgspec.field(default_factory=list)
    whole_with: Text = ""
    aliases: Annotated[list[Name], Meta(max_length=20)] = msgspec.field(default_factory=list)
    scheme: Scheme = "generic"
    purl: Text = ""
    home_variables: Annotated[list[Annotated[str, Meta(pattern=r"^[A-Za-z_]\w{0,99}$")]], Meta(max_length=10)] = (
        msgspec.field(default_factory=list)
    )
    on_path: Texts = msgspec.field(default_factory=lambda: ["bin"])
    linux: Places | None = None
    macos: Places | None = None
    windows: Places | None = None
    ends: Annotated[list[End], Meta(max_length=100)] = msgspec.field(default_factory=list)
    ends_source: Text = ""

    def places(self, family: str) -> Places | None:
        """Where it is found on a system; None where it is not looked for there."""
        found: Places | None = getattr(self, family)
        return found
