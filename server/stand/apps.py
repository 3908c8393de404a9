from django.apps import AppConfig


class StandConfig(AppConfig):
    name = "stand"
    default_auto_field = "django.db.models.BigAutoField"
