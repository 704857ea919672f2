"""Meters that are counted where things happen; ``metrics`` gives them out."""

from prometheus_client import CollectorRegistry, Histogram

REGISTRY = CollectorRegistry()
HEARTBEAT_GAP = Histogram(
    "paddock_heartbeat_gap_seconds",
    "Time between two heartbeats of one agent",
    buckets=(1, 5, 10, 14, 16, 20, 30, 45, 60, 120),
    registry=REGISTRY,
)
DISPATCH_ROUND = Histogram(
    "paddock_dispatch_round_seconds",
    "How long dispatch rounds took",
    buckets=(0.001, 0.005, 0.02, 0.05, 0.1, 0.25, 0.5, 1, 2.5),
    registry=REGISTRY,
)
JOB_WAIT = Histogram(
    "paddock_job_wait_seconds",
    "How long jobs had waited when they were placed",
    buckets=(0.1, 0.5, 1, 5, 15, 60, 300, 900, 3600, 4 * 3600),
    registry=REGISTRY,
)
FINDINGS_LOOK = Histogram(
    "paddock_findings_look_seconds",
    "How long looking for findings took",
    buckets=(0.005, 0.02, 0.05, 0.1, 0.25, 0.5, 1, 2.5),
    registry=REGISTRY,
)
