"""A new version of the agent did not stay on this host."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if not host.refused:
        return
    last = host.refused[-1]
    versions = sorted({one.version for one in host.refused})
    if len(versions) == 1:
        sentence = f"Its upgrade to {last.version} did not stay. {last.why}"
        remedy = Remedy("Read the evidence in its rollout. Upgrade it again once the cause is gone.")
    else:
        sentence = f"{len(versions)} versions did not stay: {', '.join(versions)}. The last time: {last.why}"
        remedy = Remedy("Several versions failed here, so look for the cause on the machine before the next one.")
    yield Found(
        sentence[:1000],
        last.at,
        tuple(Evidence(f"{one.version}: {one.why}"[:300], one.at) for one in host.refused[-5:]),
        remedy,
        severity=Severity.SOON if len(versions) > 1 else Severity.NOTE,
    )


RULE = Rule("version-refused", "A new agent did not stay", Severity.NOTE, look=look)
