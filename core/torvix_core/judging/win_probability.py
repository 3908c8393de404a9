"""The chance of each setup to be the best, and of each pair to stand as it seems, by drawing what may be true."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np
from torvix_core.judging.effects import Effects
from torvix_core.units.checked import Array

DRAWS = 4000
MOST_SURE = 0.99  # chances above are told as "above": the model itself is not surer than that


@dataclass(frozen=True)
class Chances:
    """best (setups,): chance to be the best of those that can be compared; ahead (setups, setups): of row over column;
    ranks (setups, setups): of the row's setup to come in at the column's place."""

    best: Array
    ahead: Array
    ranks: Array


def draw(effects: Effects, dice: np.random.Generator, draws: int = DRAWS) -> Array:
    """What the setups' logs of the score may truly be, given these pulls.

    Shapes: effects of (setups,); result (setups, draws).
    Units:  logs.
    Errors: ValueError if the scores are curves.
    Source: the posterior of docs/verdict-model.md, from which the intervals are read as well.
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> draw(fit(np.array([100.0, 101, 110, 111]), Layout.of([0, 0, 1, 1])), np.random.default_rng(1)).shape
    (2, 4000)
    """
    if effects.log_mean.ndim != 1:
        raise ValueError("draw scores, not curves")
    weight, mean = effects.known.weight[:, 0], effects.known.mean[:, :, 0]
    values, vectors = np.linalg.eigh(effects.known.covariance(0))
    spread = vectors * np.sqrt(np.maximum(values, 0.0))[:, None, :]
    which = np.repeat(np.arange(len(weight)), dice.multinomial(draws, weight / weight.sum()))
    normal = dice.standard_normal((draws, mean.shape[1], 1))
    return np.asarray((mean[which] + (spread[which] @ normal)[:, :, 0]).T)


def chances(
    effects: Effects, baseline: int, dice: np.random.Generator, draws: int = DRAWS, out: Collection[int] = ()
) -> Chances:  # fmt: skip
    """How sure the ranking is. Setups that no session links with the baseline's have no chance of any kind, and those
    that are `out`, by what they must keep beside their score, none to be the best.

    Shapes: effects of (setups,); results as `Chances`.
    Units:  [-].
    Errors: as `draw`.
    Source: `ahead` and, of two, `best` are read from the posterior as its intervals are; the rest is counted in draws.
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> effects = fit(np.array([100.0, 101, 100, 101]), Layout.of([0, 1, 0, 1]))
    >>> chances(effects, 0, np.random.default_rng(1)).best.round(1).tolist()
    [0.0, 1.0]
    """
    group = effects.model.group
    linked = np.flatnonzero(group == group[baseline])
    allowed = np.array([setup for setup in linked.tolist() if setup not in out], dtype=int)
    mine = allowed if len(allowed) else linked
    drawn = draw(effects, dice, draws)[mine]
    order = np.argsort(-drawn, axis=0)
    setups, count = len(group), len(mine)
    best, ahead, ranks = np.zeros(setups), np.zeros((setups, setups)), np.zeros((setups, setups))
    best[mine] = np.bincount(order[0], minlength=count) / draws
    for place in range(count):
        ranks[mine, place] = np.bincount(order[place], minlength=count) / draws
    one, other = (mine[each] for each in np.tril_indices(count, -1))
    above = effects.chances(one, other)
    ahead[one, other], ahead[other, one] = above, 1 - above
    if count == 2:
        best[mine] = ahead[mine, mine[::-1]]
    return Chances(best, ahead, ranks)
