from django.apps import AppConfig


class RolloutConfig(AppConfig):
    name = "paddock_server.rollout"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """A survey may be part of the proof that a host owes; a host that sleeps has to wake for its upgrade."""
        from ..hosts.awake import add_needs
        from ..toolchains.events import surveyed
        from .actions.note_survey import note_survey
        from .needs import needed_by_rollouts

        add_needs(needed_by_rollouts)
        surveyed.subscribe(lambda survey: note_survey(survey.host))
