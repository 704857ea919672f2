"""A small OpenID Connect provider: what an organisation's own would be.

``python -m paddock_standins.sign_on_provider --port PORT --redirect ADDRESS`` runs it until it is stopped. Its page
asks who one is, and believes it: it is for the demo and the tests alone. The client secret is read from standard input.
"""

from __future__ import annotations

import argparse
import base64
import hashlib
import html
import json
import secrets
import signal
import sys
import threading
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, unquote, urlencode, urlsplit

from joserfc import jwt
from joserfc.jwk import RSAKey

CLIENT = "yellow-paddock"
PEOPLE: dict[str, tuple[str, ...]] = {
    "gaugewright": ("everyone", "gauge-team", "gauge-leads"),
    "soundings": ("everyone", "gauge-team"),
    "chartmaker": ("everyone", "chart-team"),
    "visitor": (),
}
"""Groups by person."""
CODE_SECONDS = 60.0
TOKEN_SECONDS = 300
MAX_FORM_BYTES = 64 * 1024


@dataclass
class Code:
    """A code that was given out, and for what."""

    person: str
    nonce: str
    challenge: str
    redirect: str
    at: float


@dataclass
class Provider:
    """What the provider knows. ``redirects`` are the addresses to which it sends browsers back."""

    issuer: str
    redirects: Sequence[str]
    secret: str
    people: Mapping[str, Sequence[str]] = field(default_factory=lambda: PEOPLE)
    client: str = CLIENT
    codes: dict[str, Code] = field(default_factory=dict)
    key: RSAKey = field(default_factory=lambda: new_key())
    lock: threading.Lock = field(default_factory=threading.Lock)

    def configuration(self) -> dict[str, Any]:
        """As OpenID Connect Discovery wants it."""
        return {
            "issuer": self.issuer,
            "authorization_endpoint": f"{self.issuer}/authorize",
            "token_endpoint": f"{self.issuer}/token",
            "jwks_uri": f"{self.issuer}/keys",
            "end_session_endpoint": f"{self.issuer}/log-out",
            "response_types_supported": ["code"],
            "subject_types_supported": ["public"],
            "id_token_signing_alg_values_supported": ["RS256"],
            "code_challenge_methods_supported": ["S256"],
            "authorization_response_iss_parameter_supported": True,
        }

    def keys(self) -> dict[str, Any]:
        """The public keys."""
        return {"keys": [self.key.as_dict(private=False)]}

    def rotate(self) -> None:
        """A new key; tokens signed with the old one are not good any more."""
        self.key = new_key()

    def new_code(self, person: str, asked: Mapping[str, str]) -> str:
        """A code for a person who has chosen who they are."""
        code = secrets.token_urlsafe(16)
        with self.lock:
            self.codes[code] = Code(
                person, asked.get("nonce", ""), asked.get("code_challenge", ""), asked.get("redirect_uri", ""),
                time.time(),
            )  # fmt: skip
        return code

    def token_for(self, form: Mapping[str, str]) -> dict[str, Any]:
        """The answer to a code: each is good once, with the verifier of its challenge."""
        with self.lock:
            code = self.codes.pop(form.get("code", ""), None)
        if code is None or time.time() - code.at > CODE_SECONDS:
            return {"error": "invalid_grant", "error_description": "the code is unknown, used or too old"}
        hashed = hashlib.sha256(form.get("code_verifier", "").encode()).digest()
        if base64.urlsafe_b64encode(hashed).decode().rstrip("=") != code.challenge:
            return {"error": "invalid_grant", "error_description": "the verifier does not belong to the code"}
        if form.get("redirect_uri") != code.redirect:
            return {"error": "invalid_grant", "error_description": "another redirect address"}
        token = self.signed(self.claims(code))
        return {"access_token": secrets.token_urlsafe(16), "token_type": "Bearer", "id_token": token}

    def claims(self, code: Code) -> dict[str, Any]:
        """What the ID token says."""
        now = int(time.time())
        return {
            "iss": self.issuer, "aud": self.client, "sub": f"id-of-{code.person}", "nonce": code.nonce,
            "iat": now, "exp": now + TOKEN_SECONDS, "preferred_username": code.person,
            "groups": list(self.people.get(code.person, ())),
        }  # fmt: skip

    def signed(self, claims: dict[str, Any]) -> str:
        """The ID token."""
        return jwt.encode({"alg": "RS256", "kid": self.key.kid}, claims, self.key)


