"""The texts that make the server a service: its unit, and its settings file."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from paddock_core.settings_file import ADDRESS, is_network

_ACCOUNT = re.compile(r"[a-z_][a-z0-9_-]{0,30}")
_NAME = re.compile(r"[A-Za-z0-9]([A-Za-z0-9.-]{0,250}[A-Za-z0-9])?")
_UNSAFE = re.compile(r"[\s%$\"'\\]")
HIDDEN = {("/", "home"), ("/", "root"), ("/", "tmp"), ("/", "run")}
"""Folders that the unit keeps from the service, by their first parts."""


class SetupInvalid(Exception):
    """An option cannot be; the text says which and why."""


@dataclass(frozen=True)
class Wanted:
    """What is to be set up. ``name`` is that of the server for people; ``program`` the ``paddock`` command."""

    name: str
    program: Path
    bind: str = "127.0.0.1"
    port: int = 8200
    account: str = "yellow-paddock"
    data: Path = Path("/var/lib/yellow-paddock")
    administrator: str = "harbourmaster"
    certificate: Path | None = None
    certificate_key: Path | None = None
    proxies: tuple[str, ...] = ()
    public_url: str = ""
    """The address that a reverse proxy gives the server."""

    @property
    def url(self) -> str:
        """The address for people."""
        if self.public_url:
            return self.public_url.rstrip("/")
        scheme, usual = ("https", 443) if self.certificate else ("http", 80)
        return f"{scheme}://{self.name}" + ("" if self.port == usual else f":{self.port}")


def checked(wanted: Wanted) -> Wanted:
    """The same. Raises SetupInvalid."""
    if not _NAME.fullmatch(wanted.name):
        raise SetupInvalid(f"{wanted.name!r} is not a host name. Name the server as people reach it, with --name.")
    if not _ACCOUNT.fullmatch(wanted.account) or wanted.account == "root":
        raise SetupInvalid(f"{wanted.account!r} cannot be the account. It is a system account of the server's own.")
    if not 1 <= wanted.port <= 65535:
        raise SetupInvalid(f"{wanted.port} is not a port: 1 to 65535.")
    if (wanted.certificate is None) != (wanted.certificate_key is None):
        raise SetupInvalid("--certificate and --certificate-key belong together: give both, or neither.")
    if wanted.public_url and not ADDRESS.fullmatch(wanted.public_url):
        raise SetupInvalid(f"{wanted.public_url!r} is not an address such as https://builds.example/paddock.")
    if wrong := [one for one in wanted.proxies if not is_network(one)]:
        raise SetupInvalid(f"{wrong[0]!r} is neither an IP address nor a network, for --proxy.")
    places = [(wanted.data, "the data folder"), (wanted.program, "the program")]
    places += [(one, "a certificate or key") for one in (wanted.certificate, wanted.certificate_key) if one]
    for place, what in places:
        if not place.is_absolute() or _UNSAFE.search(str(place)):
            raise SetupInvalid(f"{place} cannot be {what}: use an absolute path without spaces, quotes, % and $.")
    if wanted.data.parts[:2] in HIDDEN or len(wanted.data.parts) < 3:
        raise SetupInvalid(
            f"{wanted.data} cannot be the data folder: the service cannot see it. Choose one in /var/lib."
        )
    if wanted.program.parts[:2] in HIDDEN:
        raise SetupInvalid(
            f"The program is in {wanted.program.parent}, which the service cannot see. Install it into "
            "/opt/yellow-paddock, and run setup from there."
        )
    return wanted


def settings_text(wanted: Wanted) -> str:
    """The settings file. More can be added by hand; setup changes only these lines."""
    return "".join(f"{name} = {value}\n" for name, value in settings_of(wanted).items())


def settings_of(wanted: Wanted) -> Mapping[str, str]:
    """The settings that setup makes, as TOML."""
    settings: dict[str, object] = {
        "data": str(wanted.data),
        "bind": wanted.bind,
        "port": wanted.port,
        "hosts": [wanted.name],
        "url": wanted.url,
    }
    if wanted.certificate:
        settings |= {"certificate": str(wanted.certificate), "certificate_key": str(wanted.certificate_key)}
    if wanted.proxies:
        settings["proxies"] = list(wanted.proxies)
    return {name: json.dumps(value) for name, value in settings.items()}


def merged_settings(present: str, wanted: Wanted) -> str:
    """The present file with the settings of setup in it; all other lines stay as they are, in their order."""
    own = dict(settings_of(wanted))
    lines = []
    for line in present.splitlines():
        name = line.partition("=")[0].strip()
        lines.append(f"{name} = {own.pop(name)}" if name in own else line)
    return "\n".join([*lines, *(f"{name} = {value}" for name, value in own.items())]) + "\n"


def unit_of(wanted: Wanted, settings: Path, backup_folder: str = "") -> str:
    """The unit. It can see and do no more than the server needs; the folder of its backups may be missing."""
    may_write = (
        f"{wanted.data} -{backup_folder}" if backup_folder and not _UNSAFE.search(backup_folder) else wanted.data
    )
    low_port = wanted.port < 1024
    capability = "CAP_NET_BIND_SERVICE" if low_port else ""
    return f"""[Unit]
Description=Yellow Paddock server
After=network-online.target
Wants=network-online.target

[Service]
Type=notify
NotifyAccess=main
User={wanted.account}
Group={wanted.account}
Environment=PADDOCK_CONFIG={settings}
ExecStart={wanted.program} serve
Restart=on-failure
RestartSec=2
WatchdogSec=60
TimeoutStartSec=30min
TimeoutStopSec=30
LimitNOFILE=65536
UMask=0077
ReadWritePaths={may_write}
AmbientCapabilities={capability}
CapabilityBoundingSet={capability}
NoNewPrivileges=yes
ProtectSystem=strict
ProtectHome=yes
PrivateTmp=yes
PrivateDevices=yes
ProtectClock=yes
ProtectControlGroups=yes
ProtectHostname=yes
ProtectKernelLogs=yes
ProtectKernelModules=yes
ProtectKernelTunables=yes
RestrictAddressFamilies=AF_INET AF_INET6 AF_UNIX
RestrictNamespaces=yes
RestrictRealtime=yes
RestrictSUIDSGID=yes
LockPersonality=yes
SystemCallArchitectures=native
SystemCallFilter=@system-service

[Install]
WantedBy=multi-user.target
"""
