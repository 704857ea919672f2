from django.apps import AppConfig


class TellingConfig(AppConfig):
    name = "paddock_server.notifications"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Findings that open or close become messages."""
        from ..health.events import finding_changed
        from .actions.queue import queue

        finding_changed.subscribe(lambda change: queue(change.finding, change.event))
