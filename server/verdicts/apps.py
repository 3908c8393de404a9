from typing import Any

from django.apps import AppConfig


class VerdictsConfig(AppConfig):
    name = "verdicts"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from curves import archive
        from stand.signals import session_opened
        from verdicts import (
            history,
            odds,  # noqa: F401 - it registers its kind of job
        )
        from verdicts.models import Decision, KnownScatter, Sheet

        def remember(session: Any, at: Any, **_: Any) -> None:
            history.remember(session, at)

        session_opened.connect(remember, dispatch_uid="verdicts.remember", weak=False)
        # What a verdict rests on goes with the programme, and so does what was made of it; links are this shop's alone.
        archive.register("known_scatter", KnownScatter, "programme")
        archive.register("decisions", Decision, "programme")
        archive.register("sheets", Sheet, "programme")
