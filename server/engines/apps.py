from django.apps import AppConfig


class EnginesConfig(AppConfig):
    name = "engines"
    default_auto_field = "django.db.models.BigAutoField"
