"""A real server under what strangers can do to it: idle sockets, slow heads, large bodies. Agents stay connected."""

from __future__ import annotations

import http.client
import os
import socket
import sqlite3
import subprocess
import sys
import time
from contextlib import closing, suppress
from pathlib import Path

import pytest
from processes import RealAgent, RealServer
from waiting import until

FILES = 300


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    real = RealServer(tmp_path_factory.mktemp("server"), grace=20, files=FILES)
    yield real
    real.stop()


@pytest.fixture(scope="module")
def agent(server, tmp_path_factory):
    one = RealAgent(server, tmp_path_factory.mktemp("agent"), "knot-01")
    one.come_in()
    yield one
    one.stop()


@pytest.fixture
def data(server):
    return Path(server.environment["PADDOCK_DATA"])


def losses(server, agent):
    lines = server.api.get(f"/api/v1/logbook/?thing={agent.name}")["results"]
    return sum(one["verb"] == "noted lost" for one in lines)


def opened(server, start=b"", address="127.0.0.1"):
    made = socket.create_connection(("127.0.0.1", server.port), 10, source_address=(address, 0))
    if start:
        made.sendall(start)
    return made


def is_served(server):
    with suppress(OSError):
        return server.api.is_up()
    return False


def test_more_idle_sockets_than_there_are_files_stop_nobody(server, agent, data):
    before, logged = losses(server, agent), (data / "server.log").stat().st_size
    held = []
    try:
        for n in range(4 * FILES):
            with suppress(OSError):
                held.append(opened(server, b"GET / HTTP/1.1\r\n" if n % 2 else b"", f"127.0.{n % 8 + 1}.1"))
            if n % 100 == 0:
                assert until(lambda: is_served(server), "the server to answer others", 20)
        assert server.host(agent.name)["link"] == "connected"
        number = server.submit("echo through it all")
        until(lambda: server.job(number)["state"] == "passed", "a job to run in the meantime")
    finally:
        for one in held:
            one.close()
    assert losses(server, agent) == before
    assert (data / "server.log").stat().st_size - logged < 100_000
    until(lambda: len(list(Path(f"/proc/{server._process.pid}/fd").iterdir())) < FILES / 2, "the sockets to be let go")


def answer_of(sock):
    sock.settimeout(60)
    answer = b""
    with suppress(ConnectionResetError):
        while part := sock.recv(4096):
            answer += part
    return answer


@pytest.mark.parametrize(
    ("head", "status"),
    [
        (b"GET / HTTP/1.1\r\nHost: localhost\r\nX: " + b"a" * 4_000_000 + b"\r\n\r\n", b"431"),
        (b"GET / HTTP/1.1\r\nHost: localhost\r\n" + b"X: a\r\n" * 500 + b"\r\n", b"431"),
        (b"GET / HTTP/1.1\r\nHost: localhost\r\n", b"408"),
        (b"POST /api/v1/jobs/ HTTP/1.1\r\nHost: localhost\r\nContent-Length: 100\r\n\r\nhalf", b"408"),
        (b"\x16\x03\x01\x02\x00\x01\x00\x01\xfc", b"4"),
    ],
)
def test_heads_and_bodies_have_their_size_and_their_time(server, head, status):
    with closing(opened(server)) as sock:
        with suppress(OSError):
            sock.sendall(head)
        answer = answer_of(sock)
    assert answer == b"" or answer.startswith(b"HTTP/1.1 " + status), answer[:200]


def test_a_body_of_hundreds_of_megabytes_is_refused_before_it_is_there(server, data):
    before = _disk(data)
    connection = http.client.HTTPConnection("127.0.0.1", server.port, timeout=30)
    connection.putrequest("POST", "/api/v1/jobs/")
    connection.putheader("Content-Length", str(400 * 1024 * 1024))
    connection.endheaders()
    with suppress(OSError):
        for _ in range(4000):
            connection.send(b"x" * 100_000)
    with suppress(OSError):
        assert connection.getresponse().status == 413
    assert _disk(data) - before < 5_000_000
    assert _memory(server) < 600 * 1024 * 1024


def test_pieces_without_a_length_are_counted(server):
    with closing(
        opened(server, b"POST /api/v1/jobs/ HTTP/1.1\r\nHost: localhost\r\nTransfer-Encoding: chunked\r\n\r\n")
    ) as one:
        with suppress(OSError):
            for _ in range(100):
                one.sendall(b"10000\r\n" + b"x" * 0x10000 + b"\r\n")
        assert answer_of(one)[:12] in (b"HTTP/1.1 413", b"")


@pytest.mark.parametrize(("size", "status"), [(1, b"400"), (500, b"401")])
def test_many_tiny_pieces_cost_nobody_else_their_answer(server, size, status):
    piece = b"%x\r\n%s\r\n" % (size, b"x" * size)
    head = b"POST /api/v1/jobs/ HTTP/1.1\r\nHost: localhost\r\nTransfer-Encoding: chunked\r\n\r\n"
    with closing(opened(server, head)) as one:
        with suppress(OSError):
            one.sendall(piece * 3000 + b"0\r\n\r\n")
        assert answer_of(one)[9:12] == status


