"""The lines of the server's log: as text and as JSON, with the request and the attempt that they are about."""

from __future__ import annotations

import json
import logging
import os
import signal
import subprocess
import sys
import urllib.request
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from processes import free_port
from waiting import until

from paddock_server.front.request_ids import RequestIds
from paddock_server.process.log_context import JsonLines, LogContext, about, attempt_name, request_id
from paddock_standins.api_client import Api

PADDOCK = Path(sys.executable).parent / "paddock"


def line_of(message, *arguments, error=None):
    info = (type(error), error, error.__traceback__) if error else None
    record = logging.LogRecord("paddock.api", logging.ERROR, "x.py", 3, message, arguments, info)
    assert LogContext().filter(record)
    return record


def test_a_line_says_what_it_is_about():
    with about(request_id, "r1"), about(attempt_name, "7-1"):
        record = line_of("The storage gives trouble: %s", "full")
        assert record.about == " [request r1] [attempt 7-1]"
        written = json.loads(JsonLines().format(record))
    assert written.pop("time").endswith("+00:00")
    assert written == {
        "level": "error", "logger": "paddock.api", "message": "The storage gives trouble: full", "request": "r1",
        "attempt": "7-1",
    }  # fmt: skip
    assert line_of("later").about == ""
    assert "request" not in json.loads(JsonLines().format(line_of("later")))


@given(st.text())
def test_whatever_is_logged_is_one_line_of_json(text):
    try:
        raise ValueError(text)
    except ValueError as error:
        written = JsonLines().format(line_of("%s", text, error=error))
    assert "\n" not in written
    assert "\r" not in written
    assert json.loads(written)["message"] == text
    assert "ValueError" in json.loads(written)["error"]


async def test_each_request_has_a_name_of_its_own_whatever_the_client_says():
    seen, sent = [], []

    async def application(scope, receive, send):
        seen.append(request_id.get())
        await send({"type": "http.response.start", "status": 200, "headers": []})

    async def send(event):
        sent.append(dict(event["headers"])[b"x-request-id"].decode())

    for _ in range(2):
        await RequestIds(application)({"type": "http", "headers": [(b"x-request-id", b"mine")]}, None, send)
    assert seen == sent
    assert len({*seen, "mine"}) == 3
    assert request_id.get() == ""


@pytest.mark.parametrize("log_format", ["json", "text"])
def test_a_real_server_writes_its_lines_so(tmp_path, log_format):
    port = free_port()
    data = tmp_path / "data"
    environment = {**os.environ, "PADDOCK_DATA": str(data), "PADDOCK_LOG_FORMAT": log_format}
    server = subprocess.Popen(
        [PADDOCK, "serve", "--port", str(port)], env=environment, stderr=subprocess.PIPE, text=True
    )
    try:
        until(Api(f"http://127.0.0.1:{port}").is_up, "the server")
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/livez", timeout=10) as answer:
            assert len(answer.headers["X-Request-Id"]) == 16
    finally:
        server.send_signal(signal.SIGTERM)
        _, output = server.communicate(timeout=30)
    lines = [line for line in output.splitlines() if "listens at" in line]
    assert len(lines) == 1
    if log_format == "json":
        assert all(json.loads(line)["level"] for line in output.splitlines())
        assert json.loads(lines[0])["logger"] == "paddock.server"
    else:
        assert "INFO paddock.server: Yellow Paddock" in lines[0]


def test_another_format_is_refused(tmp_path):
    environment = {**os.environ, "PADDOCK_DATA": str(tmp_path), "PADDOCK_LOG_FORMAT": "xml"}
    done = subprocess.run([PADDOCK, "serve"], env=environment, capture_output=True, text=True, timeout=60, check=False)
    assert (done.returncode, "has to be text or json" in done.stderr) == (1, True)
