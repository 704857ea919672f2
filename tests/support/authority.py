"""A certificate authority for tests, and what it signs."""

from __future__ import annotations

import datetime as dt
import ipaddress
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

PEM = serialization.Encoding.PEM


class Authority:
    """Its own certificate is ``file``."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._key = ec.generate_private_key(ec.SECP256R1())
        self._name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Saltmarsh tests")])
        made = self._builder(self._name, self._key).add_extension(x509.BasicConstraints(True, 0), True)
        self._certificate = made.sign(self._key, hashes.SHA256())
        self.file = folder / "authority.pem"
        self.file.write_bytes(self._certificate.public_bytes(PEM))

    def issue(self, name: str, *, days: int = 2, label: str = "server") -> tuple[Path, Path]:
        """The files of a certificate for ``name`` and localhost, and of its key."""
        key = ec.generate_private_key(ec.SECP256R1())
        subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name)])
        addresses: list[x509.GeneralName] = [
            x509.DNSName("localhost"),
            x509.IPAddress(ipaddress.ip_address("127.0.0.1")),
        ]
        try:
            addresses.append(x509.IPAddress(ipaddress.ip_address(name)))
        except ValueError:
            addresses.append(x509.DNSName(name))
        made = self._builder(subject, key, days).add_extension(x509.SubjectAlternativeName(addresses), False)
        certificate, key_file = self._folder / f"{label}.pem", self._folder / f"{label}.key"
        certificate.write_bytes(made.sign(self._key, hashes.SHA256()).public_bytes(PEM))
        key_file.write_bytes(key.private_bytes(PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()))
        return certificate, key_file

    def _builder(self, subject: x509.Name, key: ec.EllipticCurvePrivateKey, days: int = 2) -> x509.CertificateBuilder:
        now = dt.datetime.now(dt.UTC)
        return (
            x509.CertificateBuilder()
            .subject_name(subject)
            .issuer_name(self._name)
            .public_key(key.public_key())
            .serial_number(x509.random_serial_number())
            .not_valid_before(now - dt.timedelta(days=30))
            .not_valid_after(now + dt.timedelta(days=days))
        )
