"""The server's own certificate: what is refused, with its reason, and what is loaded again."""

from __future__ import annotations

import contextlib
import ssl
import subprocess

import pytest
from authority import Authority

from paddock_server.front.certificate import Certificate, CertificateInvalid


@pytest.fixture
def authority(tmp_path):
    return Authority(tmp_path)


def subject_served(context, authority):
    """Whose certificate a client of this context is shown."""
    client = ssl.create_default_context(cafile=authority.file)
    to_server, to_client, from_client, from_server = (ssl.MemoryBIO() for _ in range(4))
    there = client.wrap_bio(to_client, from_client, server_hostname="localhost")
    here = context.wrap_bio(to_server, from_server, server_side=True)
    for _ in range(6):
        for side, out, into in ((there, from_client, to_server), (here, from_server, to_client)):
            with contextlib.suppress(ssl.SSLWantReadError):
                side.do_handshake()
            into.write(out.read())
    return dict(part[0] for part in there.getpeercert()["subject"])["commonName"]


def without_file(certificate, key, authority):
    certificate.unlink()


def of_another_key(certificate, key, authority):
    key.write_bytes(authority.issue("other", label="other")[1].read_bytes())


def no_pem(certificate, key, authority):
    certificate.write_bytes(b"\x30\x82\x01\x0a")


def swapped(certificate, key, authority):
    one, other = certificate.read_bytes(), key.read_bytes()
    certificate.write_bytes(other)
    key.write_bytes(one)


def encrypted(certificate, key, authority):
    done = subprocess.run(
        ["openssl", "pkey", "-in", key, "-aes128", "-passout", "pass:tide"], capture_output=True, check=True
    )
    key.write_bytes(done.stdout)


def cut_off(certificate, key, authority):
    certificate.write_bytes(certificate.read_bytes()[:200])


def authority_first(certificate, key, authority):
    certificate.write_bytes(authority.file.read_bytes() + certificate.read_bytes())


def empty_key(certificate, key, authority):
    key.write_bytes(b"")


def a_folder(certificate, key, authority):
    key.unlink()
    key.mkdir()


MISTAKES = [
    (without_file, "cannot be read: No such file"),
    (of_another_key, "does not belong to the key"),
    (no_pem, "has no certificate in PEM form"),
    (swapped, "has no certificate in PEM form"),
    (encrypted, "is encrypted"),
    (cut_off, "cannot be used"),
    (authority_first, "does not belong to the key"),
    (empty_key, "has no key in PEM form"),
    (a_folder, "cannot be read: Is a directory"),
]


@pytest.mark.parametrize(("breaks", "says"), MISTAKES, ids=lambda one: getattr(one, "__name__", None))
def test_a_pair_that_cannot_be_is_refused_and_the_one_before_stays(authority, tmp_path, breaks, says):
    certificate, key = authority.issue("first.example")
    served = Certificate(certificate, key)
    breaks(certificate, key, authority)
    with pytest.raises(CertificateInvalid, match=says):
        Certificate(certificate, key)
    assert not served.reload_if_changed()
    assert subject_served(served.context, authority) == "first.example"
    if key.is_dir():
        key.rmdir()
    authority.issue("second.example")
    assert served.reload_if_changed()
    assert subject_served(served.context, authority) == "second.example"
    assert not served.reload_if_changed(), "nothing changed since"


@pytest.mark.parametrize(("days", "says"), [(-1, "ended on"), (2, "")])
def test_an_ended_certificate_is_served_and_logged(authority, caplog, days, says):
    Certificate(*authority.issue("old.example", days=days))
    assert ("ended on" in caplog.text) == bool(says)
