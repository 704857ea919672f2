"""Runs the server under Uvicorn: one process, one event loop."""

from __future__ import annotations

import asyncio
import errno
import logging
import os
import socket
import sys
from pathlib import Path
from types import FrameType

import uvicorn
from django.conf import settings

from paddock_agent import wire

from . import __version__
from .data_folder import FolderInUse, FolderOpen, close_to_others, locked
from .front.certificate import Certificate, CertificateInvalid
from .front.doors import Doors, bounds_for, raise_file_limit
from .front.protocol import BoundedHttp, BoundedSocket
from .install.versions import keep_versions
from .process import event_loop
from .settings_file import value_of
from .storage.migrate import DatabaseRefused, migrate

log = logging.getLogger("paddock.server")

SHUTDOWN_PATIENCE = 5


class _Server(uvicorn.Server):
    def __init__(self, config: uvicorn.Config, certificate: Certificate | None) -> None:
        super().__init__(config)
        self.certificate = certificate

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        # Before the sockets close: agents whose sockets the server closes itself are not lost.
        event_loop.server().stopping = True
        super().handle_exit(sig, frame)

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets)
        if self.certificate:
            self._reloading = asyncio.create_task(self.certificate.reload_loop())


def serve(bind: str, port: int) -> int:
    """Serves until it is stopped. Returns the exit code: 1 where it cannot, which it says."""
    try:
        close_to_others(settings.DATA)
        with locked(settings.DATA):
            certificate = own_certificate()
            _prepare()
            return _listen(bind, port, certificate)
    except (FolderInUse, FolderOpen, DatabaseRefused, CertificateInvalid) as error:
        print(error, file=sys.stderr)  # noqa: T201
        return 1


def upgrade() -> int:
    """Upgrades the database of a stopped server. Returns the exit code."""
    try:
        close_to_others(settings.DATA)
        with locked(settings.DATA):
            copy = migrate()
    except (FolderInUse, FolderOpen, DatabaseRefused) as error:
        print(error, file=sys.stderr)  # noqa: T201
        return 1
    print(f"Upgraded. The database from before is {copy}." if copy else "The database is of this version.")  # noqa: T201
    return 0


def _prepare() -> None:
    """What has to be so before anything is served. Only the one server of a data folder does this."""
    from .time_line.actions.check import check_time_line

    if copy := migrate():
        log.info("The database was upgraded. The one from before is %s.", copy)
    check_time_line()
    keep_versions()


def listening_socket(bind: str, port: int) -> socket.socket:
    """The socket that the server accepts on. Raises OSError.

    What it accepts inherits TCP_NODELAY: head and body of an answer leave in two writes, and without it the second one
    waits some 40 ms for the client's acknowledgement. asyncio sets it only on sockets that it made itself.
    """
    made = socket.create_server((bind, port), family=socket.AF_INET6 if ":" in bind else socket.AF_INET)
    made.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    return made


def own_certificate() -> Certificate | None:
    """The certificate of the settings; None for a server that speaks HTTP. Raises CertificateInvalid."""
    certificate, key = value_of("certificate"), value_of("certificate_key")
    if not certificate and not key:
        return None
    if not certificate or not key:
        raise CertificateInvalid("certificate and certificate_key belong together: the settings have only one of them.")
    return Certificate(Path(certificate), Path(key))


def _listen(bind: str, port: int, certificate: Certificate | None) -> int:
    try:
        listening = listening_socket(bind, port)
    except OSError as error:
        print(_cannot_listen(bind, port, error), file=sys.stderr)  # noqa: T201
        return 1
    BoundedHttp.doors = Doors(bounds_for(raise_file_limit()), settings.PROXIES)
    config = uvicorn.Config(
        "paddock_server.asgi:application",
        http=BoundedHttp,
        # Only a named proxy may say who the client is.
        proxy_headers=bool(settings.PROXIES),
        forwarded_allow_ips=settings.PROXIES,
        log_config=None,
        access_log=False,
        server_header=False,
        ws=BoundedSocket,
        ws_max_size=wire.MAX_MESSAGE_BYTES,
        # Pings keep ways through networks open; the grace of the paddock decides who is silent too long.
        ws_ping_interval=20,
        ws_ping_timeout=None,
        ws_per_message_deflate=False,
        lifespan="on",
        timeout_graceful_shutdown=SHUTDOWN_PATIENCE,
    )
    if certificate:
        config.load()
        config.ssl = certificate.context
    shown = f"{'https' if certificate else 'http'}://{f'[{bind}]' if ':' in bind else bind}:{port}{settings.SUB_PATH}"
    log.info("Yellow Paddock %s listens at %s. Its data is in %s.", __version__, shown, settings.DATA)
    with listening:
        _Server(config, certificate).run(sockets=[listening])
    return 0


def _cannot_listen(bind: str, port: int, error: OSError) -> str:
    if error.errno == errno.EADDRINUSE:
        return (
            f"Port {port} of {bind} is taken: another program listens there, perhaps another Yellow Paddock. "
            f"Stop that one, or take another port: paddock serve --port {port + 1}, or make demo PORT={port + 1}."
        )
    if error.errno == errno.EACCES:
        return f"This account may not open port {port} of {bind}. Ports under 1024 need more rights; take a higher one."
    return f"The server cannot listen at {bind} port {port}: {os.strerror(error.errno or 0)}."
