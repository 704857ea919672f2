"""Findings: diagnosed troubles, from a rule set. One file in ``rules`` for each rule, and one line where it is
listed."""

from .evaluate import evaluate, look_at_host, together
from .finding import Evidence, Finding, Found, Remedy, Rule, Severity
from .lifetime import Lifetime, after
from .observed import FleetSeen, GuessingSeen, HostSeen, PassSeen, WatchedService, WatchSeen
from .possibility import Possibility
from .rules import BY_CODE, RULES

__all__ = [
    "BY_CODE",
    "RULES",
    "Evidence",
    "Finding",
    "FleetSeen",
    "Found",
    "GuessingSeen",
    "HostSeen",
    "Lifetime",
    "PassSeen",
    "Possibility",
    "Remedy",
    "Rule",
    "Severity",
    "WatchSeen",
    "WatchedService",
    "after",
    "evaluate",
    "look_at_host",
    "together",
]
