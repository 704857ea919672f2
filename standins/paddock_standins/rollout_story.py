"""The demo's rollouts of the agent that comes with the server: one over the workshop, where a host goes back by itself,
and one over the orchard that stops at its canary."""

from __future__ import annotations

from .story import Stage

WORKSHOP = ["dinghy-03", "dinghy-04", "godwit-01", "godwit-02", "ketch-01", "ketch-03"]
ORCHARD = ["bramley-03", "bramley-04", "laxton-01", "laxton-02"]
ROLLOUTS = [
    {"hosts": WORKSHOP, "waves": ["2", "100%"], "stop_after": 3, "drain_limit": 1800},
    {"hosts": ORCHARD, "waves": ["100%"], "stop_after": 1},
]


def tell_rollouts(stage: Stage) -> None:
    """Starts those that are not there yet, as soon as the watches of their hosts have reported that they can upgrade
    them."""
    for asked in ROLLOUTS[len(stage.api.get("/api/v1/rollouts/")["results"]) :]:

        def is_reachable(asked: dict[str, object] = asked) -> bool:
            return not stage.api.post("/api/v1/rollout-plans/", asked)["left_out"]

        stage.wait_for("the watches of a rollout's hosts", is_reachable)
        stage.api.post("/api/v1/rollouts/", asked)
