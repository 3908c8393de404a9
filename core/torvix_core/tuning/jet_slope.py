"""How far the mixture moves with the jets: what practice expects, and what a shop's own jet changes taught.

By area alone the mixture would follow the jets one to one; in practice half to two thirds of that come, because air
bleeds and boosters have their say [prac]. Each carburetor has a slope of its own round what is usual in the shop, and
each of its positions one of its own round that. The prior has heavy tails: some carburetors do follow the area rule.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special, stats
from torvix_core.judging.posterior import interval
from torvix_core.units.checked import Array, positive

USUAL_SLOPE = 0.58  # of what the area rule says [prac]: 87/77 to 82/72 moved a ratio of 11.6 to 12.65, rule 13.2
SHOP_SD = 0.12  # of the usual slope from shop to shop [prac]
CARBURETOR_SD = 0.15  # of a carburetor round the shop's [prac]
POSITION_SD = 0.12  # of a position round its carburetor's [prac]
TAILS = 4.0  # degrees of freedom of a carburetor's slope round the shop's
SHOP_NODES, TAIL_NODES = 25, 15
ALIKE = 0.05  # of the largest singular value: below it positions moved in one proportion


@dataclass(frozen=True)
class JetChange:
    """One change of jets alone: areas by position before and after, and by how much the mean of ln λ moved, ± sd."""

    carburetor: str
    before: Mapping[str, float]
    after: Mapping[str, float]
    moved: float
    sd: float


@dataclass(frozen=True, eq=False)
class JetSlope:
    """What is known of one carburetor: weight (components,), mean (components, positions), covariance (…, …, …).

    `own_cases` and `shop_cases` are the jet changes it rests on; `together` names positions that always moved together.
    """

    positions: tuple[str, ...]
    weight: Array
    mean: Array
    covariance: Array
    own_cases: int
    shop_cases: int
    together: tuple[str, ...]

    def slope(self, position: str) -> tuple[float, float]:
        """Mean and standard deviation of one position's slope."""
        at = self.positions.index(position)
        mean = float(self.weight @ self.mean[:, at])
        square = float(self.weight @ (self.covariance[:, at, at] + self.mean[:, at] ** 2))
        return mean, max(square - mean**2, 0.0) ** 0.5

    def shift(self, before: Mapping[str, float], after: Mapping[str, float], noise: float = 0.0) -> Shift:
        """By how much ln λ moves from one set of jets to another; `noise` is the scatter of what is read, of ln λ."""
        shares = area_shares(before, after, self.positions)
        mean = -(self.mean @ shares)
        variance = np.einsum("p,hpq,q->h", shares, self.covariance, shares) + noise**2
        return Shift(self.weight, mean, np.sqrt(np.maximum(variance, 1e-18)))


@dataclass(frozen=True, eq=False)
class Shift:
    """What ln λ may move by: a mixture of normal distributions, each (components,)."""

    weight: Array
    mean: Array
    deviation: Array

    @property
    def expected(self) -> float:
        return float(self.weight @ self.mean)

    def bounds(self, tail: float = 0.05) -> tuple[float, float]:
        """Between which all but `tail` lies, half of it on either side."""
        low, high = interval(self.weight[:, None], self.mean[:, None], self.deviation[:, None], tail)
        return float(low[0]), float(high[0])


def area_shares(before: Mapping[str, float], after: Mapping[str, float], positions: Sequence[str]) -> Array:
    """By how much each position changes the fuel by the area rule: its share of the area times ln of its own change.

    Shapes: a mapping of areas each; result (positions,).
    Units:  any one unit of area; result of ln.
    Errors: ValueError naming the position, for one that stands in one set alone, or an area not above zero.
    Source: flow through a jet goes with its area [phys]; the shares of both sets in the mean, so that there and back
            are the same.
    >>> area_shares({"primary": 72.0**2, "secondary": 82.0**2}, {"primary": 70.0**2, "secondary": 82.0**2},
    ...             ("primary", "secondary")).round(4)
    array([-0.0241,  0.    ])
    """
    if set(before) != set(after) or not set(before) <= set(positions):
        odd = sorted(set(before) ^ set(after) | (set(before) - set(positions)))
        raise ValueError(f"{', '.join(odd)}: not in both sets of jets")
    for position in before:
        positive(position, before[position])
        positive(position, after[position])
    totals = sum(before.values()), sum(after.values())
    return np.array(
        [
            (before[one] / totals[0] + after[one] / totals[1]) / 2 * np.log(after[one] / before[one])
            if one in before
            else 0.0
            for one in positions
        ]
    )


