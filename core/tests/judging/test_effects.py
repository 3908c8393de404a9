"""The effects model against an independent statistics package, against hand-worked days, and for honesty over many."""

import numpy as np
import statsmodels.api as sm
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from scipy import stats
from torvix_core.judging import effects
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.difference import DifferenceState
from torvix_core.judging.drift import NO_DRIFT, DriftPrior
from torvix_core.judging.effects import USUAL, History, NotEnoughPulls, NotLinked, fit

GENERATOR = np.random.default_rng(20)
NOTHING_KNOWN = History(weight=0.0, drift=NO_DRIFT)  # these pulls alone, as a textbook has it
ANY_SLOPE = History(
    weight=0.0, drift=DriftPrior(engine_sd=0.0, day_sd=10.0, curve_sd=0.0, settling_sd=0.0)
)  # as large as it likes
RETURN = Layout.of([0, 0, 0, 1, 1, 1, 0, 0])


def reference(columns: list[np.ndarray], scores: np.ndarray):
    return sm.OLS(np.log(scores), np.column_stack(columns).astype(float)).fit()


class AgainstStatsmodels(SimpleTestCase):
    """statsmodels 0.15.0, ordinary least squares on indicator columns, is the independent reference.

    A drift that may be of any size is what a column of its own is; a drift that is nothing is no column.
    """

    def compare(self, layout: Layout, more: list[np.ndarray], history: History = NOTHING_KNOWN) -> None:
        count = len(layout.setup)
        scores = 250 * np.exp(GENERATOR.normal(0, 0.004, count) + 0.01 * layout.setup - 0.001 * np.arange(count))
        columns = [np.ones(count), *(layout.setup == setup for setup in range(1, layout.setups)), *more]
        found, wanted = fit(scores, layout, history), reference(columns, scores)
        self.assertEqual(found.own_degrees, int(wanted.df_resid))
        assert_allclose(found.scatter, np.sqrt(wanted.mse_resid), rtol=1e-4)
        half = stats.t.ppf(0.975, wanted.df_resid) * wanted.bse
        for setup in range(1, layout.setups):
            difference = found.difference(setup, 0)
            assert_allclose(np.log1p(difference.change), wanted.params[setup], rtol=1e-4)
            bounds = wanted.params[setup] + np.array([-half[setup], half[setup]])
            assert_allclose(np.log1p([difference.low, difference.high]), bounds, rtol=0, atol=2e-3 * half[setup])
            in_errors = wanted.params[setup] / wanted.bse[setup]
            assert_allclose(difference.chance, stats.t.cdf(in_errors, wanted.df_resid), atol=1e-4)

    def test_setups_of_one_session(self):
        self.compare(Layout.of([0, 0, 1, 1, 1, 2, 2]), [])

    def test_a_drift_of_any_size_that_a_return_shows(self):
        self.compare(RETURN, [RETURN.place], ANY_SLOPE)

    def test_two_sessions_linked_by_a_setup(self):
        layout = Layout.of([0, 0, 1, 1, 0, 0, 2, 2], [0, 0, 0, 0, 1, 1, 1, 1])
        self.compare(layout, [layout.session == 1])

    def test_two_sessions_that_drift_each_in_its_own_way(self):
        layout = Layout.of([0, 1, 0, 1, 0, 2, 0, 2], [0, 0, 0, 0, 1, 1, 1, 1])
        lines = [np.where(layout.session == session, layout.place, 0.0) for session in (0, 1)]
        self.compare(layout, [layout.session == 1, *lines], ANY_SLOPE)

    def test_a_reading_that_is_accounted_for(self):
        oil = np.random.default_rng(3).normal(363, 3, 12)
        layout = Layout.of(np.repeat([0, 1], 6))
        self.compare(Layout(layout.setup, layout.session, layout.place, oil[:, None]), [oil])

    def test_curves_give_in_each_bin_what_the_bin_alone_gives(self):
        curves = np.exp(GENERATOR.normal(5.5, 0.003, (8, 5)))
        together = fit(curves, RETURN)
        for at in range(5):
            alone = fit(curves[:, at], RETURN)
            assert_allclose(together.difference(1, 0).low[at], alone.difference(1, 0).low, rtol=1e-7)
            assert_allclose(together.column(at).difference(1, 0).high, alone.difference(1, 0).high, rtol=1e-7)


