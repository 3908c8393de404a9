from django.apps import AppConfig


class VerdictsConfig(AppConfig):
    name = "verdicts"
    default_auto_field = "django.db.models.BigAutoField"
