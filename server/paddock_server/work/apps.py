from django.apps import AppConfig


class WorkConfig(AppConfig):
    name = "paddock_server.work"
    default_auto_field = "django.db.models.BigAutoField"
