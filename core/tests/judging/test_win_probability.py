"""Chances of being best, against the closed form for two setups."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from scipy import stats
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.drift import NO_DRIFT, DriftPrior
from torvix_core.judging.effects import History, fit
from torvix_core.judging.win_probability import chances, draw

PLAIN = History(weight=0.0, drift=NO_DRIFT)


def dice() -> np.random.Generator:
    return np.random.default_rng(6)


class Best(SimpleTestCase):
    def test_two_setups_against_students_t(self):
        """The chance that B is ahead: the t distribution at the difference over its error; 3 errors of the draws."""
        fitted = fit(np.array([100.0, 100.6, 100.4, 101.0, 100.7, 101.2]), Layout.of([0, 0, 0, 1, 1, 1]), PLAIN)
        gap = float(fitted.log_mean[1] - fitted.log_mean[0])
        wanted = stats.t.cdf(gap / (float(fitted.own_scatter) * np.sqrt(2 / 3)), 4)
        found = chances(fitted, 0, dice())
        assert_allclose(found.best[1], wanted, atol=1e-4)
        assert_allclose(found.ahead[1, 0], found.best[1])
        drawn = draw(fitted, dice(), 40_000)
        assert_allclose((drawn[1] > drawn[0]).mean(), wanted, atol=3 * 0.5 / 200)

    def test_chances_add_up_and_so_do_the_places(self):
        fitted = fit(np.array([100.0, 101, 100.5, 100.9, 101, 101.4]), Layout.of([0, 0, 1, 1, 2, 2]))
        found = chances(fitted, 0, dice())
        assert_allclose(found.best.sum(), 1.0)
        assert_allclose(found.ranks.sum(axis=0), 1.0)
        assert_allclose(found.ahead + found.ahead.T + np.eye(3), 1.0)

    def test_drift_that_may_hide_makes_nobody_sure(self):
        scores, layout = np.array([100.0, 100.1, 100.8, 100.9]), Layout.of([0, 0, 1, 1])
        seen, hidden = (fit(scores, layout, History(drift=DriftPrior(day_sd=rate, engine_sd=0.0, curve_sd=0.0)))
                        for rate in (0.0, 0.01))  # fmt: skip
        self.assertGreater(chances(seen, 0, dice()).best[1], chances(hidden, 0, dice()).best[1] + 0.1)

    def test_a_setup_of_another_day_has_no_chance_of_any_kind(self):
        fitted = fit(np.array([100.0, 101, 100, 101, 150, 151]), Layout.of([0, 0, 1, 1, 2, 2], [0, 0, 0, 0, 1, 1]))
        found = chances(fitted, 0, dice())
        self.assertEqual((found.best[2], found.ahead[2].tolist()), (0.0, [0.0, 0.0, 0.0]))

    def test_what_may_not_be_chosen_is_never_the_best(self):
        fitted = fit(np.array([100.0, 101, 110, 111]), Layout.of([0, 0, 1, 1]))
        self.assertEqual(chances(fitted, 0, dice(), out={1}).best.tolist(), [1.0, 0.0])

    def test_the_same_dice_give_the_same_chances(self):
        fitted = fit(np.array([100.0, 101, 100.5, 101.5]), Layout.of([0, 0, 1, 1]))
        self.assertEqual(chances(fitted, 0, dice()).best.tolist(), chances(fitted, 0, dice()).best.tolist())
