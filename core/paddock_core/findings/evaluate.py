"""Runs the rules over the fleet: over each host alone, and over all of them together.

The two are apart so that whoever keeps findings need look again only at the hosts that have changed.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from itertools import chain

from .commands import on_host
from .finding import ORDER, Finding, Found, Rule
from .observed import FleetSeen, HostSeen
from .rules import RULES, agent_down
from .rules.network_silent import covered


def evaluate(fleet: FleetSeen, now: float, rules: Sequence[Rule] = RULES) -> list[Finding]:
    """All findings at ``now`` (seconds since the epoch), the most urgent first, then the oldest."""
    return together(fleet, chain.from_iterable(look_at_host(host, now, rules) for host in fleet.hosts), now, rules)


def look_at_host(host: HostSeen, now: float, rules: Sequence[Rule] = RULES) -> tuple[Finding, ...]:
    """The findings of one host. Nothing runs on a host at the gate, so nothing about it is in trouble: its bring-up
    says how far it is."""
    if not host.is_admitted:
        return ()
    hosts = (host.name,)
    found = [
        _finding(rule, _as_run_there(one, host), hosts, host.paddock)
        for rule in rules
        if rule.look and (rule.of_sleepers or not host.sleeps)
        for one in rule.look(host, now)
    ]
    if any(one.code == agent_down.CODE for one in found):
        found = [one for one in found if one.code not in agent_down.REPLACES]
    return tuple(found)


def _as_run_there(one: Found, host: HostSeen) -> Found:
    service = host.watch.service if host.shares_machine and host.watch else ""
    commands = tuple(on_host(host.family, command, service) for command in one.remedy.commands)
    return replace(one, remedy=replace(one.remedy, commands=commands))


def together(fleet: FleetSeen, alone: Iterable[Finding], now: float, rules: Sequence[Rule] = RULES) -> list[Finding]:
    """The findings of single hosts with those of all of them. What several hosts of one network have in common is one
    finding about the network, instead of one for each."""
    found = [*alone, *_of_all(fleet, now, rules)]
    instead = covered(found)
    kept = [one for one in found if one.key not in instead]
    return sorted(kept, key=lambda one: (ORDER[one.severity], one.since, one.key))


def _of_all(fleet: FleetSeen, now: float, rules: Sequence[Rule]) -> Iterator[Finding]:
    for rule in rules:
        if rule.look_at_all:
            for one in rule.look_at_all(fleet, now):
                yield _finding(rule, one, one.hosts, one.paddock)


def _finding(rule: Rule, one: Found, hosts: tuple[str, ...], paddock: str) -> Finding:
    severity = one.severity or rule.severity
    return Finding(
        rule.code,
        rule.title,
        severity,
        one.sentence,
        one.since,
        one.evidence,
        one.remedy,
        one.about,
        hosts,
        paddock,
        one.unknown,
        one.possible,
    )
