from typing import Any

from django.apps import AppConfig
from django.utils import timezone


class VerdictsConfig(AppConfig):
    name = "verdicts"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from curves import archive
        from engines.signals import engine_kept_back
        from stand.signals import session_opened
        from verdicts import (
            history,
            links,
            odds,  # noqa: F401 - it registers its kind of job
        )
        from verdicts.models import Decision, KnownScatter, Sheet

        def remember(session: Any, at: Any, **_: Any) -> None:
            history.remember(session, at)

        def close_links(engine: Any, **_: Any) -> None:
            links.close_those_of(engine, timezone.now())

        engine_kept_back.connect(close_links, dispatch_uid="verdicts.close_links", weak=False)
        session_opened.connect(remember, dispatch_uid="verdicts.remember", weak=False)
        # What a verdict rests on goes with the programme, and so does what was made of it; links are this shop's alone.
        archive.register("known_scatter", KnownScatter, "programme")
        archive.register("decisions", Decision, "programme")
        archive.register("sheets", Sheet, "programme")
