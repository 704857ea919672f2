from django.apps import AppConfig


class StandbyConfig(AppConfig):
    name = "paddock_server.standby"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """The power of a host follows its link; what may change a decision asks for another one."""
        from ..changes import changed
        from ..health.events import link_seen, power_down_refused
        from . import loop
        from .actions.follow_link import follow_link
        from .actions.power_down import follow_refusal

        link_seen.subscribe(follow_link)
        power_down_refused.subscribe(follow_refusal)
        changed.subscribe(loop.hear)
