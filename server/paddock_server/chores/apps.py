from django.apps import AppConfig


class ChoresConfig(AppConfig):
    name = "paddock_server.chores"
    default_auto_field = "django.db.models.BigAutoField"
