from django.apps import AppConfig


class MaintenanceConfig(AppConfig):
    name = "paddock_server.maintenance"
    default_auto_field = "django.db.models.BigAutoField"
