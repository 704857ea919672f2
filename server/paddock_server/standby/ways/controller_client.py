"""Calls of a controller that speaks Redfish (DMTF, DSP0266): bounded in time and size, over TLS alone, without
redirects, and only to paths under /redfish/ of the entered address.

Written from the standard: the service root, ``Systems``, ``PowerState``, the action ``ComputerSystem.Reset``, and the
power that ``EnvironmentMetrics`` or the older ``Power`` of a chassis reports.
"""

from __future__ import annotations

import json
import ssl
import time
from collections.abc import Mapping
from types import TracebackType
from typing import Any, Self
from urllib.parse import urlsplit

import httpx
from cryptography import x509

from ...errors import ActionError
from ...sealing import unseal
from ...tls import trusting_context
from .port import Controller

TIMEOUT_SECONDS = 10.0
MAX_ANSWER_BYTES = 256 * 1024
ROOT = "/redfish/v1/"
NOT_LET_IN = (401, 403)
MAX_WATTS = 100_000.0


class ControllerTrouble(Exception):
    """The sentence says what went wrong."""


class ControllerRefused(ControllerTrouble):
    """Its password or account is not accepted. Trying again would lock the account."""


def tls_of(certificate: str) -> ssl.SSLContext:
    """Trusts what the system trusts, or this PEM alone. A single certificate that is not an authority's is the
    controller's own: it is known by itself, so its name does not matter. Raises ValueError for any other text."""
    if not certificate:
        return trusting_context()
    try:
        read = x509.load_pem_x509_certificates(certificate.encode())
        context = ssl.create_default_context(cadata=certificate)
    except (ValueError, ssl.SSLError):
        raise ValueError("This is not a certificate in PEM: it begins with -----BEGIN CERTIFICATE-----.") from None
    if len(read) == 1 and not _is_authority(read[0]):
        context.check_hostname = False
        context.verify_flags |= ssl.VERIFY_X509_PARTIAL_CHAIN
    return context


def _is_authority(certificate: x509.Certificate) -> bool:
    try:
        return certificate.extensions.get_extension_for_class(x509.BasicConstraints).value.ca
    except x509.ExtensionNotFound:
        return False


