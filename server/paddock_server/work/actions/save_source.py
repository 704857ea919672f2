"""Keeps Git sources, reads their pipeline files and sends what these say; by hand, or when a signed webhook says that
something was pushed."""

from __future__ import annotations

import hashlib
import hmac
import json
from collections.abc import Mapping
from datetime import timedelta

from django.db import IntegrityError
from django.utils import timezone

from ... import secret
from ...changes import announce
from ...data_folder import data_folder, stored_secret
from ...errors import ActionError, Invalid, NotAllowed
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ...webhooks import NEW_FOR, SignatureRefused, verified
from ..git_source import check_path, check_ref, check_url, read_file
from ..models import Delivery, Job, Source, Submission
from .submit_file import submit_file

MAX_BODY_BYTES = 64 * 1024
MAX_SOURCES = 1000
_KEY_FILE = "hooks.key"


@action
@requires(Role.ADMINISTRATOR, "Keeping a source")
def save_source(actor: Actor, url: str, ref: str, path: str = "paddock.yaml") -> tuple[Source, str]:
    """Takes a source in; returns it with the secret of its webhook. Raises Invalid for an address that is not taken."""
    if Source.objects.count() >= MAX_SOURCES:
        raise Invalid(f"There are {MAX_SOURCES} sources; remove one first.")
    source = Source.objects.create(url=check_url(url), ref=check_ref(ref), path=check_path(path), made_by=actor.name)
    write(actor, "made", "source", url, details={"ref": ref, "path": path})
    announce("source", source.pk)
    return source, hook_secret(source)


@action
@requires(Role.ADMINISTRATOR, "Renewing a secret")
def renew_secret(actor: Actor, source: Source) -> str:
    """A new secret for its webhook; the old one is worth nothing from now on."""
    source.secret_number += 1
    source.save(update_fields=["secret_number"])
    write(actor, "renewed the secret of", "source", source.url)
    return hook_secret(source)


@action
@requires(Role.ADMINISTRATOR, "Removing a source")
def remove_source(actor: Actor, source: Source) -> None:
    """What it sent stays."""
    write(actor, "removed", "source", source.url, details={"ref": source.ref})
    announce("source", source.pk)
    source.delete()


def submit_source(actor: Actor, source: Source, commit: str = "") -> tuple[Submission, list[Job]]:
    """Reads the file and sends its jobs. What keeps it from that is kept with the source too, and raised."""
    if not actor.may_anywhere(Role.OPERATOR):
        raise NotAllowed("Submitting jobs needs the role operator. Ask an administrator for it.")
    source.read_at = timezone.now()
    try:
        found = read_file(source.url, source.ref, source.path, commit)
        source.read_commit = found.commit
        submission, jobs = submit_file(actor, found.text, source=source, ref=source.ref, commit=found.commit)
        source.pipeline, source.trouble = submission.pipeline, ""
    except ActionError as error:
        source.trouble = error.detail[:2000]
        raise
    finally:
        _note_reading(source)
    return submission, jobs


def hook_secret(source: Source) -> str:
    """The secret follows from a key of the server's, so that the database has nothing worth stealing."""
    key = stored_secret(data_folder() / _KEY_FILE, lambda: secret.make("hooks"))
    text = f"{source.pk}:{source.made_at.isoformat()}:{source.secret_number}"
    return f"paddock-hook-{hmac.new(key.encode(), text.encode(), hashlib.sha256).hexdigest()}"


def accept_push(source: Source | None, headers: Mapping[str, str], body: bytes) -> tuple[Submission, list[Job]] | None:
    """A message of a source's webhook: sends what the file says at the commit that was pushed. None where the push is
    of another ref. Raises NotAllowed for a wrong signature or an old message, Invalid for a replay or a strange
    body."""
    if len(body) > MAX_BODY_BYTES:
        raise Invalid(f"A message has at most {MAX_BODY_BYTES // 1024} KiB.")
    # The same answer for a source that is not there, so that callers cannot learn which exist.
    try:
        name = verified(headers, body, hook_secret(source) if source else "", timezone.now().timestamp())
    except SignatureRefused as error:
        raise NotAllowed(str(error)) from None
    assert source is not None  # an empty secret verifies nothing
    try:
        _note_delivery(source, name)
    except IntegrityError:
        raise Invalid("This message was taken already: it is a replay.") from None
    ref, commit = _pushed(body)
    if ref.removeprefix("refs/heads/").removeprefix("refs/tags/") != source.ref:
        return None
    return submit_source(Actor(f"the webhook of {source.url}"[:200], Role.OPERATOR), source, commit)


@action
def _note_delivery(source: Source, name: str) -> None:
    """Raises IntegrityError for one that was taken already."""
    Delivery.objects.filter(at__lt=timezone.now() - timedelta(seconds=4 * NEW_FOR)).delete()
    Delivery.objects.create(source=source, name=name, at=timezone.now())


@action
def _note_reading(source: Source) -> None:
    source.save(update_fields=["read_at", "read_commit", "pipeline", "trouble"])
    announce("source", source.pk)


def _pushed(body: bytes) -> tuple[str, str]:
    try:
        payload = json.loads(body)
    except (ValueError, RecursionError):
        payload = None
    if (
        not isinstance(payload, dict)
        or not isinstance(payload.get("ref"), str)
        or not isinstance(payload.get("commit", ""), str)
    ):
        raise Invalid('The body is JSON: {"ref": "refs/heads/main", "commit": "…"}.')
    return payload["ref"], payload.get("commit", "")
