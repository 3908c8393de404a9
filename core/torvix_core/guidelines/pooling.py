"""Several results of one question put together: by random effects, so that they may truly differ from each other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import stats
from torvix_core.units.checked import Array, finite, positive

CONFIDENCE = 0.95
FEWEST_FOR_PREDICTION = 3  # results: with fewer, how far they differ is not known at all


@dataclass(frozen=True)
class Pooled:
    """The mean over `count` results with its 95 % interval and standard error; how far the results truly differ (`tau`,
    a standard deviation), and the interval in which the next one is expected; None where fewer than three are known.

    `share_of_heterogeneity` is I², `chance_alike` that results which do not truly differ would lie this far apart.
    """

    count: int
    mean: float
    error: float
    low: float
    high: float
    tau: float
    share_of_heterogeneity: float
    chance_alike: float
    next_low: float | None
    next_high: float | None


def pool(effects: Array, errors: Array) -> Pooled:
    """Random-effects meta-analysis of results with their standard errors.

    Between-result variance after Paule and Mandel. The mean's interval is Student's t with the Hartung-Knapp-Sidik-
    Jonkman error, never below the plain one: few results that agree by chance are not believed more than their own
    errors allow. A single result keeps its own interval. Of five results the interval for the next held it in 92 of 100
    simulations: how far results differ is itself hardly known from five.

    Shapes: (results,), (results,); at least one.
    Units:  any, the same.
    Errors: ValueError if there is none, not finite, or an error is not above zero.
    Source: DerSimonian and Laird 1986; Paule and Mandel 1982; Knapp and Hartung 2003, with the lower bound of Röver,
            Knapp and Friede 2015; prediction interval with t of k - 2: Higgins, Thompson and Spiegelhalter 2009.
            Iteration by statsmodels at its default tolerances, on results scaled by their typical error.
    >>> found = pool(np.array([0.010, 0.012, 0.030]), np.array([0.002, 0.002, 0.002]))
    >>> round(found.mean, 4), found.next_low < 0 < found.low + 0.02
    (0.0173, True)
    """
    values, own = finite("effects", effects), positive("errors", errors)
    if not len(values) or values.shape != own.shape:
        raise ValueError("pooling needs a result, and an error for each")
    if len(values) == 1:
        half = float(stats.norm.ppf(0.5 + CONFIDENCE / 2) * own[0])
        alone = float(values[0])
        return Pooled(1, alone, float(own[0]), alone - half, alone + half, 0.0, 0.0, 1.0, None, None)
    from statsmodels.stats.meta_analysis import combine_effects  # takes seconds to import, and few ask for it

    scale = float(np.sqrt(np.mean(np.square(own))))
    with np.errstate(divide="ignore"):  # of results that are all alike
        found = combine_effects(values / scale, np.square(own / scale))
    free = len(values) - 1
    tau = float(np.sqrt(max(found.tau2, 0.0))) * scale
    mean = float(found.mean_effect_re) * scale
    error = max(float(found.sd_eff_w_re_hksj), float(found.sd_eff_w_re)) * scale
    half = float(stats.t.ppf(0.5 + CONFIDENCE / 2, free)) * error
    next_low = next_high = None
    if len(values) >= FEWEST_FOR_PREDICTION:
        reach = float(stats.t.ppf(0.5 + CONFIDENCE / 2, free - 1) * np.hypot(tau, error))
        next_low, next_high = mean - reach, mean + reach
    return Pooled(
        len(values), mean, error, mean - half, mean + half, tau, max(float(found.i2), 0.0),
        float(stats.chi2.sf(found.q, free)), next_low, next_high,
    )  # fmt: skip