class ControllerClient:
    """One conversation with a controller. Each call raises ControllerTrouble."""

    def __init__(self, controller: Controller) -> None:
        if controller.refused:
            raise ControllerRefused(controller.refused)
        self._wanted = controller.system
        try:
            password = unseal(controller.sealed_for, controller.sealed) if controller.sealed else ""
            context = tls_of(controller.certificate)
        except (ActionError, ValueError) as error:
            raise ControllerTrouble(str(error)) from None
        parts = urlsplit(controller.address)
        self._base = f"https://{parts.netloc}"
        self._http = httpx.Client(
            verify=context,
            timeout=TIMEOUT_SECONDS,
            follow_redirects=False,
            trust_env=False,
            auth=(controller.user, password),
            headers={"Accept": "application/json", "OData-Version": "4.0"},
        )
        self._system: Mapping[str, Any] | None = None

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *of: type[BaseException] | BaseException | TracebackType | None) -> None:
        self._http.close()

    def power_state(self) -> str:
        """As it says: ``On``, ``Off``, ``PoweringOn`` or ``PoweringOff``."""
        return str(self._computer().get("PowerState") or "nothing")[:40]

    def reset(self, kind: str) -> None:
        """``kind`` is a ResetType of the standard, as ``On`` or ``ForceOff``."""
        action = _inside(self._computer(), "Actions", "#ComputerSystem.Reset")
        allowed = action.get("ResetType@Redfish.AllowableValues")
        if isinstance(allowed, list) and kind not in allowed:
            raise ControllerTrouble(f"Its controller does not know the reset {kind}.")
        self._call("POST", _path(action.get("target"), "the reset"), {"ResetType": kind})

    def watts(self) -> float | None:
        """What the machine draws now; None where its controller does not measure it."""
        chassis = _inside(self._computer(), "Links").get("Chassis")
        if not isinstance(chassis, list) or not chassis:
            return None
        found = self._call("GET", _link(chassis[0], "the chassis"))
        if isinstance(found.get("EnvironmentMetrics"), dict):
            metrics = self._call("GET", _link(found["EnvironmentMetrics"], "the metrics"))
            return _number(_inside(metrics, "PowerWatts").get("Reading"))
        if isinstance(found.get("Power"), dict):
            control = self._call("GET", _link(found["Power"], "the power")).get("PowerControl")
            first = control[0] if isinstance(control, list) and control else None
            return _number(first.get("PowerConsumedWatts")) if isinstance(first, dict) else None
        return None

    def _computer(self) -> Mapping[str, Any]:
        if self._system is None:
            self._system = self._call("GET", self._path_of_system())
        return self._system

    def _path_of_system(self) -> str:
        root = self._call("GET", ROOT)
        members = self._call("GET", _link(root.get("Systems"), "its systems")).get("Members")
        paths = [_link(one, "a system") for one in members[:100]] if isinstance(members, list) else []
        names = {path.rstrip("/").rsplit("/", 1)[-1]: path for path in paths}
        if self._wanted:
            if self._wanted not in names:
                raise ControllerTrouble(
                    f"Its controller has no system {self._wanted}. It has: {', '.join(names)[:200] or 'none'}."
                )
            return names[self._wanted]
        if len(paths) != 1:
            raise ControllerTrouble(
                f"Its controller has {len(paths)} systems ({', '.join(names)[:200]}). Enter which one it is."
            )
        return paths[0]

    def _call(self, method: str, path: str, body: Mapping[str, Any] | None = None) -> Mapping[str, Any]:
        deadline = time.monotonic() + TIMEOUT_SECONDS
        try:
            with self._http.stream(method, self._base + path, json=body) as answer:
                content = b""
                for piece in answer.iter_bytes():
                    content += piece
                    if len(content) > MAX_ANSWER_BYTES:
                        raise ControllerTrouble(f"Its controller's answer is over {MAX_ANSWER_BYTES // 1024} KiB.")
                    if time.monotonic() > deadline:
                        raise httpx.ReadTimeout("")
                status = answer.status_code
        except httpx.TimeoutException:
            raise ControllerTrouble(f"Its controller did not answer within {TIMEOUT_SECONDS:g} s.") from None
        except (httpx.HTTPError, httpx.InvalidURL, ssl.SSLError) as error:
            raise ControllerTrouble(_unreached(error)) from None
        try:
            found = json.loads(content) if content.strip() else {}
        except (ValueError, RecursionError):
            found = None
        reported = _message(found)
        if status in NOT_LET_IN:
            raise ControllerRefused(
                f"Its controller refused the account or its password (status {status}{reported}). It is not asked "
                "again until an administrator enters them again."
            )
        if status >= 300 or not isinstance(found, dict):
            what = f"{method} {path[:100]}"
            raise ControllerTrouble(
                f"Its controller answered {what} with status {status}{reported or ', and no JSON'}."
            )
        return found


def _unreached(error: Exception) -> str:
    text = str(error)
    if "CERTIFICATE_VERIFY_FAILED" in text or "certificate verify failed" in text:
        why = text.partition("certificate verify failed:")[2].partition(" (")[0].strip() or "not trusted"
        return f"The certificate of its controller is not accepted ({why[:120]}). The password was not sent."
    return f"Its controller cannot be reached: {text[:200] or type(error).__name__}."


def _message(found: Any) -> str:
    """What the standard's error object says, in its own words."""
    if not isinstance(found, dict):
        return ""
    error = _inside(found, "error")
    more = error.get("@Message.ExtendedInfo")
    first = more[0] if isinstance(more, list) and more and isinstance(more[0], dict) else {}
    text = first.get("Message") or error.get("message") or ""
    return f": {str(text)[:160].rstrip('. ')}" if text else ""


def _inside(found: Mapping[str, Any], *names: str) -> Mapping[str, Any]:
    for name in names:
        inner = found.get(name)
        found = inner if isinstance(inner, dict) else {}
    return found


def _link(found: Any, what: str) -> str:
    return _path(found.get("@odata.id") if isinstance(found, dict) else None, what)


def _path(found: Any, what: str) -> str:
    """A path under /redfish/. What a controller names elsewhere never gets the password."""
    if not isinstance(found, str) or not found.startswith("/redfish/") or len(found) > 300 or ".." in found:
        raise ControllerTrouble(f"Its controller does not say where {what} is.")
    return found


def _number(found: Any) -> float | None:
    is_number = isinstance(found, int | float) and not isinstance(found, bool)
    return float(found) if is_number and 0 <= found <= MAX_WATTS else None
