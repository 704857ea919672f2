"""Sends one message. A receiver that never answers costs ``TIMEOUT_SECONDS`` and no thread."""

from __future__ import annotations

import asyncio
import time
from dataclasses import dataclass
from urllib.parse import unquote, urlsplit

import aiosmtplib
import httpx
from django.conf import settings
from django.utils import timezone

from ..tls import trusting_context
from ..webhooks import signed
from .mail import mail_of
from .messages import BATCH_TYPE

TIMEOUT_SECONDS = 10.0


class NotSent(Exception):
    """The message was not delivered; the text says why."""


@dataclass(frozen=True)
class Outgoing:
    """A message on its way. ``identity`` is the same for each try, ``findings`` are the numbers of those in it, and
    ``secret`` signs calls of webhooks; "" for none."""

    kind: str
    target: str
    subject: str
    body: str
    identity: str
    findings: tuple[int, ...] = ()
    secret: str = ""


async def send(outgoing: Outgoing) -> None:
    """Sends a mail or calls a webhook. Raises NotSent."""
    try:
        async with asyncio.timeout(TIMEOUT_SECONDS):
            await (_mail(outgoing) if outgoing.kind == "mail" else _call(outgoing))
    except TimeoutError:
        raise NotSent(
            f"{_place(outgoing.kind, outgoing.target)} did not answer within {TIMEOUT_SECONDS:g} s."
        ) from None


async def _mail(outgoing: Outgoing) -> None:
    if not settings.SMTP:
        raise NotSent("E-mail is not set up. Set PADDOCK_SMTP=smtp://HOST:PORT and restart the server.")
    way = urlsplit(settings.SMTP)
    message = mail_of(
        settings.MAIL_FROM,
        outgoing.target,
        outgoing.subject,
        outgoing.body,
        identity=outgoing.identity,
        findings=outgoing.findings,
        now=timezone.now(),
        public_url=settings.PUBLIC_URL,
    )
    tls = way.scheme == "smtps"
    try:
        await aiosmtplib.send(
            message,
            hostname=way.hostname or "localhost",
            port=way.port or (465 if tls else 25),
            use_tls=tls,
            username=unquote(way.username) if way.username else None,
            password=unquote(way.password) if way.password else None,
            timeout=TIMEOUT_SECONDS,
        )
    except (aiosmtplib.SMTPException, OSError, ValueError) as error:
        raise NotSent(f"{_place('mail', outgoing.target)} rejected the message: {error}"[:400]) from None


async def _call(outgoing: Outgoing) -> None:
    target, data = outgoing.target, outgoing.body.encode()
    proof = signed(data, outgoing.secret, outgoing.identity, time.time()) if outgoing.secret else {}
    headers = {"Content-Type": BATCH_TYPE, **proof}
    try:
        async with (
            httpx.AsyncClient(
                timeout=TIMEOUT_SECONDS, follow_redirects=False, trust_env=False, verify=trusting_context()
            ) as client,
            client.stream("POST", target, content=data, headers=headers) as answer,
        ):
            status = answer.status_code  # what it says beyond that is not read: it may never end
    except (httpx.HTTPError, httpx.InvalidURL) as error:
        raise NotSent(f"{target} could not be reached: {error or type(error).__name__}"[:400]) from None
    if not 200 <= status < 300:
        raise NotSent(f"{target} answered {status}.")


def _place(kind: str, target: str) -> str:
    return f"the mail server at {urlsplit(settings.SMTP).hostname}" if kind == "mail" else target
