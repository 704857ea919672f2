from django.apps import AppConfig


class HostsConfig(AppConfig):
    name = "paddock_server.hosts"
    default_auto_field = "django.db.models.BigAutoField"
