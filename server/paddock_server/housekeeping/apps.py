from django.apps import AppConfig


class HousekeepingConfig(AppConfig):
    name = "paddock_server.housekeeping"
    default_auto_field = "django.db.models.BigAutoField"
