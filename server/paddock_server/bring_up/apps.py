from django.apps import AppConfig


class BringUpConfig(AppConfig):
    name = "paddock_server.bring_up"
    default_auto_field = "django.db.models.BigAutoField"
