"""What makes a setup what it is, so that it is recognized in another test: its parts and settings, without its tune."""

from __future__ import annotations

from torvix_core.engine.settings import IDLE_ITEMS, MIXTURE_ITEMS

from programmes.models import Setup
from programmes.plan.plans import SETTING

Identity = tuple[frozenset[int], frozenset[tuple[str, str]]]


def identity_of(setup: Setup, without: str = "") -> Identity:
    """Parts by number, but for those of a slot that is left aside; settings but for jets and idle, which every engine
    finds for itself. Needs the setup's parts and settings."""
    settings = frozenset(
        (row.key, row.text) for row in setup.settings.all()
        if row.key.removeprefix(SETTING) not in IDLE_ITEMS | MIXTURE_ITEMS
    )  # fmt: skip
    return frozenset(part.pk for part in setup.parts.all() if part.slot != without), settings
