from django.apps import AppConfig


class RolloutConfig(AppConfig):
    name = "paddock_server.rollout"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """A survey may be part of the proof that a host owes."""
        from ..toolchains.events import surveyed
        from .actions.note_survey import note_survey

        surveyed.subscribe(lambda survey: note_survey(survey.host))
