"""Boosted setups by both schools: equal boost with its allowances, equal drive with its breathing, and exhaust cost."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray
from torvix_core.units import quantities

from programmes.models import BoostPolicy
from shop.schema import Schema
from verdicts.boosted import messages
from verdicts.boosted.service import Boosted, DrivenSetup, HeldPull, SameBoostPair
from verdicts.judging.answers import PercentOut, percent_out


class BoostMissOut(Schema):
    low_rpm: float
    high_rpm: float
    miss: float


class HeldPullOut(Schema):
    """Boost in `boost_unit`; null where the pull had no target. `worth` of its miss, %, an allowance."""

    pull_id: int
    number: int
    setup_id: int
    target: float | None
    reached: float | None
    from_rpm: float | None
    misses: list[BoostMissOut]
    worth: PercentOut | None
    learned: bool
    words: str


class BySpeedOut(Schema):
    """Against the baseline along the speed range, %."""

    percent: list[float]
    low: list[float]
    high: list[float]


class DrivenSetupOut(Schema):
    """Null for the baseline, and for a setup that no day links with it."""

    setup_id: int
    boost: float
    power: PercentOut | None
    pressure: PercentOut | None
    breathing: PercentOut | None
    by_speed: BySpeedOut | None
    words: str


class SpanOut(Schema):
    value: float
    low: float
    high: float


class SameBoostOut(Schema):
    """`other` against `one`."""

    one_id: int
    other_id: int
    boost: float
    power: PercentOut
    back_pressure: SpanOut
    turbine_rpm: SpanOut | None
    cost: str
    words: str


class RatioOut(Schema):
    """Exhaust pressure over boost by speed; null where boost is near nothing."""

    setup_id: int
    ratio: list[float | None]


class BoostedOut(Schema):
    policy: str
    policy_label: str
    boost_unit: str
    window: float
    baseline_id: int
    speed_rpm: list[float]
    pulls: list[HeldPullOut]
    setups: list[DrivenSetupOut]
    pairs: list[SameBoostOut]
    ratios: list[RatioOut]
    notes: list[str]


def boosted_out(found: Boosted, units: Mapping[str, str]) -> BoostedOut:
    comparison, unit = found.comparison, units["boost"]
    programme, setups = comparison.programme, comparison.setups
    return BoostedOut(
        policy=programme.boost_policy, policy_label=BoostPolicy(programme.boost_policy).label, boost_unit=unit,
        window=float(quantities.difference_from_si(found.window.note, unit)),
        baseline_id=setups[comparison.baseline].pk, speed_rpm=comparison.speed_rpm.tolist(),
        pulls=[_held(found, one, units) for one in found.pulls],
        setups=[_driven(found, one, unit) for one in found.setups],
        pairs=[_pair(found, one, units) for one in found.pairs],
        ratios=[] if found.ratios is None else [
            RatioOut(setup_id=setup.pk, ratio=_known(found.ratios[place])) for place, setup in enumerate(setups)
        ],
        notes=messages.notes(found),
    )  # fmt: skip


def _known(values: NDArray[np.float64]) -> list[float | None]:
    return [float(value) if np.isfinite(value) else None for value in values]


def _shown(value: float | None, unit: str) -> float | None:
    return None if value is None else float(quantities.difference_from_si(value, unit))


def _held(found: Boosted, one: HeldPull, units: Mapping[str, str]) -> HeldPullOut:
    pull, held, unit = found.comparison.kept[one.row].pull, one.held, units["boost"]
    worth = None
    if one.worth is not None:
        value, low, high = (each * 100 for each in one.worth)
        worth = PercentOut(percent=value, low=low, high=high)
    return HeldPullOut(
        pull_id=pull.pk, number=pull.number, setup_id=pull.setup_id,
        target=_shown(held.target if held else None, unit), reached=_shown(held.found if held else None, unit),
        from_rpm=held.from_rpm if held else None,
        misses=[
            BoostMissOut(low_rpm=miss.low_rpm, high_rpm=miss.high_rpm,
                         miss=float(quantities.difference_from_si(miss.miss, unit)))
            for miss in one.misses
        ],
        worth=worth, learned=one.by is not None and one.by.learned, words=messages.held_words(one, units),
    )  # fmt: skip


def _driven(found: Boosted, one: DrivenSetup, unit: str) -> DrivenSetupOut:
    comparison, split, by_speed = found.comparison, one.split, None
    if split is not None and found.along is not None:
        along = found.along.between(one.setup, comparison.baseline).breathing
        by_speed = BySpeedOut(
            percent=(along.change * 100).tolist(), low=(along.low * 100).tolist(), high=(along.high * 100).tolist()
        )
    return DrivenSetupOut(
        setup_id=comparison.setups[one.setup].pk, boost=float(quantities.difference_from_si(one.boost, unit)),
        power=None if split is None else percent_out(split.power),
        pressure=None if split is None else percent_out(split.pressure),
        breathing=None if split is None else percent_out(split.breathing),
        by_speed=by_speed, words=messages.driven_words(found, one),
    )  # fmt: skip


def _pair(found: Boosted, pair: SameBoostPair, units: Mapping[str, str]) -> SameBoostOut:
    setups, unit, at = found.comparison.setups, units["boost"], pair.found
    back, low, high = (float(quantities.difference_from_si(each, unit)) for each in at.back_pressure)
    turbine = None
    if at.turbine is not None:
        turbine = SpanOut(value=at.turbine[0], low=at.turbine[1], high=at.turbine[2])
    return SameBoostOut(
        one_id=setups[pair.one].pk, other_id=setups[pair.other].pk,
        boost=float(quantities.difference_from_si(at.boost, unit)), power=percent_out(at.power),
        back_pressure=SpanOut(value=back, low=low, high=high), turbine_rpm=turbine, cost=at.cost,
        words=messages.pair_sentence(found, pair, units),
    )  # fmt: skip
