"""A part that was not tested, between tested ones of its kind: a curve with a band, by one variable that decides.

The worth of the parts is taken to run straight over the variable, but for a roughness that nobody knows: how far parts
stray from that line, and how fast, is read from the tested ones, each judged by the others. Between few parts little is
known of it, and the band is wide.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from torvix_core.judging.posterior import interval
from torvix_core.units.checked import Array, finite

FEWEST_PARTS = 3
# What resonates has a peak of its own at each length, and three parts do not show it [own assumption, no source]
RESONATES = frozenset({"runner_length", "primary_length"})
FEWEST_RESONATING = 4
# How parts stray from a straight line before any is seen [own assumptions, no source]
USUAL_ROUGHNESS, ITS_LOG_SD = 0.008, 1.0
ROUGHNESS = np.geomspace(0.0005, 0.08, 12)
REACHES, REACH_WEIGHT = np.array([0.3, 0.6, 1.2]), np.array([0.2, 0.4, 0.4])  # shares of the span
OWN_WAYS = np.array([0.02, 0.1, 0.3])  # share of the variance that is one part's own
HANG_TOGETHER_RPM = 1000.0  # speeds so near say the same thing again
WHOLE_CURVE, APART_RPM = 0.9, 200.0  # families whose whole curve the band holds, and where it may leave it anew


@dataclass(frozen=True, eq=False)
class SlottedIn:
    """The part against each tested one: share gained and its 95 % band, (parts, bins).

    `missed` (parts,) is by how much each inner part is missed when the others alone are asked, root mean square over
    the speeds; NaN at both ends, where nothing lies beyond. `roughness` is what the parts show about a straight line.
    """

    change: Array
    low: Array
    high: Array
    missed: Array
    roughness: float


def fewest_parts(variable: str) -> int:
    """How many tested parts a curve between them needs.

    Shapes: none.
    Units:  none.
    Errors: none.
    Source: two points have no roughness; what resonates needs more, own assumption, measured in the tests.
    >>> fewest_parts("intake_duration_050"), fewest_parts("runner_length")
    (3, 4)
    """
    return FEWEST_RESONATING if variable in RESONATES else FEWEST_PARTS


def slot_in(position: Array, at: float, log_worth: Array, covariance: Array, speed_rpm: Array) -> SlottedIn:
    """The worth by speed of a part at a place between tested ones.

    Shapes: position (parts,); log_worth (parts, bins), what each is worth, on the log scale; covariance (bins, parts,
            parts) of what is not known of it; speed_rpm (bins,).
    Units:  position and `at` in any one unit; logs; rpm.
    Errors: ValueError below three different positions, or where `at` lies outside them.
    Source: universal kriging with a straight trend and a Matérn 5/2 covariance (Cressie, Statistics for Spatial Data
            [mem]), averaged over roughness, reach and a part's own ways by restricted likelihood.
    >>> worth = np.log(np.array([[1.0, 1.0], [1.01, 0.99], [1.02, 0.98]]))
    >>> found = slot_in(np.array([216.0, 228, 240]), 234.0, worth, np.zeros((2, 3, 3)), np.array([3000.0, 5000]))
    >>> [round(float(each), 3) for each in found.change[0]], bool((found.low < found.change).all())
    ([0.015, -0.015], True)
    """
    places, logs = finite("position", position), finite("log_worth", log_worth)
    speeds, unknown = finite("speed_rpm", speed_rpm), finite("covariance", covariance)
    parts, bins = len(places), len(speeds)
    if logs.shape != (parts, bins) or unknown.shape != (bins, parts, parts):
        raise ValueError(f"log_worth and covariance are not of {parts} parts and {bins} speeds")
    low, high = float(places.min()), float(places.max())
    if len(np.unique(places)) < FEWEST_PARTS:
        raise ValueError(f"position has fewer than {FEWEST_PARTS} different values")
    if not low <= at <= high:
        raise ValueError(f"at {at} lies outside the tested span from {low} to {high}")
    scaled = (places - low) / (high - low)
    model = _Model.of(scaled, logs, unknown, speeds)
    mean, deviation = model.predicted((at - low) / (high - low))
    weight = np.broadcast_to(model.weight[:, None, None], mean.shape)
    # So many chances of the curve to leave its band: fewer with few parts, where a band that is too narrow is so at all
    # speeds at once.
    apart = 1 + (speeds.max() - speeds.min()) / APART_RPM * (1 - 1 / (parts - 1))
    ends = interval(weight, mean, deviation, (1 - WHOLE_CURVE) / apart)
    change = (weight * mean).sum(axis=0)
    return SlottedIn(
        np.expm1(change), np.expm1(ends[0]), np.expm1(ends[1]), _missed(scaled, logs),
        float(np.exp((model.weight * np.log(model.roughness)).sum())),
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Model:
    """The components (roughness, reach, own ways) of how parts stray, and how well the tested ones agree with each."""

    scaled: Array
    logs: Array
    unknown: Array
    weight: Array
    roughness: Array
    reach: Array
    own: Array

    @classmethod
    def of(cls, scaled: Array, logs: Array, unknown: Array, speeds: Array) -> _Model:
        grids = np.meshgrid(ROUGHNESS, np.arange(len(REACHES)), OWN_WAYS, indexing="ij")
        roughness, reach, own = grids[0].ravel(), REACHES[grids[1].ravel().astype(int)], grids[2].ravel()
        prior = np.log(REACH_WEIGHT)[grids[1].ravel().astype(int)]
        prior = prior - 0.5 * (np.log(roughness / USUAL_ROUGHNESS) / ITS_LOG_SD) ** 2
        straight = np.stack([np.ones_like(scaled), scaled], axis=1)
        rest = np.linalg.svd(straight)[0][:, 2:]  # what no straight line takes up
        seen = (rest.T @ logs).T  # (bins, rest)
        spread = np.einsum("pr,bpq,qs->brs", rest, unknown, rest)
        strayed = np.einsum("pr,gpq,qs->grs", rest, _covariance(scaled, scaled, reach, own, same=True), rest)
        strayed = strayed * roughness[:, None, None] ** 2
        both = strayed[:, None] + spread[None] + 1e-16 * np.eye(rest.shape[1])
        solved = np.linalg.solve(both, np.broadcast_to(seen[None, :, :, None], (*both.shape[:3], 1)))[..., 0]
        fits = -0.5 * (np.linalg.slogdet(both)[1] + (solved * seen[None]).sum(axis=-1)).sum(axis=1)
        pieces = max(1.0, float(speeds.max() - speeds.min()) / HANG_TOGETHER_RPM)
        whole = prior + fits * min(1.0, pieces / len(speeds))
        weight = np.exp(whole - whole.max())
        return cls(scaled, logs, unknown, weight / weight.sum(), roughness, reach, own)

    def predicted(self, at: float) -> tuple[Array, Array]:
        """Mean and standard deviation against each tested part, (components, parts, bins)."""
        parts = len(self.scaled)
        size = self.roughness[:, None, None] ** 2
        among = size * _covariance(self.scaled, self.scaled, self.reach, self.own, same=True)
        toward = size[..., 0] * _covariance(np.array([at]), self.scaled, self.reach, self.own)[:, 0]
        straight = np.stack([np.ones(parts), self.scaled], axis=1)
        system = np.zeros((len(self.weight), len(self.unknown), parts + 2, parts + 2))
        system[..., :parts, :parts] = among[:, None] + self.unknown[None] + 1e-14 * np.eye(parts)
        system[..., :parts, parts:], system[..., parts:, :parts] = straight, straight.T
        wanted = np.concatenate([toward, np.broadcast_to([1.0, at], (len(toward), 2))], axis=1)
        wanted = np.broadcast_to(wanted[:, None, :, None], (*system.shape[:3], 1))
        shares = np.linalg.solve(system, wanted)[..., :parts, 0]  # (components, bins, parts)
        strayed = size[:, 0] - 2 * np.einsum("gbp,gp->gb", shares, toward)
        strayed = strayed + np.einsum("gbp,gpq,gbq->gb", shares, among, shares, optimize=True)
        against = shares[:, :, None, :] - np.eye(parts)  # (components, bins, against, parts)
        mean = np.einsum("gbap,pb->gab", against, self.logs, optimize=True)
        noise = ((against @ self.unknown[None]) * against).sum(axis=-1).swapaxes(1, 2)
        return mean, np.sqrt(np.maximum(strayed[:, None] + noise, 1e-18))


def _covariance(one: Array, other: Array, reach: Array, own: Array, same: bool = False) -> Array:
    """Of how parts stray, for unit roughness, (components, one, other): Matérn 5/2, and on the diagonal their own."""
    apart = np.sqrt(5) * np.abs(one[:, None] - other[None, :])[None] / reach[:, None, None]
    smooth = (1 + apart + apart**2 / 3) * np.exp(-apart) * (1 - own[:, None, None])
    return np.asarray(smooth + own[:, None, None] * np.eye(len(one)) if same else smooth)


def _missed(scaled: Array, logs: Array) -> Array:
    """By how much the straight line between its neighbors misses each inner part, root mean square over the speeds."""
    found = np.full(len(scaled), np.nan)
    for part, place in enumerate(scaled):
        below, above = scaled < place, scaled > place
        if not below.any() or not above.any():
            continue
        one = int(np.flatnonzero(below)[scaled[below].argmax()])
        other = int(np.flatnonzero(above)[scaled[above].argmin()])
        share = (place - scaled[one]) / (scaled[other] - scaled[one])
        found[part] = np.sqrt(np.mean((logs[part] - (1 - share) * logs[one] - share * logs[other]) ** 2))
    return found
