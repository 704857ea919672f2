"""The far ends of telling people, as stand-ins: a mail server and a webhook, which keep what they get in a folder.

``python -m paddock_standins.receivers --folder FOLDER --mail PORT --webhook PORT`` runs both until it is stopped. The
webhook's secret is read from ``webhook-secret`` in the folder, once it is there; a call that is not signed with it, or
is older than five minutes, is refused.
"""

from __future__ import annotations

import argparse
import hashlib
import hmac
import json
import signal
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

from aiosmtpd.controller import Controller

MAX_MESSAGE_BYTES = 1024 * 1024
OLDEST = 300.0
SECRET = "webhook-secret"


class Mailbox:
    """Keeps mails, one file each."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:
        """What the mail server calls for each mail."""
        _save(self._folder, "mail", envelope.content)
        return "250 Kept"


def verdict(folder: Path, headers: dict[str, str], body: bytes, now: float) -> int:
    """The status with which the webhook answers: 202, or 401 for a call that is not signed as it should be."""
    try:
        secret = (folder / SECRET).read_text().strip()
    except OSError:
        return 401
    stamp = headers.get("paddock-timestamp", "")
    expected = hmac.new(secret.encode(), stamp.encode() + b"." + body, hashlib.sha256).hexdigest()
    given = headers.get("paddock-signature", "").removeprefix("sha256=")
    fresh = stamp.isdecimal() and abs(now - int(stamp)) <= OLDEST
    return 202 if fresh and hmac.compare_digest(expected, given) else 401


def webhook_handler(folder: Path) -> type[BaseHTTPRequestHandler]:
    """The handler of a webhook that keeps what it is sent."""

    class Handler(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            length = min(MAX_MESSAGE_BYTES, int(self.headers.get("Content-Length") or 0))
            body = self.rfile.read(length)
            status = verdict(folder, {name.lower(): value for name, value in self.headers.items()}, body, time.time())
            if status == 202:
                _save(folder, "webhook", json.dumps(json.loads(body), indent=1).encode())
            self.send_response(status)
            self.send_header("Content-Length", "0")
            self.end_headers()

        def log_message(self, format: str, *arguments: object) -> None:
            """Nothing: what came is in the folder."""

    return Handler


def _save(folder: Path, kind: str, content: bytes) -> None:
    name = f"{time.time_ns()}-{kind}.{'eml' if kind == 'mail' else 'json'}"
    fresh = folder / f".{name}"
    fresh.write_bytes(content)
    fresh.rename(folder / name)


def main() -> int:
    """Runs until it is stopped."""
    parser = argparse.ArgumentParser(prog="python -m paddock_standins.receivers", description=__doc__)
    parser.add_argument("--folder", type=Path, required=True)
    parser.add_argument("--mail", type=int, required=True)
    parser.add_argument("--webhook", type=int, required=True)
    options = parser.parse_args()
    options.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    mail = Controller(Mailbox(options.folder), hostname="127.0.0.1", port=options.mail)
    mail.start()
    webhook = ThreadingHTTPServer(("127.0.0.1", options.webhook), webhook_handler(options.folder))
    threading.Thread(target=webhook.serve_forever, daemon=True).start()
    stopped = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stopped.set())
    stopped.wait()
    webhook.shutdown()
    mail.stop()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
