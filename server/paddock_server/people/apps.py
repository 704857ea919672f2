from django.apps import AppConfig


class PeopleConfig(AppConfig):
    name = "paddock_server.people"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Refusals go into the logbook."""
        from ..rest.refusals import refused
        from .refusals import note_refusal

        refused.subscribe(note_refusal)
