"""Which setup leads where, how they rank over a range, and the sentences that say so and no more."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from torvix_core.checked import Array
from torvix_core.curve import GRID_RPM, crossovers
from torvix_core.effects import SMALLEST_DIFFERENCE, Difference, Effects, fit, pool_neighbours

MINIMUM_BINS = 3  # a lead that holds over fewer neighbouring bins is not called [prac]
WASH = -1  # in place of a setup's index


@dataclass(frozen=True)
class Lead:
    """A stretch of the speed range and who leads in it. `gain` and `half_width` are against the runner-up."""

    low_rpm: float
    high_rpm: float
    leader: int  # WASH where nobody does
    runner_up: int = WASH
    gain: float = 0.0  # score units, mean over the stretch
    half_width: float = 0.0


@dataclass(frozen=True)
class Crossover:
    """Where one setup overtakes another, with the half width of its 95 % interval in rpm."""

    speed_rpm: float
    half_width_rpm: float
    before: int
    after: int


@dataclass(frozen=True)
class Placing:
    """One setup over the range: its score, and its difference to the baseline and to the best."""

    setup: int
    score: float
    to_baseline: Difference | None  # None for the baseline itself
    to_best: Difference | None  # None for the best
    with_the_best: bool  # a wash with the best, or the best itself


def leaders(effects: Effects, smallest: float = SMALLEST_DIFFERENCE) -> NDArray[np.int_]:
    """In each bin the setup that beats every other one beyond scatter and the smallest difference, else WASH.

    Shapes: effects of (setups, bins); result (bins,).
    Units:  setup index.
    Errors: none.
    Source: house rule on top of `effects`; a stretch shorter than MINIMUM_BINS counts as a wash.
    >>> scores = np.array([[101.0] * 4 + [99] * 4, [100.9] * 4 + [99] * 4, [99.0] * 4 + [101] * 4])
    >>> leaders(fit(scores, np.array([0, 0, 1]), 2)).tolist()
    [0, 0, 0, 0, 1, 1, 1, 1]
    """
    setups, bins = effects.log_mean.shape
    best = effects.log_mean.argmax(axis=0)
    clear = np.ones(bins, dtype=bool)
    for leader in range(setups):
        for other in range(setups):
            if other != leader:
                clear &= (best != leader) | ~effects.difference(leader, other).is_wash(smallest)
    lead = np.where(clear, best, WASH)
    for begin, end in _runs(lead):
        if lead[begin] != WASH and end - begin < MINIMUM_BINS:
            lead[begin:end] = WASH
    return lead


def lead_strip(
    speed_rpm: Array, scores: Array, setup: NDArray[np.int_], setups: int, smallest: float = SMALLEST_DIFFERENCE
) -> tuple[Lead, ...]:
    """The speed range cut into stretches with one leader, or none.

    Shapes: speed_rpm (bins,), scores (pulls, bins), setup (pulls,).
    Units:  rpm; scores and gains in one unit, for instance N·m.
    Errors: as `effects.fit`.
    Source: `leaders`; the gain of a stretch is fitted on each pull's mean over it.
    >>> speed = np.arange(3000.0, 3800, 100)
    >>> scores = np.array([[101.0] * 4 + [99] * 4, [100.9] * 4 + [99] * 4, [99.0] * 4 + [101] * 4])
    >>> [(lead.low_rpm, lead.high_rpm, lead.leader) for lead in lead_strip(speed, scores, np.array([0, 0, 1]), 2)]
    [(3000.0, 3350.0, 0), (3350.0, 3700.0, 1)]
    """
    lead = leaders(pool_neighbours(fit(scores, setup, setups)), smallest)
    stretches = []
    for begin, end in _runs(lead):
        # A stretch reaches half way to its neighbour, and no further than the data at the ends.
        low = speed_rpm[begin] - (GRID_RPM / 2 if begin else 0.0)
        high = speed_rpm[end - 1] + (GRID_RPM / 2 if end < len(speed_rpm) else 0.0)
        leader = int(lead[begin])
        if leader == WASH or setups < 2:
            stretches.append(Lead(float(low), float(high), leader))
            continue
        whole = fit(scores[:, begin:end].mean(axis=1), setup, setups)
        runner_up = int(max((other for other in range(setups) if other != leader), key=lambda o: whole.log_mean[o]))
        found, base = whole.difference(leader, runner_up), float(whole.mean[runner_up])
        stretches.append(
            Lead(float(low), float(high), leader, runner_up, float(found.change) * base, float(found.half_width) * base)
        )
    return tuple(stretches)


def lead_crossovers(speed_rpm: Array, effects: Effects, strip: Sequence[Lead]) -> tuple[Crossover, ...]:
    """Where the lead passes from one called leader to the next, with its uncertainty along the speed axis.

    Shapes: (bins,), effects of (setups, bins), the strip of `lead_strip`.
    Units:  rpm.
    Errors: none; a change of leader without a crossing of the means gives none.
    Source: half width of the difference over the slope of the difference (delta method).
    >>> speed = np.arange(3000.0, 3800, 100)
    >>> a, b = np.linspace(104, 96, 8), np.linspace(96, 104, 8)
    >>> scores, setup = np.array([a, a + 0.1, b, b + 0.1]), np.array([0, 0, 1, 1])
    >>> found = lead_crossovers(speed, fit(scores, setup, 2), lead_strip(speed, scores, setup, 2))
    >>> [(round(cross.speed_rpm), cross.before, cross.after) for cross in found]
    [(3350, 0, 1)]
    """
    called = [lead for lead in strip if lead.leader != WASH]
    found = []
    for before, after in pairwise(called):
        if before.leader == after.leader:
            continue
        first, second = effects.log_mean[before.leader], effects.log_mean[after.leader]
        crossings = crossovers(speed_rpm, first, second)
        middle = (before.high_rpm + after.low_rpm) / 2
        if not len(crossings):
            continue
        at = float(crossings[np.abs(crossings - middle).argmin()])
        slope = abs(float(np.interp(at, speed_rpm, np.gradient(second - first, speed_rpm))))
        half = float(np.interp(at, speed_rpm, effects.half_width(after.leader, before.leader)))
        if slope > 0:
            found.append(Crossover(at, half / slope, before.leader, after.leader))
    return tuple(found)


def rank(effects: Effects, baseline: int, smallest: float = SMALLEST_DIFFERENCE) -> tuple[Placing, ...]:
    """Setups by mean score, best first; those that cannot be told from the best are marked, not ranked.

    Shapes: effects of (setups,).
    Units:  as the scores.
    Errors: none.
    Source: `effects`; ISO 5725's scatter as the yardstick.
    >>> placings = rank(fit(np.array([100.0, 101, 110, 111]), np.array([0, 0, 1, 1]), 2), baseline=0)
    >>> [(placing.setup, placing.with_the_best) for placing in placings]
    [(1, True), (0, False)]
    """
    order = [int(setup) for setup in np.argsort(-effects.log_mean, kind="stable")]
    best = order[0]
    placings = []
    for setup in order:
        to_best = None if setup == best else effects.difference(setup, best)
        placings.append(
            Placing(
                setup=setup,
                score=float(effects.mean[setup]),
                to_baseline=None if setup == baseline else effects.difference(setup, baseline),
                to_best=to_best,
                with_the_best=to_best is None or bool(to_best.is_wash(smallest)),
            )
        )
    return tuple(placings)


def _runs(values: NDArray[np.int_]) -> list[tuple[int, int]]:
    """Begin and end of each stretch of equal values."""
    cuts = [0, *(np.flatnonzero(values[1:] != values[:-1]) + 1).tolist(), len(values)]
    return list(pairwise(cuts)) if len(values) else []


@dataclass(frozen=True)
class Wording:
    """Labels and units for the sentences: setups by index, and the score unit with SI per unit."""

    labels: tuple[str, ...]
    unit: str
    si_per_unit: float

    def amount(self, value: float) -> str:
        return f"{value / self.si_per_unit:.1f}"

    def change(self, share: float, half_width: float, base: float, than: int) -> str:
        return f"{self.amount(share * base)} ± {self.amount(half_width * base)} more than {self.labels[than]}"


def range_sentence(
    placings: Sequence[Placing], baseline: int, low_rpm: float, high_rpm: float, wording: Wording
) -> str:
    """The ranking over a range in one plain sentence, with the figure and its certainty.

    Shapes: the placings of `rank`.
    Units:  scores in SI, told in the unit of `wording`.
    Errors: none.
    Source: house rule: never more certain than the numbers.
    >>> effects = fit(np.array([100.0, 100.4, 110, 110.4]), np.array([0, 0, 1, 1]), 2)
    >>> range_sentence(rank(effects, 0), 0, 3000, 5000, Wording(("A", "B"), "N·m", 1.0))
    'From 3000 to 5000 rpm B makes 110.2 N·m on average, 10.0 ± 1.3 more than A.'
    """
    best = placings[0]
    span = f"From {low_rpm:.0f} to {high_rpm:.0f} rpm"
    level = [wording.labels[placing.setup] for placing in placings if placing.with_the_best]
    if len(placings) == 1:
        return f"{span} {level[0]} makes {wording.amount(best.score)} {wording.unit} on average; nothing to compare."
    if len(level) > 1:
        names = " and ".join([", ".join(level[:-1]), level[-1]])
        behind = [wording.labels[placing.setup] for placing in placings if not placing.with_the_best]
        verb = "is" if len(behind) == 1 else "are"
        rest = f" {' and '.join(behind)} {verb} behind {wording.labels[best.setup]}." if behind else ""
        return f"{span} {names} are a wash: choose on cost, height or fit, or pull them again.{rest}"
    second, told = placings[1], []
    if second.setup != baseline and second.to_best is not None:
        lag = second.to_best
        told.append(wording.change(-float(lag.change), float(lag.half_width), best.score, second.setup))
    if best.to_baseline is not None:
        base = next(placing.score for placing in placings if placing.setup == baseline)
        gain = best.to_baseline
        told.append(wording.change(float(gain.change), float(gain.half_width), base, baseline))
    label = wording.labels[best.setup]
    return f"{span} {label} makes {wording.amount(best.score)} {wording.unit} on average, {' and '.join(told)}."


def strip_sentences(strip: Sequence[Lead], wording: Wording) -> tuple[str, ...]:
    """One sentence for each stretch of the lead strip, from low speed to high.

    Shapes: the strip of `lead_strip`.
    Units:  gains in SI, told in the unit of `wording`.
    Errors: none.
    Source: house rule.
    >>> strip_sentences([Lead(3000, 3350, 0, 1, 5.0, 1.0), Lead(3350, 3700, WASH)], Wording(("A", "B"), "N·m", 1.0))
    ('From 3000 to 3350 rpm A leads B by 5.0 ± 1.0 N·m.', 'From 3350 to 3700 rpm it is a wash.')
    """
    sentences = []
    for lead in strip:
        span = f"From {lead.low_rpm:.0f} to {lead.high_rpm:.0f} rpm"
        if lead.leader == WASH:
            sentences.append(f"{span} it is a wash.")
        else:
            sentences.append(
                f"{span} {wording.labels[lead.leader]} leads {wording.labels[lead.runner_up]} by "
                f"{wording.amount(lead.gain)} ± {wording.amount(lead.half_width)} {wording.unit}."
            )
    return tuple(sentences)
