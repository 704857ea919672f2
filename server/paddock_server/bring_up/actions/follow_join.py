"""A machine that joins follows its sheet: the sheet gets its host, and the host what was chosen there."""

from __future__ import annotations

from django.db.models import Q

from ...changes import announce
from ...hosts.actions.revoke_pass import end_spare_pass
from ...hosts.events import Joined
from ...hosts.labels import clean_labels
from ...storage import action
from ..models import BringUp


@action
def follow_join(joined: Joined) -> None:
    """A code alone opens nothing: the sheet must be of the paddock that the pass leads into."""
    host, code = joined.host, joined.sheet
    if not code:
        return
    expected = Q(code=code) | (Q(batch=code) & Q(name__iexact=host.name))
    sheet = BringUp.objects.filter(expected, paddock=host.paddock, host=None, given_up_at=None).first()
    if sheet is None:
        return
    sheet.host = host
    sheet.save(update_fields=["host"])
    spare = sheet.entry_pass
    if spare and not sheet.batch and spare.pk != host.joined_with_id:
        end_spare_pass(spare)  # the machine came with another pass
    host.labels, host.slots = clean_labels([*host.labels, *sheet.labels]), sheet.slots or host.slots
    host.save(update_fields=["labels", "slots"])
    announce("bring-up", sheet.pk, host.paddock.name)
