"""How setups rank by a score: groups that are a wash, who is no worse anywhere, and the difference to any other."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from torvix_core.judging.effects import SMALLEST_DIFFERENCE, Difference, Effects
from torvix_core.judging.win_probability import Chances


@dataclass(frozen=True)
class Placing:
    """One setup: its score, its difference to the baseline and to the best, and how sure it is to be the best.

    `supported` is False where no session links it with the baseline; then there is no difference. `groups` are the
    groups that are a wash among themselves, by number, in which it stands.
    """

    setup: int
    score: float
    to_baseline: Difference | None  # None for the baseline itself
    to_best: Difference | None  # None for the best
    with_the_best: bool  # a wash with the best, or the best itself
    supported: bool = True
    chance_best: float = 0.0
    groups: tuple[int, ...] = ()


def washes(effects: Effects, smallest: float = SMALLEST_DIFFERENCE) -> NDArray[np.bool_]:
    """Which pairs cannot be told apart; pairs that no session links are not a wash, they are not compared.

    Shapes: effects of (setups,); result (setups, setups), symmetric.
    Units:  none.
    Errors: none.
    Source: `effects`.
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> washes(fit(np.array([100.0, 101, 100.4, 100.6, 110, 111]), Layout.of([0, 0, 1, 1, 2, 2]))).tolist()[0]
    [True, True, False]
    """
    gap, half = effects.all_pairs()
    # As a share of one is not quite a share of the other: too small either way is too small.
    small = np.minimum(np.abs(np.expm1(gap)), np.abs(np.expm1(-gap))) < smallest
    linked = np.isfinite(half)
    return np.asarray(linked & ((np.abs(gap) <= half) | small) | np.eye(len(gap), dtype=bool))


def wash_groups(washed: NDArray[np.bool_]) -> list[tuple[int, ...]]:
    """The largest groups in which every pair is a wash. A setup may stand in several: never a rank inside a group.

    Shapes: washed (setups, setups); result groups of indices, each of two and more.
    Units:  none.
    Errors: none.
    Source: insert and absorb, as for letter displays (Piepho, J. Comput. Graph. Statist. 13 (2004) [mem]).
    >>> wash_groups(np.array([[1, 1, 0], [1, 1, 1], [0, 1, 1]], dtype=bool))
    [(0, 1), (1, 2)]
    """
    columns = [frozenset(range(len(washed)))]
    for one, other in np.argwhere(np.triu(~washed, 1)).tolist():
        split = [part for column in columns
                 for part in ((column - {one}, column - {other}) if {one, other} <= column else (column,))]  # fmt: skip
        unique = list(dict.fromkeys(split))
        columns = [part for part in unique if not any(part < larger for larger in unique)]
    return sorted(tuple(sorted(column)) for column in columns if len(column) > 1)


def rank(
    effects: Effects, baseline: int, smallest: float = SMALLEST_DIFFERENCE, sure: Chances | None = None,
    out: Collection[int] = (),
) -> tuple[Placing, ...]:  # fmt: skip
    """Setups by score, best first; those that cannot be told from the best are marked, not ranked.

    Setups that no session links with the baseline come last, without a difference. Those that are `out`, by what they
    must keep beside their score, are never the best; their numbers stay what they are.

    Shapes: effects of (setups,).
    Units:  as the scores.
    Errors: none.
    Source: `effects`, all pairs together.
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> placings = rank(fit(np.array([100.0, 101, 110, 111]), Layout.of([0, 0, 1, 1])), baseline=0)
    >>> [(placing.setup, placing.with_the_best) for placing in placings]
    [(1, True), (0, False)]
    """
    washed = washes(effects, smallest)
    groups = wash_groups(washed)
    order = [int(setup) for setup in np.argsort(-effects.log_mean, kind="stable")]
    supported = [setup for setup in order if effects.linked(setup, baseline)]
    best = next((setup for setup in supported if setup not in out), supported[0])
    placings = []
    for setup in [*supported, *(one for one in order if one not in supported)]:
        linked = setup in supported
        placings.append(
            Placing(
                setup=setup,
                score=float(effects.mean[setup]),
                to_baseline=effects.difference(setup, baseline) if linked and setup != baseline else None,
                to_best=effects.difference(setup, best) if linked and setup != best else None,
                with_the_best=linked and (setup not in out or setup == best) and bool(washed[setup, best]),
                supported=linked,
                chance_best=float(sure.best[setup]) if sure else 0.0,
                groups=tuple(number for number, group in enumerate(groups) if setup in group),
            )
        )
    return tuple(placings)


def winner(placings: Sequence[Placing]) -> int | None:
    """The setup that beats every other, None while the best are a wash.

    Shapes: the placings of `rank`.
    Units:  none.
    Errors: none.
    Source: house rule.
    >>> winner([Placing(1, 110.0, None, None, True), Placing(0, 100.0, None, None, False)])
    1
    """
    level = [placing.setup for placing in placings if placing.with_the_best]
    return level[0] if len(level) == 1 and len(placings) > 1 else None


def nowhere_worse(curves: Effects, one: int, smallest: float = SMALLEST_DIFFERENCE) -> list[int]:
    """The setups than which `one` is nowhere called worse, and better by more than chance somewhere.

    Shapes: effects of (setups, bins); result indices.
    Units:  none.
    Errors: none.
    Source: house rule; "nowhere worse" asks the mean not to be lower by more than what matters in any bin.
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> curves = np.array([[100.0] * 4, [100.1] * 4, [103.0] * 4, [103.1] * 4])
    >>> nowhere_worse(fit(curves, Layout.of([0, 0, 1, 1]), bent=False), 1)
    [0]
    """
    found = []
    for other in range(len(curves.log_mean)):
        if one == other or not curves.linked(one, other):
            continue
        difference = curves.difference(one, other)
        if (difference.change > -smallest).all() and bool((~difference.is_wash(smallest)).any()):
            found.append(other)
    return found