class ByHand(SimpleTestCase):
    def test_a_straight_drift_is_taken_out(self):
        """A at places 0, 1, 2, 6, 7 and B at 3, 4, 5; B is worth 1 %, each pull costs 0.3 %, nothing scatters."""
        scores = np.exp(np.log1p(0.01) * RETURN.setup - 0.003 * RETURN.place)
        found = fit(scores, RETURN, History(scatter=1e-5))
        assert_allclose(found.difference(1, 0).change, 0.01, atol=1e-5)
        assert_allclose(found.slopes, [-0.003], atol=1e-5)
        assert_allclose(found.drift(), [-0.021], atol=1e-4)

    def test_slopes_within_a_visit_are_seen_without_a_return(self):
        """AAA BBB and each pull costs 0.3 %: within its visit each setup shows it. Nothing scatters."""
        layout = Layout.of([0, 0, 0, 1, 1, 1])
        scores = np.exp(np.log1p(0.01) * layout.setup - 0.003 * layout.place)
        found = fit(scores, layout, History(scatter=1e-5))
        assert_allclose(found.difference(1, 0).change, 0.01, atol=1e-4)
        assert_allclose(found.slopes, [-0.003], atol=1e-4)

    def test_a_session_that_reads_high_is_taken_out(self):
        layout = Layout.of([0, 0, 1, 1, 0, 0, 2, 2], [0, 0, 0, 0, 1, 1, 1, 1])
        worth, days = np.array([0.0, 0.01, 0.02]), np.array([0.0, 0.03])
        found = fit(np.exp(worth[layout.setup] + days[layout.session]), layout)
        assert_allclose(np.log1p(found.difference(2, 1).change), 0.01, atol=1e-9)

    def test_what_two_days_share_tells_of_the_drift_of_both(self):
        """A and E on both days, E last on the first and first on the second: their gap shows the common slope."""
        layout = Layout.of([0, 1, 2, 3, 3, 4, 5, 0], [0, 0, 0, 0, 1, 1, 1, 1], [0, 4, 8, 12, 0, 4, 8, 12])
        alone = Layout(layout.setup[:4], layout.session[:4], layout.place[:4])
        history = History(known=True, drift=DriftPrior(day_sd=0.0))
        both = fit(np.ones(8), layout, history)
        one = fit(np.ones(4), alone, history)
        self.assertLess(float(both.slope_errors[0]), 0.6 * float(one.slope_errors[0]))
        self.assertLess(float(both.difference(2, 0).half_width), float(one.difference(2, 0).half_width))

    def test_days_without_a_common_setup_are_not_compared(self):
        found = fit(np.array([100.0, 101, 102, 103]), Layout.of([0, 0, 1, 1], [0, 0, 1, 1]))
        self.assertFalse(found.linked(0, 1))
        with self.assertRaisesMessage(NotLinked, "no session links these two setups"):
            found.difference(1, 0)

    def test_the_history_counts_as_so_many_pulls(self):
        """Moderated variance by hand: (3·0.4² + 5·s²)/(3 + 5), in per cent squared, with 8 degrees of freedom."""
        layout = Layout.of([0, 0, 0, 0, 0, 0])
        logs = np.array([1.0, -1.0, 0.5, -0.5, 0.2, -0.2]) * 0.003
        found = fit(np.exp(logs), layout, History(drift=NO_DRIFT))
        assert_allclose(found.scatter**2, (3 * 0.004**2 + (logs**2).sum()) / 8, rtol=1e-5)
        assert_allclose(found.degrees_of_freedom, 8.0, rtol=1e-3)

    def test_pulls_that_scatter_more_than_the_history_allows_stand_alone(self):
        squares = np.array([stats.chi2.ppf(0.94, 5), stats.chi2.ppf(0.96, 5)]) * 0.004**2
        self.assertEqual(effects.trusted(squares, 5, History()).tolist(), [True, False])

    def test_an_engine_that_usually_drifts_is_held_to_it(self):
        """Four pulls that say nothing of a drift, on an engine that loses 0.2 % a pull on every day."""
        layout = Layout.of([0, 1])
        usual = History(known=True, drift=DriftPrior(-0.002, 1e-6, 1e-6, 0.0, settling_sd=0.0))
        found = fit(np.array([100.0, 99.8]), layout, usual).difference(1, 0)
        assert_allclose(np.log1p(found.change), np.log(0.998) + 0.002, atol=1e-6)

    def test_equal_pulls_give_no_false_certainty(self):
        found = fit(np.array([100.0, 100, 100, 100, 100]), Layout.of([0, 0, 1, 1, 0])).difference(1, 0)
        self.assertFalse(bool(found.apart(0.0)))
        self.assertGreater(float(found.half_width), 0.003)
        assert_allclose(found.chance, 0.5, atol=1e-6)


class Bends(SimpleTestCase):
    LONG = Layout.of([0, 0, 1, 1, 0, 0, 1, 1, 0, 0, 1, 1, 0, 0])

    def test_a_drift_that_flattens_out_is_called_bent_and_widens(self):
        warming = -0.03 * (1 - np.exp(-self.LONG.place / 3))
        scores = np.exp(warming + np.random.default_rng(2).normal(0, 0.001, 14))
        found = fit(scores, self.LONG)
        self.assertTrue(bool(found.is_bent))
        self.assertGreater(float(found.bent), 0.9)
        straight = fit(scores, self.LONG, History(drift=DriftPrior(bent=0.0)))
        bias = abs(float(straight.difference(1, 0).change))
        self.assertLess(abs(float(found.difference(1, 0).change)), bias)

    def test_a_straight_drift_is_seldom_called_bent(self):
        noise = np.random.default_rng(5).normal(0, 0.004, (14, 4000))
        found = fit(np.exp(-0.003 * self.LONG.place[:, None] + noise), self.LONG)
        self.assertLess(float(found.is_bent.mean()), 0.2)


