from django.apps import AppConfig


class LinkConfig(AppConfig):
    name = "paddock_server.link"

    def ready(self) -> None:
        """Browsers hear of what changes."""
        from ..changes import changed
        from ..people.events import roles_changed, session_ended, shut_out, token_ended
        from ..process.open_streams import end_stream
        from .feed import end_feeds_of, end_session, pass_on, read_roles_again

        changed.subscribe(pass_on)
        session_ended.subscribe(end_session)
        session_ended.subscribe(lambda key_digest: end_stream("session", key_digest))
        token_ended.subscribe(lambda pk: end_stream("token", pk))
        shut_out.subscribe(end_feeds_of)
        shut_out.subscribe(lambda pk: end_stream("person", pk))
        roles_changed.subscribe(read_roles_again)
