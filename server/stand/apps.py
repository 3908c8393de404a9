from django.apps import AppConfig


class StandConfig(AppConfig):
    name = "stand"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from stand.stands import measure_delays  # noqa: F401 - it registers its kind of job
