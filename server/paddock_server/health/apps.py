from django.apps import AppConfig


class HealthConfig(AppConfig):
    name = "paddock_server.health"
    default_auto_field = "django.db.models.BigAutoField"
