from django.apps import AppConfig


class ChoresConfig(AppConfig):
    name = "paddock_server.chores"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """A survey may be the proof that a chore waits for."""
        from ..toolchains.events import surveyed
        from .actions.note_survey import note_survey

        surveyed.subscribe(lambda survey: note_survey(survey.host, survey.marks))
