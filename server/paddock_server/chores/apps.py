from django.apps import AppConfig


class ChoresConfig(AppConfig):
    name = "paddock_server.chores"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """A survey may be the proof that a chore waits for; a host that sleeps has to wake for one."""
        from ..hosts.awake import add_needs
        from ..toolchains.events import surveyed
        from .actions.note_survey import note_survey
        from .needs import needed_by_chores

        add_needs(needed_by_chores)
        surveyed.subscribe(lambda survey: note_survey(survey.host, survey.marks))
