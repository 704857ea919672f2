"""Dispatch: in which order waiting jobs are thought of, which of them start, where, and why the others wait."""

from .round import Placement, Round, WaitingJob, dispatch_round
from .shares import EXPECTED_SECONDS, HALF_LIFE, decayed_use

__all__ = [
    "EXPECTED_SECONDS",
    "HALF_LIFE",
    "Placement",
    "Round",
    "WaitingJob",
    "decayed_use",
    "dispatch_round",
]
