import numpy as np
import statsmodels.api as sm
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core import effects
from torvix_core.effects import NotEnoughPulls

GENERATOR = np.random.default_rng(20)


class AgainstStatsmodels(SimpleTestCase):
    """statsmodels 0.15.0, ordinary least squares on setup indicators, is the independent reference."""

    def setUp(self):
        self.setup_of = np.array([0, 0, 1, 1, 1, 2, 2, 0])
        self.scores = 250 * np.exp(GENERATOR.normal(0, 0.004, 8) + 0.01 * self.setup_of)
        design = np.column_stack([np.ones(8), self.setup_of == 1, self.setup_of == 2]).astype(float)
        self.reference = sm.OLS(np.log(self.scores), design).fit()

    def test_scatter_differences_and_intervals_agree(self):
        fitted = effects.fit(self.scores, self.setup_of, 3)
        self.assertEqual(fitted.degrees_of_freedom, int(self.reference.df_resid))
        assert_allclose(fitted.scatter, np.sqrt(self.reference.mse_resid), rtol=1e-9)
        for setup, (low, high) in ((1, self.reference.conf_int()[1]), (2, self.reference.conf_int()[2])):
            found = fitted.difference(setup, 0)
            assert_allclose(np.log1p([found.low, found.high]), [low, high], rtol=1e-9)
            assert_allclose(np.log1p(found.change), self.reference.params[setup], rtol=1e-9)

    def test_curves_give_in_each_bin_what_the_bin_alone_gives(self):
        curves = self.scores[:, None] * np.exp(GENERATOR.normal(0, 0.003, (8, 5)))
        together = effects.fit(curves, self.setup_of, 3)
        for bin_ in range(5):
            alone = effects.fit(curves[:, bin_], self.setup_of, 3)
            assert_allclose(together.difference(2, 0).low[bin_], alone.difference(2, 0).low, rtol=1e-12)


class Honesty(SimpleTestCase):
    def test_intervals_cover_the_truth_in_95_of_100_days(self):
        """3 + 3 pulls at 0.35 % scatter, 20 000 made-up days; ± 0.6 % is four standard errors of the count."""
        days, truth = 20_000, 0.006
        logs = GENERATOR.normal(0, 0.0035, (6, days)) + np.array([0, 0, 0, 1, 1, 1])[:, None] * np.log1p(truth)
        found = effects.fit(np.exp(logs), np.array([0, 0, 0, 1, 1, 1]), 2).difference(1, 0)
        covered = float(((found.low <= truth) & (found.high >= truth)).mean())
        self.assertAlmostEqual(covered, 0.95, delta=0.006)

    def test_two_equal_setups_are_called_different_in_at_most_5_of_100_days(self):
        logs = GENERATOR.normal(0, 0.0035, (6, 20_000))
        found = effects.fit(np.exp(logs), np.array([0, 0, 0, 1, 1, 1]), 2).difference(1, 0)
        self.assertLess(float((~found.is_wash(0.0)).mean()), 0.056)

    def test_a_difference_under_the_smallest_that_matters_is_a_wash_however_sure(self):
        scores = np.array([100.0, 100.001, 100.2, 100.201])
        found = effects.fit(scores, np.array([0, 0, 1, 1]), 2).difference(1, 0)
        self.assertGreater(float(found.low), 0.001)
        self.assertTrue(bool(found.is_wash(0.003)))
        self.assertFalse(bool(found.is_wash(0.001)))

    def test_two_readings_differ_by_more_than_the_repeatability_limit_in_5_of_100(self):
        """ISO 5725: r = 2.8·s_r [std]."""
        logs = GENERATOR.normal(0, 0.004, (2, 200_000))
        beyond = np.abs(logs[0] - logs[1]) > effects.REPEATABILITY * 0.004
        self.assertAlmostEqual(float(beyond.mean()), 0.05, delta=0.004)

    def test_swapping_setup_and_reference_turns_the_interval_round(self):
        fitted = effects.fit(np.array([100.0, 101, 103, 104]), np.array([0, 0, 1, 1]), 2)
        there, back = fitted.difference(1, 0), fitted.difference(0, 1)
        assert_allclose((1 + there.low) * (1 + back.high), 1.0)


class Refusals(SimpleTestCase):
    def test_one_pull_each_says_what_to_do(self):
        with self.assertRaisesMessage(NotEnoughPulls, "repeat one of them"):
            effects.fit(np.array([100.0, 101.0]), np.array([0, 1]), 2)

    def test_a_setup_without_a_pull_is_named(self):
        with self.assertRaisesMessage(ValueError, "setup 1 has no accepted pull"):
            effects.fit(np.array([100.0, 101.0, 102.0]), np.array([0, 0, 2]), 3)

    def test_a_score_of_nothing_is_refused(self):
        with self.assertRaisesMessage(ValueError, "scores must be above zero"):
            effects.fit(np.array([100.0, 0.0]), np.array([0, 0]), 1)
