"""Which policy holds for which host."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from zoneinfo import ZoneInfo

from paddock_core.errors import CoreError
from paddock_core.fit import Requirement
from paddock_core.standby.decide import KeepAwake, Mode, Policy, SleepHours

from ..hosts.models import Host
from ..toolchains.terms_input import terms_of
from .models import StandbyPolicy

EVERY_DAY = (0, 1, 2, 3, 4, 5, 6)


class Policies:
    """All policies as of now: that of the host itself, else that of its paddock."""

    def __init__(self, now: datetime) -> None:
        self._now = now
        self._rows = list(StandbyPolicy.objects.select_related("paddock", "host"))
        self._of_hosts = {row.host_id: row for row in self._rows if row.host_id}
        self._of_paddocks = {row.paddock_id: row for row in self._rows if not row.host_id}

    @property
    def let_sleep(self) -> bool:
        """Whether any host may sleep at all: without that, nothing has to be decided."""
        return any(row.mode != Mode.NEVER.value for row in self._rows)

    def of(self, host: Host) -> StandbyPolicy | None:
        """The one that decides for a host; None without any."""
        return self._of_hosts.get(host.pk) or self._of_paddocks.get(host.paddock_id)

    def for_core(self, host: Host) -> Policy:
        """The same as the core's value; a host without a policy never sleeps."""
        row = self.of(host)
        if row is None:
            return Policy()
        hours = SleepHours(row.begins, row.ends, tuple(row.days) or EVERY_DAY)
        wall = self._now.astimezone(ZoneInfo(row.zone)).replace(tzinfo=None)
        return Policy(Mode(row.mode), row.idle_seconds, row.up_seconds, hours.holds(wall))

    def keeps(self) -> Iterable[KeepAwake]:
        """The rules of paddocks that keep hosts awake. One whose terms cannot be read any more keeps nothing awake."""
        for row in self._of_paddocks.values():
            if not (row.keep_awake or row.keep_free) or row.mode != Mode.ON_DEMAND.value:
                continue
            try:
                terms = terms_of(tuple(row.terms))
            except CoreError:
                continue
            requirement = Requirement(terms, reach=frozenset({row.paddock.name}), is_internal=True)
            yield KeepAwake(row.paddock.name, requirement, row.keep_awake, row.keep_free)
