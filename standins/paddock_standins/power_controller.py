"""A small controller of machines that speaks Redfish (DMTF, DSP0266) over TLS, with the paths and the errors of the
standard: what a machine of the demo has beside it to be switched on from afar.

It has one system. Its certificate is made when it starts for the first time, and signed by itself.
"""

from __future__ import annotations

import asyncio
import base64
import datetime as dt
import hmac
import json
import ssl
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from .machine import Machine

VARIABLE = "PADDOCK_CONTROLLER_PORT"
FILE = "controller.pem"
USER, PASSWORD = "paddock", "tide gauge 7"
ROOT = "/redfish/v1"
SYSTEM, CHASSIS = f"{ROOT}/Systems/1", f"{ROOT}/Chassis/1"
RESET = f"{SYSTEM}/Actions/ComputerSystem.Reset"
MAX_BODY = 10_000


@dataclass
class Plugged:
    """The machine behind a controller. ``switch`` is called with True for on; ``shows`` is a power state that the
    controller insists on, "" for the true one. ``asked`` counts the calls that sent a password, by whether it was
    right."""

    is_on: Callable[[], bool]
    switch: Callable[[bool], None]
    user: str = USER
    password: str = PASSWORD
    watts_on: float = 61.0
    watts_off: float = 3.5
    shows: str = ""
    allowed: tuple[str, ...] = ("On", "ForceOff", "GracefulShutdown")
    asked: dict[bool, int] = field(default_factory=lambda: {True: 0, False: 0})

    @property
    def power_state(self) -> str:
        return self.shows or ("On" if self.is_on() else "Off")


class PowerController:
    """Serves one machine at ``address``, until ``stop``. Its key and its certificate are kept in ``file``."""

    def __init__(self, plugged: Plugged, file: Path, port: int = 0, host: str = "127.0.0.1") -> None:
        if not file.exists():
            file.touch(0o600)
            file.write_bytes(b"".join(_self_signed(host)))
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        context.load_cert_chain(file)
        self._server = ThreadingHTTPServer((host, port), _handler_of(plugged))
        self._server.socket = context.wrap_socket(self._server.socket, server_side=True)
        self.certificate = certificate_in(file)
        self.address = f"https://{host}:{self._server.server_port}"
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def stop(self) -> None:
        self._server.shutdown()
        self._server.server_close()


def certificate_in(file: Path) -> str:
    """The certificate of the controller whose file this is, in PEM."""
    begin = "-----BEGIN CERTIFICATE-----"
    return begin + file.read_text().partition(begin)[2]


def controller_of(machine: Machine, file: Path, port: int) -> PowerController:
    """The one beside a stand-in machine, which boots and stops on the loop that runs now."""
    loop = asyncio.get_running_loop()

    def switch(on: bool) -> None:
        if on:
            loop.call_soon_threadsafe(loop.call_later, machine.description.boot_seconds, machine.power_on)
        else:
            asyncio.run_coroutine_threadsafe(machine.power_off(), loop).result(10)

    return PowerController(Plugged(lambda: machine.is_on, switch), file, port)


def _handler_of(plugged: Plugged) -> type[BaseHTTPRequestHandler]:
    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            path = self.path.rstrip("/")
            if path == ROOT:
                self._answer(200, {"@odata.id": f"{ROOT}/", "Systems": {"@odata.id": f"{ROOT}/Systems"}})
            elif self._is_let_in():
                found = _resource(plugged, path)
                self._answer(200, found) if found else self._error(404, f"The resource {path} was not found.")

        def do_POST(self) -> None:
            length = min(int(self.headers.get("Content-Length") or 0), MAX_BODY)
            body = self.rfile.read(length)
            if not self._is_let_in():
                return
            if self.path != RESET:
                self._error(404, f"The resource {self.path} was not found.")
                return
            try:
                kind = json.loads(body)["ResetType"]
            except (ValueError, KeyError, TypeError):
                self._error(400, "The request has no ResetType.")
                return
            if kind not in plugged.allowed:
                self._error(400, f"The value {kind} for ResetType is not allowed.")
            elif kind == "On" and plugged.power_state == "On":
                self._error(409, "The system is on already.")
            else:
                plugged.switch(kind == "On")
                self.send_response(204)
                self.send_header("Content-Length", "0")
                self.end_headers()

        def _is_let_in(self) -> bool:
            wanted = base64.b64encode(f"{plugged.user}:{plugged.password}".encode()).decode()
            given = self.headers.get("Authorization", "")
            is_right = hmac.compare_digest(given.encode(), f"Basic {wanted}".encode())
            plugged.asked[is_right] += 1
            if not is_right:
                self._error(401, "The account or its password is not right.")
            return is_right

        def _answer(self, status: int, body: dict[str, Any]) -> None:
            content = json.dumps(body).encode()
            self.send_response(status)
            self.send_header("Content-Type", "application/json")
            self.send_header("OData-Version", "4.0")
            self.send_header("Content-Length", str(len(content)))
            self.end_headers()
            self.wfile.write(content)

        def _error(self, status: int, message: str) -> None:
            more = [{"MessageId": "Base.1.18.GeneralError", "Message": message}]
            self._answer(
                status, {"error": {"code": "Base.1.18.GeneralError", "message": message, "@Message.ExtendedInfo": more}}
            )

        def log_message(self, format: str, *args: object) -> None:
            """Nothing: who asks knows."""

    return Handler


def _resource(plugged: Plugged, path: str) -> dict[str, Any] | None:
    watts = plugged.watts_on if plugged.is_on() else plugged.watts_off
    found: dict[str, dict[str, Any]] = {
        f"{ROOT}/Systems": {"Members@odata.count": 1, "Members": [{"@odata.id": SYSTEM}]},
        SYSTEM: {
            "@odata.id": SYSTEM,
            "Id": "1",
            "PowerState": plugged.power_state,
            "Links": {"Chassis": [{"@odata.id": CHASSIS}]},
            "Actions": {
                "#ComputerSystem.Reset": {
                    "target": RESET,
                    "ResetType@Redfish.AllowableValues": list(plugged.allowed),
                }
            },
        },
        CHASSIS: {"@odata.id": CHASSIS, "EnvironmentMetrics": {"@odata.id": f"{CHASSIS}/EnvironmentMetrics"}},
        f"{CHASSIS}/EnvironmentMetrics": {"PowerWatts": {"Reading": watts}},
    }
    return found.get(path)


def _self_signed(host: str) -> tuple[bytes, bytes]:
    """A key and its certificate, in PEM. As many controllers do, it names no address under which it is reached."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, f"controller {host}")])
    now = dt.datetime.now(dt.UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - dt.timedelta(days=1))
        .not_valid_after(now + dt.timedelta(days=365))
        .sign(key, hashes.SHA256())
    )
    pem = serialization.Encoding.PEM
    return (
        key.private_bytes(pem, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()),
        made.public_bytes(pem),
    )