def learn(changes: Sequence[JetChange], carburetor: str, positions: Sequence[str]) -> JetSlope:
    """The slope of one carburetor from every jet change of the shop.

    Shapes: any number of changes; `positions` are those of the carburetor that is asked about.
    Units:  none: a slope of 1 is the area rule.
    Errors: ValueError naming what of a change cannot be used.
    Source: Bayesian linear regression with a normal prior whose scale is drawn (Student's t), integrated over what is
            usual in the shop; Lindley and Smith, J. R. Stat. Soc. B 34 (1972) [mem] for the levels.
    >>> nothing = learn([], "four barrel", ("primary", "secondary"))
    >>> [round(value, 2) for value in nothing.slope("primary")], nothing.own_cases
    ([0.58, 0.26], 0)
    >>> jets, leaner = {"primary": 77.0**2, "secondary": 87.0**2}, {"primary": 72.0**2, "secondary": 82.0**2}
    >>> taught = learn([JetChange("four barrel", jets, leaner, 0.087, 0.005)] * 3, "four barrel", tuple(jets))
    >>> round(taught.shift(jets, leaner).expected, 3), taught.together
    (0.087, ('primary', 'secondary'))
    """
    usual = USUAL_SLOPE + SHOP_SD * special.ndtri((np.arange(SHOP_NODES) + 0.5) / SHOP_NODES)
    scale = TAILS / stats.chi2.ppf((np.arange(TAIL_NODES) + 0.5) / TAIL_NODES, TAILS)
    log_shop = np.zeros(SHOP_NODES)
    for other in sorted({one.carburetor for one in changes} - {carburetor}):
        own = [one for one in changes if one.carburetor == other]
        names = tuple(dict.fromkeys(position for one in own for position in one.before))
        log_evidence = _fitted(own, names, usual, scale)[0]
        log_shop += special.logsumexp(log_evidence, axis=1)
    # A change at a position that the carburetor does not have now cannot be laid to those that it has.
    own = [one for one in changes if one.carburetor == carburetor and set(one.before) <= set(positions)]
    log_evidence, mean, covariance = _fitted(own, tuple(positions), usual, scale)
    log_weight = (log_evidence + log_shop[:, None]).reshape(-1)
    weight = np.exp(log_weight - special.logsumexp(log_weight))
    many = len(positions)
    return JetSlope(
        tuple(positions), weight, mean.reshape(-1, many), covariance.reshape(-1, many, many), len(own), len(changes),
        _together(own, tuple(positions)),
    )  # fmt: skip


def _fitted(
    own: Sequence[JetChange], positions: tuple[str, ...], usual: Array, scale: Array
) -> tuple[Array, Array, Array]:
    """Log evidence (shop, tails), mean (…, positions) and covariance of a carburetor's slopes in each component."""
    many = len(positions)
    shares = np.array([area_shares(one.before, one.after, positions) for one in own]).reshape(len(own), many)
    moved = -np.array([one.moved for one in own])
    noise = np.diag([one.sd**2 for one in own]).reshape(len(own), len(own))
    prior = scale[:, None, None] * CARBURETOR_SD**2 * np.ones((many, many)) + POSITION_SD**2 * np.eye(many)
    spread = shares @ prior @ shares.T + noise  # (tails, changes, changes)
    gain = prior @ shares.T @ np.linalg.inv(spread) if own else np.zeros((len(scale), many, 0))
    away = moved[None] - usual[:, None] * shares.sum(axis=1)[None]  # (shop, changes)
    mean = usual[:, None, None] + np.einsum("kpc,mc->mkp", gain, away)
    covariance = np.broadcast_to((prior - gain @ shares @ prior)[None], (len(usual), *prior.shape))
    if not own:
        return np.zeros((len(usual), len(scale))), mean, covariance
    inverse, log_size = np.linalg.inv(spread), np.linalg.slogdet(spread)[1]
    squares = np.einsum("mc,kcd,md->mk", away, inverse, away)
    return -0.5 * (squares + log_size[None]), mean, covariance


def _together(own: Sequence[JetChange], positions: tuple[str, ...]) -> tuple[str, ...]:
    """Positions that moved, and whose parts in it were never separated."""
    shares: NDArray[np.float64] = np.array([area_shares(one.before, one.after, positions) for one in own])
    if not len(shares):
        return ()
    moved = [at for at in range(len(positions)) if np.abs(shares[:, at]).max() > 0]
    sizes = np.linalg.svd(shares[:, moved], compute_uv=False) if moved else np.zeros(0)
    apart = int((sizes > ALIKE * sizes.max()).sum()) if len(sizes) else 0
    return tuple(positions[at] for at in moved) if apart < len(moved) else ()