class Honesty(SimpleTestCase):
    def covered(self, layout: Layout, seed: int, scatter: float = 0.004, days: int = 4000) -> float:
        dice, truth = np.random.default_rng(seed), 0.006
        slopes = dice.normal(0, USUAL.drift.sd, days)
        logs = dice.normal(0, scatter, (len(layout.setup), days)) + layout.place[:, None] * slopes
        logs += (layout.setup * np.log1p(truth))[:, None]
        found = fit(np.exp(logs), layout).difference(1, 0)
        return float(((found.low <= truth) & (found.high >= truth)).mean())

    def test_intervals_cover_the_truth_in_95_of_100_days_with_a_return_and_without(self):
        """Days whose drift is as the prior has it; wanted 93 to 98 of 100, and four errors of 4000 days."""
        for layout in (RETURN, Layout.of([0, 0, 0, 1, 1, 1]), Layout.of([0, 1, 0, 1, 0, 1])):
            self.assertAlmostEqual(self.covered(layout, 7), 0.955, delta=0.025 + 0.012)

    def test_an_interval_and_its_chance_cannot_contradict_each_other(self):
        logs = np.random.default_rng(9).normal(0, 0.005, (6, 500))
        found = fit(np.exp(logs), Layout.of([0, 0, 0, 1, 1, 1])).difference(1, 0)
        self.assertTrue(((found.low > 0) == (found.chance > 0.975)).all())
        self.assertTrue(((found.high < 0) == (found.chance < 0.025)).all())

    def test_a_difference_under_the_smallest_that_matters_is_equal_however_sure(self):
        scores = np.array([100.0, 100.001, 100.2, 100.201])
        found = fit(scores, Layout.of([0, 0, 1, 1]), NOTHING_KNOWN).difference(1, 0)
        self.assertGreater(float(found.low), 0.001)
        self.assertIs(found.state(0.003), DifferenceState.EQUAL)
        self.assertIs(found.state(0.001), DifferenceState.AHEAD)

    def test_two_readings_differ_by_more_than_the_repeatability_limit_in_5_of_100(self):
        """ISO 5725: r = 2.8·s_r [std]."""
        logs = GENERATOR.normal(0, 0.004, (2, 200_000))
        beyond = np.abs(logs[0] - logs[1]) > effects.REPEATABILITY * 0.004
        self.assertAlmostEqual(float(beyond.mean()), 0.05, delta=0.004)

    def test_swapping_setup_and_reference_turns_the_interval_round(self):
        fitted = fit(np.array([100.0, 101, 103, 104]), Layout.of([0, 0, 1, 1]))
        there, back = fitted.difference(1, 0), fitted.difference(0, 1)
        assert_allclose((1 + there.low) * (1 + back.high), 1.0)
        assert_allclose(there.chance + back.chance, 1.0)


class Refusals(SimpleTestCase):
    def test_one_pull_each_says_what_to_do_unless_the_engine_is_known(self):
        scores, layout = np.array([100.0, 101.0]), Layout.of([0, 1])
        with self.assertRaisesMessage(NotEnoughPulls, "repeat one of them"):
            fit(scores, layout)
        found = fit(scores, layout, History(0.003, 6.0, NO_DRIFT, known=True)).difference(1, 0)
        # Six degrees of freedom, two pulls of 0.3 % each: t·0.3·√2.
        assert_allclose(np.log1p(found.high), np.log(1.01) + stats.t.ppf(0.975, 6) * 0.003 * np.sqrt(2), rtol=1e-4)

    def test_where_setups_are_repeated_it_does_not_say_that_none_is(self):
        scores = np.array([100.0, 101.0, 102.0])
        for layout, said in (
            (Layout.of([0, 0, 0], [0, 1, 2]), "no setup has two accepted pulls in one session"),
            (Layout.of([0, 0, 1]), "do not tell scatter from drift"),
        ):
            with self.subTest(said), self.assertRaisesMessage(NotEnoughPulls, said):
                fit(scores, layout, History(weight=0.0))

    def test_a_setup_without_a_pull_is_named(self):
        with self.assertRaisesMessage(ValueError, "setup 1 has no accepted pull"):
            fit(np.array([100.0, 101.0, 102.0]), Layout.of([0, 0, 2]))

    def test_a_score_of_nothing_is_refused(self):
        with self.assertRaisesMessage(ValueError, "scores must be above zero"):
            fit(np.array([100.0, 0.0]), Layout.of([0, 0]))

    def test_scores_of_another_number_of_pulls_are_refused(self):
        with self.assertRaisesMessage(ValueError, "scores are of 2 pulls, the layout of 3"):
            fit(np.array([100.0, 101.0]), Layout.of([0, 0, 1]))