def new_key() -> RSAKey:
    """A signing key with a name of its own."""
    return RSAKey.generate_key(2048, {"kid": secrets.token_hex(8), "use": "sig"}, private=True)


def handler_of(provider: Provider) -> type[BaseHTTPRequestHandler]:
    """Answers for the provider."""

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            parts = urlsplit(self.path)
            asked = {name: values[0] for name, values in parse_qs(parts.query).items()}
            if parts.path == "/.well-known/openid-configuration":
                self._json(200, provider.configuration())
            elif parts.path == "/keys":
                self._json(200, provider.keys())
            elif parts.path == "/authorize":
                self._authorize(asked)
            elif parts.path == "/log-out":
                self._log_out(asked)
            else:
                self._page(404, "<p>Nothing is here.</p>")

        def do_POST(self) -> None:
            length = min(MAX_FORM_BYTES, int(self.headers.get("Content-Length") or 0))
            form = {name: values[0] for name, values in parse_qs(self.rfile.read(length).decode()).items()}
            if urlsplit(self.path).path != "/token":
                self._page(404, "<p>Nothing is here.</p>")
            elif not self._knows_secret():
                self._json(401, {"error": "invalid_client", "error_description": "the client secret is wrong"})
            else:
                answer = provider.token_for(form)
                self._json(400 if "error" in answer else 200, answer)

        def _knows_secret(self) -> bool:
            kind, _, given = self.headers.get("Authorization", "").partition(" ")
            try:
                client, _, secret = base64.b64decode(given).decode().partition(":")
            except ValueError:
                return False
            good = secrets.compare_digest(unquote(secret).encode(), provider.secret.encode())
            return kind == "Basic" and unquote(client) == provider.client and good

        def _authorize(self, asked: dict[str, str]) -> None:
            redirect = asked.get("redirect_uri", "")
            if redirect not in provider.redirects or asked.get("client_id") != provider.client:
                self._page(400, "<p>This redirect address or client is not registered here.</p>")
                return
            if person := asked.get("person"):
                answer = {"code": provider.new_code(person, asked), "state": asked.get("state", "")}
                self._go(f"{redirect}?{urlencode({**answer, 'iss': provider.issuer})}")
                return
            links = "".join(
                f'<li><a href="?{html.escape(urlencode({**asked, "person": name}))}">{html.escape(name)}</a> '
                f"{html.escape(', '.join(groups) or 'no group')}</li>"
                for name, groups in provider.people.items()
            )
            self._page(200, f"<h1>Harbour ID</h1><p>A stand-in. Who are you?</p><ul>{links}</ul>")

        def _log_out(self, asked: dict[str, str]) -> None:
            back = asked.get("post_logout_redirect_uri", "")
            origins = {"{0.scheme}://{0.netloc}/".format(urlsplit(one)) for one in provider.redirects}
            if any(back.startswith(one) for one in origins):
                self._go(back)
            else:
                self._page(200, "<p>You are logged out.</p>")

        def _go(self, address: str) -> None:
            self.send_response(303)
            self.send_header("Location", address)
            self.send_header("Content-Length", "0")
            self.end_headers()

        def _json(self, status: int, value: Mapping[str, Any]) -> None:
            self._send(status, "application/json", json.dumps(value).encode())

        def _page(self, status: int, body: str) -> None:
            page = f'<!doctype html><html lang="en"><meta charset="utf-8"><title>Harbour ID</title>{body}</html>'
            self._send(status, "text/html; charset=utf-8", page.encode())

        def _send(self, status: int, kind: str, body: bytes) -> None:
            self.send_response(status)
            self.send_header("Content-Type", kind)
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, format: str, *arguments: object) -> None:
            """Nothing."""

    return Handler


def serve(provider: Provider, port: int) -> ThreadingHTTPServer:
    """Answers at a port of this machine, in a thread of its own."""
    server = ThreadingHTTPServer(("127.0.0.1", port), handler_of(provider))
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server


def main() -> int:
    """Runs it until it is stopped."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--redirect", required=True, action="append", help="may be repeated")
    options = parser.parse_args()
    secret = sys.stdin.readline().strip()
    server = serve(Provider(f"http://127.0.0.1:{options.port}", options.redirect, secret), options.port)
    signal.sigwait({signal.SIGTERM, signal.SIGINT})
    server.shutdown()
    return 0


if __name__ == "__main__":
    sys.exit(main())
