"""What the mixture is worth: by hand, against a dense grid, and on five hundred hidden engines."""

from itertools import pairwise

import numpy as np
from django.test import SimpleTestCase
from scipy import stats
from torvix_core.pull.comparability import BEST_LAMBDA, MIXTURE_CURVATURE
from torvix_core.tuning.jet_slope import Shift
from torvix_core.tuning.mixture_power import BEST_SD, CURVATURE_SD, PowerChange, learn_power

BINS = np.ones(31)
CURVE = 0.03 * np.linspace(-1, 1, 31)


def to(shift: float) -> Shift:
    return Shift(np.ones(1), np.array([shift]), np.array([1e-9]))


class Power(SimpleTestCase):
    def test_without_a_change_it_is_practice(self):
        """Common practice, no source: a point rich, 11.6 for 12.65, cost about 1.8 %."""
        nothing = learn_power([])
        self.assertAlmostEqual(nothing.best_lambda[0], BEST_LAMBDA)
        self.assertAlmostEqual(nothing.best_lambda[1], BEST_SD, delta=0.001)
        self.assertAlmostEqual(nothing.curvature[0], MIXTURE_CURVATURE)
        gain, low, high = nothing.gain(11.6 / 14.7 * BINS, to(float(np.log(12.65 / 11.6))))
        self.assertAlmostEqual(gain, 0.0245, delta=0.004)
        self.assertTrue(0 < low < gain < high)

    def test_at_the_best_nothing_is_won_and_past_it_something_is_lost(self):
        nothing = learn_power([])
        gain, low, high = nothing.gain(BEST_LAMBDA * BINS, to(0.0))
        self.assertEqual((round(gain, 9), round(low, 6), round(high, 6)), (0.0, 0.0, 0.0))
        self.assertLess(nothing.gain(BEST_LAMBDA * BINS, to(0.06))[0], -0.008)

    def test_it_is_the_same_as_a_dense_grid(self):
        """Bayes' rule written out over 400 by 400 points of best and curvature."""
        changes = [PowerChange(0.80 * BINS + CURVE, 0.85 * BINS + CURVE, 0.013, 0.004),
                   PowerChange(0.85 * BINS + CURVE, 0.90 * BINS + CURVE, -0.006, 0.004)]  # fmt: skip
        best = np.linspace(BEST_LAMBDA - 5 * BEST_SD, BEST_LAMBDA + 5 * BEST_SD, 400)[:, None]
        bend = np.linspace(MIXTURE_CURVATURE - 5 * CURVATURE_SD, MIXTURE_CURVATURE + 5 * CURVATURE_SD, 400)[None]
        log = stats.norm.logpdf(best, BEST_LAMBDA, BEST_SD) + stats.norm.logpdf(bend, MIXTURE_CURVATURE, CURVATURE_SD)
        for one in changes:
            worth = (((one.before - best) ** 2).mean(axis=1) - ((one.after - best) ** 2).mean(axis=1))[:, None]
            log = log + stats.norm.logpdf(one.rose, bend * worth, one.sd)
        weight = np.exp(log - log.max())
        weight /= weight.sum()
        found = learn_power(changes)
        self.assertAlmostEqual(found.best_lambda[0], float((weight * best).sum()), delta=0.0006)
        self.assertAlmostEqual(found.curvature[0], float((weight * bend).sum()), delta=0.05)
        spread = float((weight * (best - found.best_lambda[0]) ** 2).sum()) ** 0.5
        self.assertAlmostEqual(found.best_lambda[1], spread, delta=0.001)

    def test_the_gain_of_the_next_change_lies_in_its_interval(self):
        """Five hundred engines drawn from the prior; three changes of jets each, then a fourth is predicted."""
        dice, inside, narrower = np.random.default_rng(11), 0, 0
        for _ in range(500):
            best, bend = dice.normal(BEST_LAMBDA, BEST_SD), dice.normal(MIXTURE_CURVATURE, CURVATURE_SD)

            def rise(before: np.ndarray, after: np.ndarray, best: float = best, bend: float = bend) -> float:
                return float(bend * (((before - best) ** 2).mean() - ((after - best) ** 2).mean()))

            curves = [level * BINS + CURVE for level in dice.uniform(0.76, 0.92, 4)]
            changes = [
                PowerChange(before, after, rise(before, after) + dice.normal(0, 0.005), 0.005)
                for before, after in pairwise(curves)
            ]
            now, by = 0.82 * BINS + CURVE, float(dice.normal(0.05, 0.02))
            low, high = learn_power(changes).gain(now, to(by))[1:]
            inside += low <= rise(now, now * np.exp(by)) <= high
            wide = learn_power([]).gain(now, to(by))[1:]
            narrower += high - low < wide[1] - wide[0]
        self.assertTrue(0.92 <= inside / 500 <= 0.98, inside)
        self.assertGreater(narrower, 450)

    def test_what_is_no_number_is_refused(self):
        good = PowerChange(BINS, BINS, 0.0, 0.005)
        for wrong, said in (
            (PowerChange(BINS * np.nan, BINS, 0.0, 0.005), "before"),
            (PowerChange(BINS, BINS[:3], 0.0, 0.005), "one length"),
            (PowerChange(BINS, BINS, np.inf, 0.005), "rose"),
            (PowerChange(BINS, BINS, 0.0, 0.0), "sd"),
        ):
            with self.subTest(said), self.assertRaisesRegex(ValueError, said):
                learn_power([good, wrong])
