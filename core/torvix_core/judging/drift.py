"""What a session's drift may be before its pulls are seen: how steep, how differently from day to day, how bent."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from torvix_core.units.checked import Array, finite, positive

USUAL_SLOPE = 0.0035  # [-] of the score a pull, standard deviation over engines and days [prac]
SIZES = ((0.3, 0.2), (1.0, 0.7), (9.0, 0.1))  # times its square, and how often: calm days, and days astray [prac]
OF_ENGINE = 0.6  # share of that variance that the engine has on all its days; the rest is the day's [prac]
USUAL_CURVE = 0.02  # [-] for each e-fold of pulls, standard deviation where a drift is bent [prac]
OFTEN_BENT = 0.15  # share of sessions whose drift flattens or steepens beyond a line [prac]
USUAL_SETTLING = 0.004  # [-] by which the first pull after a change of parts is off, standard deviation [prac]
SETTLING_PULLS = 0.8  # after so many pulls all but a third of that is gone [prac]
LEAST_SD = 0.0003  # [-] a pull, of a day: some calm days prove no less [prac]
PRIOR_DAYS = 3.0  # days that the usual spread of days counts as, beside those of a shop's own [prac]
WARMED_THROUGH = 1.0  # pulls; log(place + 1): a warming engine loses most at first


@dataclass(frozen=True)
class DriftPrior:
    """The usual slope and how it varies; shares of the score a pull.

    A session's slope is `mean`, plus what the engine has of its own (`engine_sd`, the same on all its days), plus what
    the day has of its own (`day_sd`). `curve_sd` is the size of a bend where there is one, `bent` how often there is.
    `settling_sd` is what a change of parts leaves in the first pulls after it, the same after every change.
    """

    mean: float = 0.0
    engine_sd: float = USUAL_SLOPE * OF_ENGINE**0.5
    day_sd: float = USUAL_SLOPE * (1 - OF_ENGINE) ** 0.5
    curve_sd: float = USUAL_CURVE
    bent: float = OFTEN_BENT
    settling_sd: float = USUAL_SETTLING

    @property
    def sd(self) -> float:
        """Of one session's slope."""
        return float((self.engine_sd**2 + self.day_sd**2) ** 0.5)


NO_DRIFT = DriftPrior(engine_sd=0.0, day_sd=0.0, curve_sd=0.0, settling_sd=0.0)

SPREADS = np.exp(np.linspace(np.log(LEAST_SD), np.log(10 * USUAL_SLOPE), 80))


def learned(slopes: Array, errors: Array) -> DriftPrior:
    """What the sessions of an engine say of its drift on the next day.

    Shapes: slopes and errors (sessions,): each session's own slope, and its standard deviation from its pulls alone.
    Units:  shares of the score a pull.
    Errors: ValueError naming the argument.
    Source: random effects of days, as in the analysis of several studies (DerSimonian and Laird, Control. Clin. Trials
            7 (1986) [mem]); the spread of days integrated over its posterior, the usual one counting as PRIOR_DAYS.
    >>> calm = learned(np.full(8, -0.001), np.full(8, 0.0002))
    >>> round(calm.mean, 4), calm.sd < 0.5 * USUAL_SLOPE
    (-0.001, True)
    >>> learned(np.zeros(0), np.zeros(0)) == DriftPrior()
    True
    """
    usual, seen, own = DriftPrior(), finite("slopes", slopes), positive("errors", errors) if len(errors) else errors
    if not len(seen):
        return usual
    weights, means, variances = [], [], []
    for spread in SPREADS:
        total = own**2 + spread**2
        precision = 1 / usual.engine_sd**2 + (1 / total).sum()
        mean = float((seen / total).sum() / precision)
        # The engine's own slope integrated out: N(0, total) in each session, shared N(0, engine_sd²).
        squares = (seen**2 / total).sum() - precision * mean**2
        likelihood = -0.5 * (np.log(total).sum() + np.log(precision) + squares)
        belief = -PRIOR_DAYS * np.log(spread) - PRIOR_DAYS * usual.day_sd**2 / (2 * spread**2)
        weights.append(likelihood + belief)
        means.append(mean)
        variances.append(1 / precision)
    weight = np.exp(np.array(weights) - max(weights))
    weight /= weight.sum()
    mean = float(weight @ np.array(means))
    engine = float(weight @ np.array(variances) + weight @ (np.array(means) - mean) ** 2)
    day = float(weight @ SPREADS**2)
    return DriftPrior(mean, engine**0.5, max(day**0.5, LEAST_SD))
