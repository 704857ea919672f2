from django.apps import AppConfig


class HealthConfig(AppConfig):
    name = "paddock_server.health"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Findings and records follow what happens to hosts and jobs."""
        from ..changes import changed
        from ..hosts.events import hold_changed, keys_ended, watch_key_changed
        from ..work.events import attempt_ended
        from . import reevaluation
        from .actions.follow_hosts import follow_end_of_keys, follow_hold, follow_watch_key

        changed.subscribe(reevaluation.hear)
        attempt_ended.subscribe(reevaluation.note_job_ended)
        keys_ended.subscribe(follow_end_of_keys)
        watch_key_changed.subscribe(follow_watch_key)
        hold_changed.subscribe(follow_hold)
