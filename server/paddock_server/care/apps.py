from django.apps import AppConfig


class CareConfig(AppConfig):
    name = "paddock_server.care"
    default_auto_field = "django.db.models.BigAutoField"
