"""Runs the rules over the fleet."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from .finding import ORDER, Finding, Found, Rule
from .rules import RULES
from .rules.network_silent import covered
from .seen import FleetSeen, HostSeen


def evaluate(fleet: FleetSeen, now: float, rules: Sequence[Rule] = RULES) -> list[Finding]:
    """All findings at ``now`` (seconds since the epoch), the most urgent first, then the oldest.

    What several hosts of one network have in common is one finding about the network, instead of one for each.
    """
    found = [*_alone(fleet.hosts, now, rules), *_together(fleet, now, rules)]
    instead = covered(found)
    kept = [one for one in found if one.key not in instead]
    return sorted(kept, key=lambda one: (ORDER[one.severity], one.since, one.key))


def _alone(hosts: Sequence[HostSeen], now: float, rules: Sequence[Rule]) -> Iterator[Finding]:
    """Nothing runs on a host at the gate, so nothing about it is in trouble: its bring-up says how far it is."""
    looking = [(rule, rule.look) for rule in rules if rule.look]
    for host in hosts:
        if not host.is_admitted:
            continue
        for rule, look in looking:
            for one in look(host, now):
                yield _finding(rule, one, (host.name,), host.paddock)


def _together(fleet: FleetSeen, now: float, rules: Sequence[Rule]) -> Iterator[Finding]:
    for rule in rules:
        if rule.look_at_all:
            for one in rule.look_at_all(fleet, now):
                yield _finding(rule, one, one.hosts, one.paddock)


def _finding(rule: Rule, one: Found, hosts: tuple[str, ...], paddock: str) -> Finding:
    severity = one.severity or rule.severity
    return Finding(
        rule.code, rule.title, severity, one.sentence, one.since, one.evidence, one.remedy, one.about, hosts, paddock
    )
