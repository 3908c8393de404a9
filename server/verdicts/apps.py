from typing import Any

from django.apps import AppConfig
from django.utils import timezone


class VerdictsConfig(AppConfig):
    name = "verdicts"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from curves.archive import tables
        from engines.signals import engine_kept_back
        from stand.signals import session_opened
        from verdicts.comparison import revisions
        from verdicts.customer_report import links
        from verdicts.models import (
            Decision,
            Estimate,
            EstimatedGain,
            Explanation,
            Guideline,
            HandoverSheet,
            KnownScatter,
            SessionBook,
            Sheet,
        )
        from verdicts.prior import scatter_history

        def remember(session: Any, at: Any, **_: Any) -> None:
            revisions.settle(session.programme_id, at)
            scatter_history.remember(session, at)

        def close_links(engine: Any, **_: Any) -> None:
            links.close_those_of(engine, timezone.now())

        engine_kept_back.connect(close_links, dispatch_uid="verdicts.close_links", weak=False)
        session_opened.connect(remember, dispatch_uid="verdicts.remember", weak=False)
        # What a verdict rests on goes with the programme, and so does what was made of it; links are this shop's alone.
        tables.register("known_scatter", KnownScatter, "programme")
        tables.register("decisions", Decision, "programme")
        tables.register("sheets", Sheet, "programme")
        tables.register("handovers", HandoverSheet, "programme")
        tables.register("session_books", SessionBook, "session__programme")
        # The engine that a gain was carried to is not of this programme.
        tables.register("estimates", Estimate, "programme", left_behind={"build"}, parts="part_id")
        tables.register("estimated_gains", EstimatedGain, "estimate__programme")
        tables.register_of_shop("guidelines", Guideline, ("statement", "written_at"))
        tables.register_of_shop("explanations", Explanation, ("text", "written_at"))
