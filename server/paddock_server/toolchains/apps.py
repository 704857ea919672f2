from django.apps import AppConfig


class ToolchainsConfig(AppConfig):
    name = "paddock_server.toolchains"
    default_auto_field = "django.db.models.BigAutoField"
