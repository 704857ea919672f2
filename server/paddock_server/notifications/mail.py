"""A notification as an e-mail: text and HTML, dated, and threaded by its findings (RFC 5322)."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from email.message import EmailMessage
from email.utils import format_datetime, parseaddr
from urllib.parse import urlsplit

from django.utils.html import escape

MAX_REFERENCES = 20


def mail_of(
    sender: str,
    target: str,
    subject: str,
    body: str,
    *,
    identity: str,
    findings: Sequence[int],
    now: datetime,
    public_url: str = "",
) -> EmailMessage:
    """``identity`` is the same for each try of one message. The mail about the end of a finding joins the
    thread of the mail about its beginning."""
    domain = urlsplit(public_url).hostname or parseaddr(sender)[1].rpartition("@")[2] or "localhost"
    message = EmailMessage()
    message["From"], message["To"], message["Subject"] = sender, target, subject
    message["Date"] = format_datetime(now)
    message["Message-ID"] = f"<{identity}@{domain}>"
    threads = [f"<finding-{number}@{domain}>" for number in list(dict.fromkeys(findings))[:MAX_REFERENCES]]
    if threads:
        message["In-Reply-To"] = threads[0]
        message["References"] = " ".join(threads)
    message["Auto-Submitted"] = "auto-generated"
    message.set_content(body)
    message.add_alternative(html_of(body), subtype="html")
    return message


def html_of(text: str) -> str:
    """The same as the text: its paragraphs, with commands in a machine's letters."""
    paragraphs = "".join(map(_paragraph, text.strip().split("\n\n")))
    return (
        '<!doctype html><html lang="en"><head><meta charset="utf-8"></head>'
        f'<body style="font-family: sans-serif; color: #23262b">{paragraphs}</body></html>'
    )


def _paragraph(text: str) -> str:
    first, *rest = text.split("\n")
    title = f'<a href="{escape(first)}">{escape(first)}</a>' if _is_link(first) else f"<strong>{escape(first)}</strong>"
    return f"<p>{'<br>'.join([title, *map(_line, rest)])}</p>"


def _line(text: str) -> str:
    if text.startswith("    "):
        return f'<code style="background: #faf7ef">{escape(text.strip())}</code>'
    return str(escape(text.strip()))


def _is_link(text: str) -> bool:
    return text.startswith(("https://", "http://")) and " " not in text
