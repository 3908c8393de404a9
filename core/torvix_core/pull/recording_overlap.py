"""Whether two recordings are the same samples, or one is cut out of the other: evidence is not counted twice."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from torvix_core.units.checked import Array

LEAST_SAMPLES = 40  # in common; fewer may agree by chance where a sensor has few digits
ANCHORS = 12  # places of the shorter recording that are sought in the longer
SAME_SHARE = 0.95  # of the samples in common that must agree
CLOSE = 1e-6  # relative: a file in other units, or with fewer digits, is still the same recording


@dataclass(frozen=True)
class Overlap:
    """How many samples are shared, and the share of each recording that they are."""

    samples: int
    of_first: float
    of_second: float

    @property
    def same(self) -> bool:
        """The whole of both."""
        return self.of_first > 0.99 and self.of_second > 0.99


def overlap(first: Array, second: Array) -> Overlap | None:
    """The stretch in which two recordings hold the same samples, at whatever place in each.

    Shapes: (rows, n) and (rows, m): the same channels, for instance speed and torque.
    Units:  the same in both.
    Errors: ValueError if the rows differ.
    Source: comparison of samples; noise makes no two pulls alike.
    >>> noise = np.random.default_rng(1).normal(size=(2, 200))
    >>> found = overlap(noise, noise[:, 50:150]); found.samples, found.of_second
    (100, 1.0)
    """
    if first.shape[0] != second.shape[0]:
        raise ValueError("the recordings must have the same channels")
    long, short = (first, second) if first.shape[1] >= second.shape[1] else (second, first)
    n, m = long.shape[1], short.shape[1]
    if m < LEAST_SAMPLES:
        return None
    for anchor in np.unique(np.linspace(0, m - 1, ANCHORS).astype(int)):
        alike = _close(long, short[:, anchor : anchor + 1]).all(axis=0)
        for place in np.flatnonzero(alike)[:64]:
            shift = int(place) - int(anchor)
            begin, end = max(0, shift), min(n, shift + m)
            if end - begin < LEAST_SAMPLES:
                continue
            same = _close(long[:, begin:end], short[:, begin - shift : end - shift]).all(axis=0)
            if same.mean() >= SAME_SHARE:
                count = int(same.sum())
                return Overlap(count, count / first.shape[1], count / second.shape[1])
    return None


def _close(first: Array, second: Array) -> np.ndarray:
    return np.asarray(np.abs(first - second) <= CLOSE * (np.abs(first) + np.abs(second)) + 1e-12)
