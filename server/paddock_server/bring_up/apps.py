from django.apps import AppConfig


class BringUpConfig(AppConfig):
    name = "paddock_server.bring_up"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Sheets follow their machines; a host that is ready proves itself."""
        from ..hosts.events import admitted, join_refused, joined
        from ..toolchains.events import surveyed
        from .actions.follow_join import follow_join
        from .actions.note_step import note_refused_join
        from .actions.prove import prove_if_ready

        joined.subscribe(follow_join)
        join_refused.subscribe(note_refused_join)
        admitted.subscribe(prove_if_ready)
        surveyed.subscribe(lambda survey: prove_if_ready(survey.host))
