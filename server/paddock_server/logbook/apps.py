from django.apps import AppConfig


class LogbookConfig(AppConfig):
    name = "paddock_server.logbook"
    default_auto_field = "django.db.models.BigAutoField"
