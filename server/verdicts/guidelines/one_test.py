"""What one test says of a guideline: setups that differ in the deciding part alone, and the slope through them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import combinations

import numpy as np
from torvix_core.beyond.deciding import OTHERS_MAY_STRAY, goes_along
from torvix_core.engine.dimensions import Slot
from torvix_core.guidelines.slope import slope_of
from torvix_core.guidelines.standing import Bearing, Claimed, speaks

from curves.reduction.nature import Nature
from engines.models import Engine, Part
from engines.sheet import sheets
from programmes.models import Programme, Setup
from verdicts.comparison.setup_identity import identity_of
from verdicts.models import Guideline, GuidelineMeasure, PairGain, StoredResult

NORMAL_95 = 1.959964  # standard errors in half a 95 % interval
EDGE_RPM = 50.0  # half a bin
LEAST_PEAK_ERROR_RPM = 10.0  # pulls that repeat to the rpm still leave a tenth of a bin; house rule

Amounts = Sequence[tuple[Setup, float]]


@dataclass(frozen=True)
class TestSays:
    """What one test says: the effect of one step of the variable, as a share or in rpm, with its 95 % interval.

    `setups` with the value of the variable (SI), from the least; `along` are other dimensions in which their parts
    differ, so that the effect may be theirs. `double_of` holds the same recordings and is counted in its place.
    """

    programme: Programme
    engine: Engine
    ran_at: datetime | None
    setups: Amounts
    effect: float
    error: float
    is_bent: bool
    nature: Nature
    across_days: bool
    along: Sequence[str]
    bearing: Bearing
    double_of: Programme | None = None

    @property
    def low(self) -> float:
        return self.effect - NORMAL_95 * self.error

    @property
    def high(self) -> float:
        return self.effect + NORMAL_95 * self.error


class PartValues:
    """Dimensions of parts, each read once."""

    def __init__(self) -> None:
        self._of: dict[int, Mapping[str, float | str]] = {}

    def of(self, part: Part) -> Mapping[str, float | str]:
        if part.pk not in self._of:
            self._of[part.pk] = sheets.values(part.readings.all())
        return self._of[part.pk]


def groups_of(guideline: Guideline, test: Programme, values: PartValues) -> list[list[tuple[Setup, float]]]:
    """Setups that differ in nothing but the part of the guideline's kind, and in its variable; from the least."""
    groups: dict[object, list[tuple[Setup, float]]] = {}
    for setup in test.setups.all():
        inside = [part for part in setup.parts.all() if part.slot == guideline.slot]
        amount = values.of(inside[0]).get(guideline.variable) if len(inside) == 1 else None
        if amount is None or isinstance(amount, str):
            continue
        groups.setdefault(identity_of(setup, guideline.slot), []).append((setup, float(amount)))
    return [
        sorted(group, key=lambda one: one[1]) for group in groups.values() if len({amount for _, amount in group}) > 1
    ]


def differ_in_alone(guideline: Guideline, one: Setup, other: Setup, values: PartValues) -> tuple[float, float] | None:
    """The variable of two setups that differ in nothing but the guideline's kind of part, and in it; else None."""
    amounts = []
    for setup in (one, other):
        inside = [part for part in setup.parts.all() if part.slot == guideline.slot]
        amount = values.of(inside[0]).get(guideline.variable) if len(inside) == 1 else None
        if amount is None or isinstance(amount, str):
            return None
        amounts.append(float(amount))
    alike = identity_of(one, guideline.slot) == identity_of(other, guideline.slot)
    return (amounts[0], amounts[1]) if alike and amounts[0] != amounts[1] else None


