"""Sends one message. A receiver that never answers costs ``TIMEOUT_SECONDS`` and no thread."""

from __future__ import annotations

import asyncio
import time
from email.message import EmailMessage
from urllib.parse import unquote, urlsplit

import aiosmtplib
import httpx
from django.conf import settings

from ..tls import trusting_context
from .messages import BATCH_TYPE, signed

TIMEOUT_SECONDS = 10.0


class NotSent(Exception):
    """The message was not delivered; the text says why."""


async def send(kind: str, target: str, secret: str, subject: str, body: str) -> None:
    """Sends a mail or calls a webhook. Raises NotSent."""
    try:
        async with asyncio.timeout(TIMEOUT_SECONDS):
            await (_mail(target, subject, body) if kind == "mail" else _call(target, secret, body))
    except TimeoutError:
        raise NotSent(f"{_place(kind, target)} did not answer within {TIMEOUT_SECONDS:g} s.") from None


async def _mail(target: str, subject: str, body: str) -> None:
    if not settings.SMTP:
        raise NotSent("E-mail is not set up. Set PADDOCK_SMTP=smtp://HOST:PORT and restart the server.")
    way = urlsplit(settings.SMTP)
    message = EmailMessage()
    message["From"], message["To"], message["Subject"] = settings.MAIL_FROM, target, subject
    message.set_content(body)
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
        raise NotSent(f"{_place('mail', target)} rejected the message: {error}"[:400]) from None


async def _call(target: str, secret: str, body: str) -> None:
    data = body.encode()
    headers = {"Content-Type": BATCH_TYPE, **(signed(data, secret, time.time()) if secret else {})}
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
