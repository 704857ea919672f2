from django.apps import AppConfig


class WorkConfig(AppConfig):
    name = "paddock_server.work"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """What waits for an event hears what to do then: it knows of none of it."""
        from ..changes import noted
        from . import changed_hosts, dispatcher, fleet, offers
        from .actions.expire_offer import expire_offer
        from .events import attempt_ended
        from .round import run_round
        from .traces import trace_attempt

        dispatcher.decides_by(run_round)
        attempt_ended.subscribe(trace_attempt)
        offers.expire_by(expire_offer)
        changed_hosts.follow_by(fleet.bring_up_to_date)
        noted.subscribe(changed_hosts.hear)
        noted.subscribe(fleet.hear)
        noted.subscribe(dispatcher.hear)
