"""A torque span check: weights hung on an arm of known length, against what the stand reads.

It says how far the stand reads off and how well that is known. It corrects nothing: a stand is set right at the stand.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy import stats
from torvix_core.units.checked import Array, finite, same_length

STANDARD_GRAVITY = 9.80665  # m/s², 3rd General Conference on Weights and Measures, 1901
# Normal gravity on the ellipsoid, GRS 80: H. Moritz, Geodetic Reference System 1980, J. Geodesy 74 (2000).
EQUATOR, SOMIGLIANA, ECCENTRICITY_2 = 9.7803267715, 0.001931851353, 0.00669438002290
FREE_AIR = 3.086e-6  # m/s² less for each m of height, the usual free-air gradient
ANYWHERE = 0.0027 / math.sqrt(3)  # standard uncertainty of gravity on earth where nobody says the latitude
NORMAL = 0.0001  # of gravity: rock under the shop differs from the ellipsoid by less
LEAST_READINGS = 3
COVERAGE = 2.0  # k of the parts that are no scatter, 95 %: JCGM 100:2008 (GUM), 6.3.3


@dataclass(frozen=True)
class SpanCheck:
    """What a span check found. `error` is the share by which the stand reads high; `uncertainty` of it at 95 %."""

    zero: float  # N·m read with no load, by the line
    error: float
    uncertainty: float
    hysteresis: float  # N·m between readings of one load, at most
    worst: float  # N·m between a reading and the line, at most


def local_gravity(latitude_deg: float, elevation_m: float = 0.0) -> float:
    """Gravity at a place, m/s².

    Shapes: one place.
    Units:  degrees, north or south; m above sea level.
    Errors: ValueError for a latitude past the poles.
    Source: Somigliana's formula on GRS 80 (Moritz 2000) with the free-air gradient.
    >>> round(local_gravity(45.0), 5)
    9.8062
    """
    if not -90 <= latitude_deg <= 90:
        raise ValueError(f"a latitude of {latitude_deg:g}° is not on earth")
    sine_2 = math.sin(math.radians(latitude_deg)) ** 2
    normal = EQUATOR * (1 + SOMIGLIANA * sine_2) / math.sqrt(1 - ECCENTRICITY_2 * sine_2)
    return normal - FREE_AIR * elevation_m


def span_check(
    mass: Array, reading: Array, arm: float, *, arm_uncertainty: float, mass_uncertainty: float,
    gravity: float | None = None,
) -> SpanCheck:  # fmt: skip
    """How far a stand's torque reads off, from weights on an arm.

    Shapes: (readings,) each, three or more; the same weight up and down shows hysteresis.
    Units:  kg hung; N·m read; m of arm; `arm_uncertainty` in m and `mass_uncertainty` as a share, both at 95 %;
            `gravity` in m/s², None where nobody knows the place: standard gravity, and its spread over the earth.
    Errors: ValueError saying what is missing: readings, two different loads, an arm.
    Source: least squares with Student's t; parts combined by root sum of squares, JCGM 100:2008 (GUM) 5.1.2 and 6.3.3.
    >>> loads, read = np.array([0.0, 20.0, 40.0]), np.array([0.4, 197.5, 394.5])
    >>> found = span_check(loads, read, 1.0, arm_uncertainty=0.0005, mass_uncertainty=0.001, gravity=9.81)
    >>> round(100 * found.error, 2), round(found.zero, 2)
    (0.43, 0.42)
    """
    same_length(mass=mass, reading=reading)
    if len(mass) < LEAST_READINGS:
        raise ValueError(f"{LEAST_READINGS} readings are the least: no load, and two weights")
    if not (np.isfinite(mass).all() and np.isfinite(reading).all() and (mass >= 0).all()):
        raise ValueError("a weight or a reading is no number")
    if len(np.unique(mass)) < 2:
        raise ValueError("one load says nothing of the span: hang another weight")
    if arm <= 0:
        raise ValueError("the arm has no length")
    true = mass * arm * (STANDARD_GRAVITY if gravity is None else gravity)
    middle = true - true.mean()
    slope = float(middle @ reading / (middle @ middle))
    if slope <= 0:
        raise ValueError("the reading falls while weight is added: another sign, or another channel")
    zero = float(reading.mean() - slope * true.mean())
    off = reading - (zero + slope * true)
    freedom = len(mass) - 2
    scatter = math.sqrt(float(off @ off) / freedom / float(middle @ middle))
    known = math.hypot(arm_uncertainty / arm, mass_uncertainty, COVERAGE * (ANYWHERE if gravity is None else NORMAL))
    by_load = [float(np.ptp(reading[mass == load])) for load in np.unique(mass)]
    return SpanCheck(
        zero, slope - 1, math.hypot(float(stats.t.ppf(0.975, freedom)) * scatter, slope * known),
        max(by_load), float(np.abs(off).max()),
    )  # fmt: skip


def errors_apart(first: tuple[float, float], second: tuple[float, float]) -> tuple[float, float]:
    """By how much more the second of two checks found an instrument to read, and how well that is known.

    Shapes: (error, uncertainty) each.
    Units:  shares of the reading; uncertainties at 95 %.
    Errors: ValueError for what is not finite.
    Source: GUM (JCGM 100:2008), section 5.1, of two checks taken as independent. Two that used one arm and one set of
            weights share part of it, so that the true uncertainty is no larger.
    >>> [round(value, 4) for value in errors_apart((0.001, 0.003), (-0.006, 0.004))]
    [-0.007, 0.005]
    """
    finite("errors", [*first, *second])
    return second[0] - first[0], (first[1] ** 2 + second[1] ** 2) ** 0.5
