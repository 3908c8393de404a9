"""Parts and engines leave the lists and come back; what was never used can be deleted. Records keep what they name."""

from __future__ import annotations

from datetime import datetime

from django.db import models, transaction

from engines.models import Engine, Part
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Refusal


def archive(person: Person, kept: Part | Engine, at: datetime | None) -> None:
    """Out of the lists since `at`; None brings it back."""
    require_operator(person)
    kept.archived_at = at
    kept.save(update_fields=["archived_at"])


def delete_part(person: Person, part: Part) -> None:
    require_operator(person)
    if part.setups.exists():
        raise Refusal(f"{part.name} is in a setup, and stays in its record. Archive it: it leaves the lists.",
                      code="part_used")  # fmt: skip
    delete_unused(part, f"{part.name} is named by other records. Archive it: it leaves the lists.")


def delete_engine(person: Person, engine: Engine) -> None:
    """With every revision of its sheet."""
    require_operator(person)
    if engine.builds.filter(programmes__isnull=False).exists():
        raise Refusal(f"{engine.name} has tests, and stays in their record. Archive it: it leaves the lists.",
                      code="engine_used")  # fmt: skip
    words = f"{engine.name} is named by other records. Archive it: it leaves the lists."
    with transaction.atomic():
        for build in engine.builds.order_by("-revision"):
            delete_unused(build, words)
        delete_unused(engine, words)


def delete_unused(row: models.Model, words: str) -> None:
    """Refusal with these words where something else of the database holds on to it."""
    try:
        with transaction.atomic():
            row.delete()
    except models.ProtectedError as held:
        raise Refusal(words, code="in_use") from held
