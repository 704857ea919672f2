from django.apps import AppConfig


class TellingConfig(AppConfig):
    name = "paddock_server.telling"
    default_auto_field = "django.db.models.BigAutoField"
