"""How setups rank by a score: who is ahead of whom, who is no worse anywhere, and the difference to any other."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from torvix_core.judging.difference import SMALLEST_DIFFERENCE, Difference, DifferenceState
from torvix_core.judging.effects import Effects
from torvix_core.judging.win_probability import Chances


@dataclass(frozen=True)
class Placing:
    """One setup: its score, its difference to the baseline and to the best, and how sure it is to be the best.

    `supported` is False where no session links it with the baseline; then there is no difference. `to_best` is the
    setup against the best, None for the best itself. `groups` are the groups whose members are not separated, by
    number, in which it stands.
    """

    setup: int
    score: float
    to_baseline: Difference | None  # None for the baseline itself
    to_best: Difference | None  # None for the best
    with_the_best: bool  # the best is not ahead of it, or it is the best
    supported: bool = True
    chance_best: float = 0.0
    groups: tuple[int, ...] = ()


def not_separated(effects: Effects, smallest: float = SMALLEST_DIFFERENCE) -> NDArray[np.bool_]:
    """Pairs of which neither is ahead, by intervals that hold for all pairs together; unlinked pairs are not such.

    Shapes: effects of (setups,); result (setups, setups), symmetric.
    Units:  none.
    Errors: none.
    Source: `effects.all_pairs`.
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> layout = Layout.of([0, 0, 1, 1, 2, 2])
    >>> not_separated(fit(np.array([100.0, 101, 100.4, 100.6, 110, 111]), layout)).tolist()[0]
    [True, True, False]
    """
    gap, low, high = effects.all_pairs()
    # As a share of one is not quite a share of the other: too small either way is too small.
    small = np.minimum(np.abs(np.expm1(gap)), np.abs(np.expm1(-gap))) < smallest
    linked = np.isfinite(low)
    return np.asarray(linked & ((low <= 0) & (high >= 0) | small) | np.eye(len(gap), dtype=bool))


def groups_together(together: NDArray[np.bool_]) -> list[tuple[int, ...]]:
    """The largest groups in which no pair is separated. A setup may stand in several: never a rank inside a group.

    Shapes: together (setups, setups); result groups of indices, each of two and more.
    Units:  none.
    Errors: none.
    Source: insert and absorb, as for letter displays (Piepho, J. Comput. Graph. Statist. 13 (2004) [mem]).
    >>> groups_together(np.array([[1, 1, 0], [1, 1, 1], [0, 1, 1]], dtype=bool))
    [(0, 1), (1, 2)]
    """
    columns = [frozenset(range(len(together)))]
    for one, other in np.argwhere(np.triu(~together, 1)).tolist():
        split = [part for column in columns
                 for part in ((column - {one}, column - {other}) if {one, other} <= column else (column,))]  # fmt: skip
        unique = list(dict.fromkeys(split))
        columns = [part for part in unique if not any(part < larger for larger in unique)]
    return sorted(tuple(sorted(column)) for column in columns if len(column) > 1)


def leaders(
    effects: Effects, baseline: int, smallest: float = SMALLEST_DIFFERENCE, out: Collection[int] = ()
) -> tuple[int, tuple[int, ...]]:
    """The setup with the highest score of those that may be chosen, and all that it is not ahead of, itself too.

    Shapes: effects of (setups,). Only setups that are linked with the baseline; those that are `out` are neither,
            unless all are.
    Units:  indices.
    Errors: none.
    Source: to be ahead of all takes being ahead of each, so each is asked at the level of one comparison (intersection
            and union: Berger, Technometrics 24 (1982) [mem]).
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> leaders(fit(np.array([100.0, 101, 110, 111, 110.6, 111.6]), Layout.of([0, 0, 1, 1, 2, 2])), 0)
    (1, (1, 2))
    """
    order = [int(setup) for setup in np.argsort(-effects.log_mean, kind="stable") if effects.linked(setup, baseline)]
    may = [setup for setup in order if setup not in out] or order[:1]
    ahead = effects.ahead(may[0], may, smallest)
    level = [setup for setup, is_ahead in zip(may, ahead.tolist(), strict=True) if is_ahead <= 0]
    return may[0], tuple(sorted(level))


def rank(
    effects: Effects, baseline: int, smallest: float = SMALLEST_DIFFERENCE, sure: Chances | None = None,
    out: Collection[int] = (),
) -> tuple[Placing, ...]:  # fmt: skip
    """Setups by score, best first, with the leader held against each other one; those it is not ahead of are marked.

    Setups that no session links with the baseline come last, without a difference. Those that are `out`, by what they
    must keep beside their score, are never the best; their numbers stay what they are.

    Shapes: effects of (setups,).
    Units:  as the scores.
    Errors: none.
    Source: `leaders`; the groups use all pairs together.
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> placings = rank(fit(np.array([100.0, 101, 110, 111]), Layout.of([0, 0, 1, 1])), baseline=0)
    >>> [(placing.setup, placing.with_the_best) for placing in placings]
    [(1, True), (0, False)]
    """
    groups = groups_together(not_separated(effects, smallest))
    order = [int(setup) for setup in np.argsort(-effects.log_mean, kind="stable")]
    supported = [setup for setup in order if effects.linked(setup, baseline)]
    best, level = leaders(effects, baseline, smallest, out)
    to_baseline, to_best = effects.against(baseline), effects.against(best)
    placings = []
    for setup in [*supported, *(one for one in order if one not in supported)]:
        linked = setup in supported
        placings.append(
            Placing(
                setup=setup,
                score=float(effects.mean[setup]),
                to_baseline=to_baseline.get(setup),
                to_best=to_best.get(setup),
                with_the_best=setup in level,
                supported=linked,
                chance_best=float(sure.best[setup]) if sure else 0.0,
                groups=tuple(number for number, group in enumerate(groups) if setup in group),
            )
        )
    return tuple(placings)


def winner(placings: Sequence[Placing]) -> int | None:
    """The setup that is ahead of every other, None while there is none.

    Shapes: the placings of `rank`.
    Units:  none.
    Errors: none.
    Source: house rule.
    >>> winner([Placing(1, 110.0, None, None, True), Placing(0, 100.0, None, None, False)])
    1
    """
    level = [placing.setup for placing in placings if placing.with_the_best]
    return level[0] if len(level) == 1 and len(placings) > 1 else None


def state_of_level(placings: Sequence[Placing], smallest: float = SMALLEST_DIFFERENCE) -> DifferenceState | None:
    """How those stand to each other that the best is not ahead of; None where it is ahead of all.

    Equal only if each of them is equal to the best; the least that is sure of any of them counts for all.

    Shapes: the placings of `rank`.
    Units:  none.
    Errors: none.
    Source: house rule.
    >>> state_of_level([Placing(1, 110.0, None, None, True), Placing(0, 100.0, None, None, False)]) is None
    True
    """
    states = {one.to_best.state(smallest) for one in placings if one.with_the_best and one.to_best is not None}
    # One that is out may be ahead of the best that may be chosen; it is not among the level.
    if not states:
        return None
    order = (DifferenceState.UNDECIDED, DifferenceState.SMALL, DifferenceState.EQUAL)
    return next((state for state in order if state in states), DifferenceState.UNDECIDED)


def nowhere_worse(curves: Effects, one: int, smallest: float = SMALLEST_DIFFERENCE) -> list[int]:
    """The setups than which `one` is nowhere worse by more than does not matter, and ahead somewhere.

    Shapes: effects of (setups, bins); result indices.
    Units:  none.
    Errors: none.
    Source: house rule; "nowhere worse" asks the whole interval to lie above, in every bin.
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> curves = np.array([[100.0] * 4, [100.1] * 4, [103.0] * 4, [103.1] * 4])
    >>> nowhere_worse(fit(curves, Layout.of([0, 0, 1, 1])), 1)
    [0]
    """
    found = []
    for other in range(len(curves.log_mean)):
        if one == other or not curves.linked(one, other):
            continue
        difference = curves.difference(one, other)
        if (difference.low > -smallest).all() and bool((difference.states(smallest) == DifferenceState.AHEAD).any()):
            found.append(other)
    return found
