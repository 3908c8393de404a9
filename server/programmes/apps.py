from django.apps import AppConfig


class ProgrammesConfig(AppConfig):
    name = "programmes"
    default_auto_field = "django.db.models.BigAutoField"