@pytest.mark.parametrize(
    "frame",
    [b"\x81\x80\0\0\0\0", b"\x89\x80\0\0\0\0", b"\x01\x80\0\0\0\0" + b"\x00\x80\0\0\0\0" * 999],
    ids=["messages", "pings", "fragments"],
)
def test_many_tiny_frames_end_their_socket(server, frame):
    origin = f"Origin: http://127.0.0.1:{server.port}\r\n"
    upgrade = (
        f"GET /api/v1/feed/ HTTP/1.1\r\nHost: 127.0.0.1:{server.port}\r\n{origin}Upgrade: websocket\r\n"
        "Connection: Upgrade\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n\r\n"
    )
    with closing(opened(server, upgrade.encode())) as one:
        until(lambda: b"101" in one.recv(4096), "the socket to open")
        with suppress(OSError):
            for _ in range(5000):
                one.sendall(frame)
        one.settimeout(5)
        with suppress(ConnectionError):
            while one.recv(4096):
                pass
    assert is_served(server)


def _disk(folder):
    return sum(file.stat().st_size for file in folder.rglob("*") if file.is_file())


def _memory(server):
    status = Path(f"/proc/{server._process.pid}/status").read_text()
    return int(next(line.split()[1] for line in status.splitlines() if line.startswith("VmRSS"))) * 1024


# ---- the data folder -----------------------------------------------------------------------------------------------


def test_a_database_that_another_program_holds_is_said_and_passes(server, data):
    holder = subprocess.Popen(
        [sys.executable, "-c", HOLD, str(data / "paddock.sqlite3")], stdin=subprocess.PIPE, stdout=subprocess.PIPE
    )
    assert holder.stdout.readline() == b"held\n"
    try:
        with pytest.raises(Exception, match="503"):
            server.api.post("/api/v1/paddocks/", {"name": f"held-{time.time_ns()}"})
        status, body = _plain(server, "/healthz")
        assert (status, b"another program" in body.lower()) == (503, True)
    finally:
        holder.communicate(b"\n")
    until(lambda: _plain(server, "/healthz")[0] == 200, "the database to be free")
    server.api.post("/api/v1/paddocks/", {"name": "after"})


HOLD = """
import sqlite3, sys
held = sqlite3.connect(sys.argv[1], timeout=30, isolation_level=None)
held.execute("BEGIN EXCLUSIVE")
print("held", flush=True)
sys.stdin.read(1)
"""


def _plain(server, path):
    connection = http.client.HTTPConnection("127.0.0.1", server.port, timeout=60)
    connection.request("GET", path)
    answer = connection.getresponse()
    return answer.status, answer.read()


@pytest.fixture
def small_disk(tmp_path):
    if os.geteuid() != 0:
        pytest.skip("mounting a small disk needs root")
    folder = tmp_path / "disk"
    folder.mkdir()
    made = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=64m", "tmpfs", folder], capture_output=True, text=True)
    if made.returncode:
        pytest.skip(f"no small disk can be mounted here: {made.stderr.strip()}")
    yield folder
    subprocess.run(["umount", "-l", folder], check=True)


def test_a_full_disk_is_said_and_passes(small_disk):
    real = RealServer(small_disk / "data")
    try:
        filler = small_disk / "filler"
        with filler.open("wb", buffering=0) as full, suppress(OSError):
            while True:
                full.write(b"x" * 65536)
                full.flush()
        with pytest.raises(Exception, match="507"):
            real.api.post("/api/v1/paddocks/", {"name": "workshop", "purpose": "x" * 190})
            for n in range(300):
                real.api.post("/api/v1/paddocks/", {"name": f"workshop-{n}", "purpose": "x" * 190})
        assert _plain(real, "/healthz")[0] == 507
        filler.unlink()
        until(lambda: _plain(real, "/healthz")[0] == 200, "room to be seen")
        real.api.post("/api/v1/paddocks/", {"name": "after"})
    finally:
        real.stop()


def test_what_is_kept_is_the_servers_alone_and_is_made_so(server, data):
    server.stop()
    (data / "secret-key").chmod(0o644)
    (data / "paddock.sqlite3").chmod(0o666)
    data.chmod(0o755)
    server.start()
    open_to_others = [one for one in (data, *data.iterdir()) if one.name != "server.log" and one.stat().st_mode & 0o077]
    assert open_to_others == []


def test_a_named_proxy_is_believed_and_nobody_else(server, tmp_path):
    def address_of(real):
        connection = http.client.HTTPConnection("127.0.0.1", real.port, timeout=30)
        connection.request("GET", "/api/v1/session/")
        answer = connection.getresponse()
        answer.read()
        cookie = answer.getheader("Set-Cookie").split(";")[0]
        headers = {
            "Content-Type": "application/json",
            "Cookie": cookie,
            "X-CSRFToken": cookie.split("=")[1],
            "X-Forwarded-For": "192.0.2.44",
        }
        connection.request("POST", "/api/v1/session/", '{"username": "x", "password": "y"}', headers)
        assert connection.getresponse().status == 401
        with closing(sqlite3.connect(Path(real.environment["PADDOCK_DATA"]) / "paddock.sqlite3")) as database:
            found = database.execute("SELECT subject FROM people_wronglogins WHERE kind = 'address'").fetchall()
        return {one[0] for one in found}

    assert address_of(server) == {"127.0.0.1"}
    behind = RealServer(tmp_path / "behind", proxies="127.0.0.1")
    try:
        assert address_of(behind) == {"192.0.2.44"}
    finally:
        behind.stop()
