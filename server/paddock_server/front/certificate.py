"""The server's own certificate: checked at the start, and loaded again when its files change."""

from __future__ import annotations

import asyncio
import datetime as dt
import logging
import ssl
from pathlib import Path

from cryptography import x509

log = logging.getLogger("paddock.server")

CHECK_INTERVAL = 10.0


class CertificateInvalid(Exception):
    """The sentence says what is wrong with which file, and what to do."""


class Certificate:
    """``context`` stays the same object: connections after a reload get the new certificate, open ones keep theirs.
    Raises CertificateInvalid."""

    def __init__(self, certificate: Path, key: Path) -> None:
        self._certificate, self._key = certificate, key
        self._loaded = self._version()
        self.context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        self._load()

    def reload_if_changed(self) -> bool:
        """Whether there was a new pair and it was loaded. A pair that does not fit leaves the one before in use."""
        now = self._version()
        if now == self._loaded:
            return False
        self._loaded = now
        try:
            self._load()
        except CertificateInvalid as error:
            log.error("The new certificate is not used, the one before stays: %s", error)
            return False
        log.info("Loaded the certificate %s again.", self._certificate)
        return True

    async def reload_loop(self) -> None:
        """Looks at the files every CHECK_INTERVAL seconds."""
        while True:
            await asyncio.sleep(CHECK_INTERVAL)
            await asyncio.to_thread(self.reload_if_changed)

    def _version(self) -> tuple[tuple[int, int, int] | None, ...]:
        return tuple(map(_version_of, (self._certificate, self._key)))

    def _load(self) -> None:
        """Tries the pair in a context of its own first: a failed load leaves half of it in the one in use."""
        _pair_into(ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER), self._certificate, self._key)
        _warn_of_dates(self._certificate)
        _pair_into(self.context, self._certificate, self._key)


def _version_of(file: Path) -> tuple[int, int, int] | None:
    try:
        found = file.stat()
    except OSError:
        return None
    return found.st_mtime_ns, found.st_size, found.st_ino


def _pair_into(context: ssl.SSLContext, certificate: Path, key: Path) -> None:
    for file, what in ((certificate, "certificate"), (key, "key")):
        try:
            text = file.read_bytes()
        except OSError as error:
            raise CertificateInvalid(f"The {what} {file} cannot be read: {error.strerror}.") from None
        wanted = b"CERTIFICATE-----" if what == "certificate" else b"PRIVATE KEY-----"
        if wanted not in text:
            raise CertificateInvalid(f"{file} has no {what} in PEM form, which begins with -----BEGIN.")
        if what == "key" and b"ENCRYPTED" in text:
            raise CertificateInvalid(
                f"The key {file} is encrypted. The server starts without a person, so it needs a key without a "
                f"passphrase: openssl pkey -in {file} -out NEW."
            )
    try:
        context.load_cert_chain(certificate, key)
    except ssl.SSLError as error:
        if error.reason == "KEY_VALUES_MISMATCH":
            raise CertificateInvalid(
                f"The certificate {certificate} does not belong to the key {key}. Its own certificate stands first in "
                "the file, then those of its authorities."
            ) from None
        raise CertificateInvalid(
            f"{certificate} with {key} cannot be used: {error.reason or error}. Are both whole, and in PEM form?"
        ) from None


def _warn_of_dates(file: Path) -> None:
    """A certificate of the wrong time is served all the same: who looks sees why, and the logs say so."""
    try:
        first = x509.load_pem_x509_certificates(file.read_bytes())[0]
    except (ValueError, IndexError):
        return
    now = dt.datetime.now(dt.UTC)
    if first.not_valid_after_utc < now:
        log.error("The certificate %s ended on %s. Agents and browsers refuse it.", file, first.not_valid_after_utc)
    elif first.not_valid_before_utc > now:
        log.error("The certificate %s is valid from %s on only.", file, first.not_valid_before_utc)
