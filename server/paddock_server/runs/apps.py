from django.apps import AppConfig


class RunsConfig(AppConfig):
    name = "paddock_server.runs"
    default_auto_field = "django.db.models.BigAutoField"
