from django.apps import AppConfig


class PlanningConfig(AppConfig):
    name = "paddock_server.planning"
    default_auto_field = "django.db.models.BigAutoField"
