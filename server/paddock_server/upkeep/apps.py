from django.apps import AppConfig


class UpkeepConfig(AppConfig):
    name = "paddock_server.upkeep"
    default_auto_field = "django.db.models.BigAutoField"
