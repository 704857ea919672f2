"""The far end of a Git source: a small HTTP server that hands out real repositories through Git's own http-backend."""

from __future__ import annotations

import argparse
import base64
import os
import subprocess
from collections.abc import Mapping
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from urllib.parse import urlsplit


class _Handler(BaseHTTPRequestHandler):
    """One request, as CGI (RFC 3875)."""

    server: GitHost

    def do_GET(self) -> None:
        self._pass_on(b"")

    def do_POST(self) -> None:
        self._pass_on(self.rfile.read(int(self.headers.get("Content-Length") or 0)))

    def _pass_on(self, body: bytes) -> None:
        way = urlsplit(self.path)
        login = "Basic " + base64.b64encode(self.server.login.encode()).decode()
        if self.server.login and self.headers.get("Authorization") != login:
            self.send_response(401)
            self.send_header("WWW-Authenticate", 'Basic realm="repositories"')
            self.send_header("Content-Length", "0")
            self.end_headers()
            return
        done = subprocess.run(
            ["git", "http-backend"],
            input=body,
            capture_output=True,
            check=False,
            env={
                "PATH": os.environ.get("PATH", os.defpath),
                "GIT_PROJECT_ROOT": str(self.server.folder),
                "GIT_HTTP_EXPORT_ALL": "1",
                "GIT_PROTOCOL": self.headers.get("Git-Protocol", ""),
                "GIT_CONFIG_COUNT": "1",
                "GIT_CONFIG_KEY_0": "uploadpack.allowFilter",
                "GIT_CONFIG_VALUE_0": "true",
                "REQUEST_METHOD": self.command,
                "PATH_INFO": way.path,
                "QUERY_STRING": way.query,
                "CONTENT_TYPE": self.headers.get("Content-Type", ""),
                "CONTENT_LENGTH": str(len(body)),
                "HTTP_CONTENT_ENCODING": self.headers.get("Content-Encoding", ""),
            },
        )
        head, _, content = done.stdout.partition(b"\r\n\r\n")
        headers = dict(line.split(": ", 1) for line in head.decode().splitlines() if ": " in line)
        self.send_response(int(headers.pop("Status", "200 OK" if head else "500").split()[0]))
        for name, value in headers.items():
            self.send_header(name, value)
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)

    def log_message(self, format: str, *arguments: object) -> None:
        """Nothing: who asked is of no interest here."""


class GitHost(ThreadingHTTPServer):
    """Serves the repositories in a folder; ``url`` is where. With a ``login``, as ``user:password``, only to who has
    it."""

    daemon_threads = True
    allow_reuse_address = True

    def __init__(self, folder: Path, port: int = 0, login: str = "") -> None:
        self.folder = folder
        self.login = login
        super().__init__(("127.0.0.1", port), _Handler)

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.server_port}"


def make_repository(folder: Path, name: str, files: Mapping[str, str]) -> str:
    """A repository with one commit on ``main``, or one commit more; returns the commit."""
    work = folder / f".{name}"
    if not work.exists():
        work.mkdir(parents=True)
        _git(work, "init", "--quiet", "--initial-branch", "main")
    for path, text in files.items():
        (work / path).parent.mkdir(parents=True, exist_ok=True)
        (work / path).write_text(text)
    _git(work, "add", "--all")
    _git(work, "commit", "--quiet", "--allow-empty", "--message", "the next tide")
    bare = folder / f"{name}.git"
    if not bare.exists():
        _git(folder, "init", "--quiet", "--bare", "--initial-branch", "main", str(bare))
    _git(work, "push", "--quiet", str(bare), "main")
    return _git(work, "rev-parse", "HEAD").strip()


def _git(folder: Path, *arguments: str) -> str:
    who = {f"GIT_{role}_{what}": value for role in ("AUTHOR", "COMMITTER")
           for what, value in (("NAME", "Saltmarsh Instruments"), ("EMAIL", "build@saltmarsh.example"))}  # fmt: skip
    plain = {"GIT_CONFIG_NOSYSTEM": "1", "GIT_CONFIG_GLOBAL": os.devnull}
    done = subprocess.run(
        ["git", *arguments], cwd=folder, env={**os.environ, **who, **plain}, capture_output=True, text=True, check=True
    )
    return done.stdout


def main() -> int:
    """Serves a folder until it is stopped."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--folder", type=Path, required=True)
    parser.add_argument("--port", type=int, required=True)
    options = parser.parse_args()
    GitHost(options.folder, options.port).serve_forever()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
