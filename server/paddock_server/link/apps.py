from django.apps import AppConfig


class LinkConfig(AppConfig):
    name = "paddock_server.link"

    def ready(self) -> None:
        """Browsers hear of what changes."""
        from ..changes import changed
        from ..people.events import session_ended
        from .feed import end_session, pass_on

        changed.subscribe(pass_on)
        session_ended.subscribe(end_session)
