"""The logbook goes out as syslog, once and in order, to a receiver that may be away."""

import contextlib
import socket
import ssl
import subprocess
import threading

import pytest

from paddock_server.logbook import syslog
from paddock_server.logbook.models import Entry, SyslogPosition
from paddock_server.logbook.syslog import receiver, send_next
from paddock_server.logbook.write import write
from paddock_server.people.actor import SERVER
from paddock_server.tls import trusting_context


def happens(*things):
    for thing in things:
        write(SERVER, "held", "host", thing, "shoreline")


def frames(data):
    found = []
    while data:
        length, _, rest = data.partition(b" ")
        found.append(rest[: int(length)].decode())
        data = rest[int(length) :]
    return found


class Receiver:
    """Takes what comes at a port, over TCP; with ``secured`` over TLS."""

    def __init__(self, secured=None):
        self.got = b""
        self._secured = secured
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.port = self._listening.getsockname()[1]
        self._thread = threading.Thread(target=self._take, daemon=True)
        self._thread.start()

    def _take(self):
        with contextlib.suppress(OSError):
            while True:
                connection, _ = self._listening.accept()
                with contextlib.suppress(OSError), self._wrapped(connection) as taken:
                    while piece := taken.recv(65536):
                        self.got += piece

    def _wrapped(self, connection):
        return self._secured.wrap_socket(connection, server_side=True) if self._secured else connection

    def messages(self, number):
        for _ in range(500):
            if len(found := frames(self.got) if self.got else []) >= number:
                return found
            threading.Event().wait(0.02)
        raise AssertionError(f"only {self.got!r} came")

    def close(self):
        self._listening.shutdown(socket.SHUT_RDWR)
        self._listening.close()


def test_lines_go_out_once_and_in_order_from_when_it_was_switched_on():
    happens("before")
    there = Receiver()
    target = receiver(f"tcp://127.0.0.1:{there.port}")
    assert send_next(target) == 0
    happens("avocet-01", "avocet-02")
    assert send_next(target) == 2
    happens("avocet-03")
    assert send_next(target) == 1
    assert send_next(target) == 0
    found = there.messages(3)
    assert [one.rsplit(" ", 3)[1] for one in found] == ["avocet-01", "avocet-02", "avocet-03"]
    assert found[0].startswith("<109>1 ")
    there.close()


def test_while_the_receiver_is_away_lines_wait_and_the_trouble_is_noted_once(caplog):
    there = Receiver()
    target = receiver(f"tcp://127.0.0.1:{there.port}")
    send_next(target)
    there.close()
    happens("avocet-01")
    for _ in range(3):
        assert send_next(target) == 0
    assert "does not take the logbook" in SyslogPosition.objects.get().trouble
    assert sum("does not take the logbook" in line.message for line in caplog.records) == 1
    back = Receiver()
    assert send_next(receiver(f"tcp://127.0.0.1:{back.port}")) == 1
    assert "avocet-01" in back.messages(1)[0]
    assert SyslogPosition.objects.get().trouble == ""
    back.close()


def test_many_lines_go_in_pieces(monkeypatch):
    monkeypatch.setattr(syslog, "MAX_BATCH", 10)
    there = Receiver()
    target = receiver(f"tcp://127.0.0.1:{there.port}")
    send_next(target)
    happens(*(f"host-{number}" for number in range(25)))
    assert [send_next(target) for _ in range(4)] == [10, 10, 5, 0]
    assert len(there.messages(25)) == 25
    there.close()


def test_udp_has_one_message_a_datagram():
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as there:
        there.bind(("127.0.0.1", 0))
        there.settimeout(10)
        target = receiver(f"udp://127.0.0.1:{there.getsockname()[1]}")
        send_next(target)
        happens("avocet-01", "avocet-02")
        assert send_next(target) == 2
        found = [there.recv(65536).decode() for _ in range(2)]
    assert all(one.startswith("<109>1 ") for one in found)
    assert [one.rsplit(" ", 3)[1] for one in found] == ["avocet-01", "avocet-02"]


def test_tls_checks_the_receivers_certificate(tmp_path, monkeypatch):
    key, certificate = tmp_path / "key.pem", tmp_path / "certificate.pem"
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout", key, "-out", certificate, "-days", "2",
         "-subj", "/CN=localhost", "-addext", "subjectAltName=DNS:localhost"],
        check=True, capture_output=True,
    )  # fmt: skip
    secured = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    secured.load_cert_chain(certificate, key)
    there = Receiver(secured)
    target = receiver(f"tls://localhost:{there.port}")
    send_next(target)
    happens("avocet-01")
    assert send_next(target) == 0, "an unknown certificate is not trusted"
    assert "certificate" in SyslogPosition.objects.get().trouble.lower()
    monkeypatch.setenv("SSL_CERT_FILE", str(certificate))
    trusting_context.cache_clear()
    assert send_next(target) == 1
    assert "avocet-01" in there.messages(1)[0]
    there.close()


@pytest.mark.parametrize("address", ["", "log.example", "http://log.example", "tcp://", "tcp://log.example/x", "tcp:x"])
def test_an_address_that_is_none(address):
    with pytest.raises(ValueError, match="PADDOCK_SYSLOG"):
        receiver(address)


def test_a_line_that_tries_to_forge_another_does_not():
    there = Receiver()
    target = receiver(f"tcp://127.0.0.1:{there.port}")
    send_next(target)
    happens('x"]\n<0>1 2031 forged - - - ')
    send_next(target)
    (found,) = there.messages(1)
    assert "\n" not in found
    assert Entry.objects.count() == 1
    there.close()