def say_of(
    guideline: Guideline, test: Programme, group: Amounts, result: StoredResult,
    gains: Mapping[tuple[int, int], PairGain], values: PartValues,
) -> TestSays | str:  # fmt: skip
    """What a test says by the setups of a group that were run; a text says why it says nothing."""
    if result.why_not:
        return result.why_not
    place = {setup.pk: at for at, setup in enumerate(test.setups.all())}

    def stored(one: Setup, other: Setup) -> tuple[PairGain, float] | None:
        """The gain of the second over the first, and the sign under which it is stored."""
        late, early = (one, other) if place[one.pk] > place[other.pk] else (other, one)
        row = gains.get((late.pk, early.pk))
        return None if row is None else (row, 1.0 if late is other else -1.0)

    first = next(
        (setup for setup, _ in group if any(stored(setup, other) for other, _ in group if other != setup)), None
    )
    if first is None:
        return "No two of these setups were run so that a session links them."
    ran = [(setup, amount) for setup, amount in group if setup == first or stored(first, setup)]
    if len({amount for _, amount in ran}) < 2:
        return "Of the setups that were run none differ in it."
    figures, variances = np.zeros(len(ran)), np.zeros((len(ran), len(ran)))
    rows = []
    for one, other in combinations(range(len(ran)), 2):
        there = stored(ran[one][0], ran[other][0])
        if there is None:
            return "Not all of these setups are linked by a session."
        row, sign = there
        figure = _figure(guideline, result, row)
        if isinstance(figure, str):
            return figure
        variances[one, other] = variances[other, one] = figure[1] ** 2
        if one == 0:
            figures[other] = sign * figure[0]
        rows.append(row)
    line = slope_of(np.array([amount for _, amount in ran]), figures, variances)
    if line.error <= 0:
        return "Nothing says how sure its difference is."
    effect, error = line.value * guideline.step, line.error * guideline.step
    parts = [next(part for part in setup.parts.all() if part.slot == guideline.slot) for setup, _ in ran]
    natures = {Nature(row.nature) for row in rows}
    return TestSays(
        test, test.build.engine, result.ran_at, ran, effect, error, line.is_bent,
        next((nature for nature in (Nature.SIMULATED, Nature.FIGURES) if nature in natures), Nature.MEASURED),
        any(row.across_days for row in rows), _along(guideline, parts, values),
        speaks(effect - NORMAL_95 * error, effect + NORMAL_95 * error, Claimed(guideline.claimed), guideline.smallest),
    )  # fmt: skip


def _figure(guideline: Guideline, result: StoredResult, row: PairGain) -> tuple[float, float] | str:
    """Difference of the guideline's figure and its standard error: of the logarithm of torque, or rpm."""
    if guideline.measure == GuidelineMeasure.PEAK_SPEED:
        if row.peak_shift_rpm is None:
            return "Torque peaks at an end of the speeds that were run: its true peak may lie beyond."
        if row.peak_shift_half_width_rpm is None:
            return "No pull was repeated, so nothing says how sure the speed of its peak is."
        return row.peak_shift_rpm, max(row.peak_shift_half_width_rpm / NORMAL_95, LEAST_PEAK_ERROR_RPM)
    if guideline.low_rpm is None or guideline.high_rpm is None:
        return float(np.log1p(row.change)), float((np.log1p(row.high) - np.log1p(row.low)) / 2 / NORMAL_95)
    speed = np.array(result.speed_rpm)
    if not row.change_by_speed or not len(speed):
        return "Nothing says what they differ in by speed: no pull was repeated."
    if speed[0] > guideline.low_rpm + EDGE_RPM or speed[-1] < guideline.high_rpm - EDGE_RPM:
        return f"It was judged from {speed[0]:.0f} to {speed[-1]:.0f} rpm alone."
    inside = (speed >= guideline.low_rpm - EDGE_RPM) & (speed <= guideline.high_rpm + EDGE_RPM)
    # Speeds of one pull go up and down together: the mean is no surer than its speeds are.
    change, half = np.log1p(row.change_by_speed)[inside], np.array(row.half_width_by_speed)[inside]
    return float(change.mean()), float(half.mean() / NORMAL_95)


def _along(guideline: Guideline, parts: Sequence[Part], values: PartValues) -> list[str]:
    """Labels of what else of these parts differs, and moves air."""
    found = []
    for dimension in goes_along(Slot(guideline.slot), guideline.variable):
        said = [values.of(part).get(dimension.key) for part in parts]
        numbers = [value for value in said if isinstance(value, float | int)]
        words = {value for value in said if isinstance(value, str)}
        strays = len(numbers) > 1 and np.ptp(numbers) > OTHERS_MAY_STRAY * max(np.abs(numbers).max(), 1e-12)
        if strays or len(words) > 1:
            found.append(dimension.label.lower())
    return found
