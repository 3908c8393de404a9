from django.apps import AppConfig


class ProgrammesConfig(AppConfig):
    name = "programmes"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from programmes.order import orders  # noqa: F401 - it registers its kind of job
