from django.apps import AppConfig


class TimeLineConfig(AppConfig):
    name = "paddock_server.time_line"
    default_auto_field = "django.db.models.BigAutoField"
