"""What one setup gains over another by speed, as it was measured: what every estimate is made from and scored by."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from torvix_core.engine.settings import IDLE_ITEMS, MIXTURE_ITEMS
from torvix_core.units.checked import Array

from curves.reduction.nature import Nature
from programmes.models import Programme, Setup
from programmes.plan.plans import SETTING
from shop.refusals import Invalid
from verdicts.comparison.aligned_pulls import Comparison, NothingKept
from verdicts.judging.choice import Choice

Change = frozenset[tuple[str, frozenset[str]]]


@dataclass(frozen=True)
class GainCurve:
    """Torque that one setup gains over another, with its 95 % interval by speed; `nature` is that of the pulls."""

    programme: Programme
    nature: Nature
    speed_rpm: Array
    change: Array
    low: Array
    high: Array


def gain_of(comparison: Comparison, choice: Choice, one: Setup, other: Setup) -> GainCurve:
    """Torque of one setup over another by speed. NothingKept where it is not known, Invalid for a setup not run."""
    places = {setup.pk: place for place, setup in enumerate(comparison.setups)}
    if one.pk not in places or other.pk not in places or one.pk == other.pk:
        raise Invalid("Choose two setups that have accepted pulls.", fields={"other": "another one than the first"})
    effects = comparison.curves(choice.school)
    if effects is None or not effects.linked(places[other.pk], places[one.pk]):
        raise NothingKept("What these two differ in by speed is not known yet: repeat pulls of both in one session.")
    found = effects.difference(places[other.pk], places[one.pk])
    nature = comparison.nature_of(places[one.pk], places[other.pk])
    return GainCurve(comparison.programme, nature, comparison.speed_rpm, found.change, found.low, found.high)


def change_of(one: Setup, other: Setup) -> Change:
    """What the second has in place of the first: by slot or setting, what goes off and what comes on.

    Jets and idle screws are no difference: every engine finds its own.
    """
    rows: dict[str, tuple[set[str], set[str]]] = {}
    for at, setup in enumerate((one, other)):
        for part in setup.parts.all():
            rows.setdefault(part.slot, (set(), set()))[at].add(part.name)
        for setting in setup.settings.all():
            if setting.key.removeprefix(SETTING) not in IDLE_ITEMS | MIXTURE_ITEMS:
                rows.setdefault(setting.key, (set(), set()))[at].add(setting.text)
    return frozenset(
        (row, frozenset({f"off {name}" for name in off - on} | {f"on {name}" for name in on - off}))
        for row, (off, on) in rows.items() if off != on
    )  # fmt: skip


def crossings(speed: Array, change: Array) -> list[float]:
    """Speeds at which a gain changes its sign, rpm."""
    turns = np.flatnonzero(np.sign(change[:-1]) * np.sign(change[1:]) < 0)
    shares = change[turns] / (change[turns] - change[turns + 1])
    found: list[float] = (speed[turns] + shares * (speed[turns + 1] - speed[turns])).tolist()
    return found
