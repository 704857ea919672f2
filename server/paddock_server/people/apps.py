from django.apps import AppConfig


class PeopleConfig(AppConfig):
    name = "paddock_server.people"
    default_auto_field = "django.db.models.BigAutoField"
