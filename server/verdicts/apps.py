from django.apps import AppConfig


class VerdictsConfig(AppConfig):
    name = "verdicts"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from verdicts import odds  # noqa: F401 - it registers its kind of job
