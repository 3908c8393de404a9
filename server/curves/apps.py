from typing import Any

from django.apps import AppConfig


class CurvesConfig(AppConfig):
    name = "curves"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from curves.archive import uploads  # noqa: F401 - it registers its kind of job
        from curves.intake import imports  # noqa: F401 - the same
        from curves.printed_sheets import service as printed_sheets  # noqa: F401 - the same
        from curves.reduction import rebuild  # noqa: F401 - the same
        from curves.reduction.reduce import reduce_pull
        from stand.signals import pull_ended

        def reduce_at_end(pull: Any, **_: Any) -> None:
            reduce_pull(pull)

        pull_ended.connect(reduce_at_end, dispatch_uid="curves.reduce_at_end", weak=False)
