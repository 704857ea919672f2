"""A way to the server that tampers with what it passes on: a wrong clock, changed packages, its own certificate."""

from __future__ import annotations

import http.client
import http.server
import re
import ssl
import threading
import time
from collections.abc import Callable
from email.utils import formatdate
from pathlib import Path
from urllib.parse import urlsplit

HOP_BY_HOP = {"connection", "transfer-encoding", "content-length", "date", "server", "host"}


class Tampering:
    """Listens at ``bind`` and passes on to ``server`` under the same name. ``clock_off`` is in seconds; ``change`` gets
    the path and the body of each answer, and returns the body to pass on."""

    def __init__(self, server: str, bind: str) -> None:
        self.clock_off = 0.0
        self.change: Callable[[str, bytes], bytes] = lambda path, body: body
        self.seen: list[str] = []
        there = urlsplit(server)
        outer = self

        class Handler(http.server.BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"

            def _pass_on(self) -> None:
                outer.seen.append(f"{self.command} {self.path}")
                body = self.rfile.read(int(self.headers.get("Content-Length", 0)))
                connection = http.client.HTTPConnection(there.hostname or "", there.port, timeout=60)
                headers = {name: value for name, value in self.headers.items() if name.lower() not in HOP_BY_HOP}
                connection.request(self.command, self.path, body, {**headers, "Host": there.netloc})
                answer = connection.getresponse()
                changed = outer.change(self.path, answer.read())
                # What the server says of itself names its own address: here it goes by this one.
                if "file" not in self.path:
                    changed = changed.replace(there.netloc.encode(), outer.netloc.encode())
                self.send_response(answer.status)
                for name, value in answer.getheaders():
                    if name.lower() not in HOP_BY_HOP:
                        self.send_header(name, value)
                self.send_header("Content-Length", str(len(changed)))
                self.end_headers()
                self.wfile.write(changed)

            do_GET = do_POST = _pass_on

            def date_time_string(self, timestamp: float | None = None) -> str:
                return formatdate(time.time() + outer.clock_off, usegmt=True)

            def log_message(self, *_: object) -> None:
                pass

        self._server = http.server.ThreadingHTTPServer((bind, 0), Handler)
        self.netloc = f"{bind}:{self._server.server_port}"
        self.url = f"http://{self.netloc}"
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def speak_tls(self, certificate: Path, key: Path) -> None:
        """From now on with this certificate."""
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        context.load_cert_chain(certificate, key)
        self._server.socket = context.wrap_socket(self._server.socket, server_side=True)
        self.url = f"https://{self.netloc}"

    def stop(self) -> None:
        self._server.shutdown()
        self._server.server_close()


def checksum_in(command: str) -> str:
    """The checksum that a sheet's command names."""
    found = re.search(r"[0-9a-f]{64}", command)
    assert found
    return found.group()
