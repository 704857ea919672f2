from django.apps import AppConfig


class PipelineSecretsConfig(AppConfig):
    name = "paddock_server.pipeline_secrets"
    default_auto_field = "django.db.models.BigAutoField"
