"""The effects model against an independent statistics package, against hand-worked days, and for honesty over many."""

import numpy as np
import statsmodels.api as sm
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from scipy import stats
from torvix_core.judging import effects
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.effects import History, NotEnoughPulls, NotLinked, fit

GENERATOR = np.random.default_rng(20)
NOTHING_KNOWN = History(weight=0.0, drift_per_pull=0.0)  # these pulls alone, as a textbook has it
RETURN = Layout.of([0, 0, 0, 1, 1, 1, 0, 0])


def reference(columns: list[np.ndarray], scores: np.ndarray):
    return sm.OLS(np.log(scores), np.column_stack(columns).astype(float)).fit()


class AgainstStatsmodels(SimpleTestCase):
    """statsmodels 0.15.0, ordinary least squares on indicator columns, is the independent reference."""

    def compare(self, layout: Layout, more: list[np.ndarray]) -> None:
        count = len(layout.setup)
        scores = 250 * np.exp(GENERATOR.normal(0, 0.004, count) + 0.01 * layout.setup - 0.001 * np.arange(count))
        columns = [np.ones(count), *(layout.setup == one for one in range(1, layout.setups)), *more]
        found, wanted = fit(scores, layout, NOTHING_KNOWN, bent=False), reference(columns, scores)
        self.assertEqual(found.own_degrees, int(wanted.df_resid))
        assert_allclose(found.scatter, np.sqrt(wanted.mse_resid), rtol=1e-9)
        critical = stats.studentized_range.ppf(0.95, layout.setups, wanted.df_resid) / np.sqrt(2)
        for setup in range(1, layout.setups):
            difference = found.difference(setup, 0)
            assert_allclose(np.log1p(difference.change), wanted.params[setup], rtol=1e-8)
            assert_allclose(found.standard_error(setup, 0), wanted.bse[setup], rtol=1e-8)
            half = critical * wanted.bse[setup]
            assert_allclose(
                np.log1p([difference.low, difference.high]), wanted.params[setup] + [-half, half], rtol=1e-6
            )

    def test_setups_of_one_session_without_a_return(self):
        self.compare(Layout.of([0, 0, 1, 1, 1, 2, 2]), [])

    def test_a_drift_that_a_return_shows(self):
        self.compare(RETURN, [RETURN.place])

    def test_two_sessions_linked_by_a_setup(self):
        layout = Layout.of([0, 0, 1, 1, 0, 0, 2, 2], [0, 0, 0, 0, 1, 1, 1, 1])
        self.compare(layout, [layout.session == 1])

    def test_two_sessions_that_both_return_drift_each_in_its_own_way(self):
        layout = Layout.of([0, 1, 0, 1, 0, 2, 0, 2], [0, 0, 0, 0, 1, 1, 1, 1])
        lines = [np.where(layout.session == one, layout.place, 0.0) for one in (0, 1)]
        self.compare(layout, [layout.session == 1, *lines])

    def test_a_reading_that_is_accounted_for(self):
        oil = np.random.default_rng(3).normal(363, 3, 12)
        layout = Layout.of(np.repeat([0, 1], 6))
        self.compare(Layout(layout.setup, layout.session, layout.place, oil[:, None]), [oil])

    def test_curves_give_in_each_bin_what_the_bin_alone_gives(self):
        curves = np.exp(GENERATOR.normal(5.5, 0.003, (8, 5)))
        together = fit(curves, RETURN)
        for at in range(5):
            alone = fit(curves[:, at], RETURN)
            assert_allclose(together.difference(1, 0).low[at], alone.difference(1, 0).low, rtol=1e-9)
            assert_allclose(together.column(at).difference(1, 0).high, alone.difference(1, 0).high, rtol=1e-9)


class ByHand(SimpleTestCase):
    def test_a_straight_drift_is_taken_out_to_the_last_digit(self):
        """A at places 0, 1, 2, 6, 7 and B at 3, 4, 5; B is worth 1 %, each pull costs 0.3 %."""
        scores = np.exp(np.log1p(0.01) * RETURN.setup - 0.003 * RETURN.place)
        found = fit(scores, RETURN)
        assert_allclose(found.difference(1, 0).change, 0.01, rtol=1e-9)
        assert_allclose(found.slopes, [-0.003], rtol=1e-9)
        assert_allclose(found.drift(), [-0.021], rtol=1e-9)

    def test_a_session_that_reads_high_is_taken_out(self):
        layout = Layout.of([0, 0, 1, 1, 0, 0, 2, 2], [0, 0, 0, 0, 1, 1, 1, 1])
        worth, days = np.array([0.0, 0.01, 0.02]), np.array([0.0, 0.03])
        found = fit(np.exp(worth[layout.setup] + days[layout.session]), layout)
        assert_allclose(np.log1p(found.difference(2, 1).change), 0.01, rtol=1e-9)
        # Against each other by way of A twice: four means of two pulls, 1/2 each.
        assert_allclose(found.model.variance(2, 1), 2.0)
        assert_allclose(found.model.variance(1, 0), 1 / 2 + 1 / 2 * 1.0, atol=0.5)

    def test_days_without_a_common_setup_are_not_compared(self):
        found = fit(np.array([100.0, 101, 102, 103]), Layout.of([0, 0, 1, 1], [0, 0, 1, 1]))
        self.assertFalse(found.linked(0, 1))
        with self.assertRaisesMessage(NotLinked, "no session links these two setups"):
            found.difference(1, 0)

    def test_the_history_counts_as_so_many_pulls(self):
        """Moderated variance by hand: (3·0.4² + 5·0.3²)/(3 + 5), in per cent squared."""
        found, free, trusts = effects.steadied(np.array([5 * 0.003**2]), 5, History())
        assert_allclose(found**2, (3 * 0.004**2 + 5 * 0.003**2) / 8)
        self.assertEqual((free.tolist(), trusts.tolist()), ([8.0], [True]))

    def test_pulls_that_scatter_more_than_the_history_allows_stand_alone(self):
        squares = np.array([stats.chi2.ppf(0.94, 5), stats.chi2.ppf(0.96, 5)]) * 0.004**2
        _, free, trusts = effects.steadied(squares, 5, History())
        self.assertEqual((free.tolist(), trusts.tolist()), ([8.0, 5.0], [True, False]))

    def test_drift_that_cannot_be_seen_widens_by_the_pulls_between(self):
        """B lies three places behind A: three pulls of drift more on either side."""
        scores = np.array([1.0, 1.001, 0.999, 1.03, 1.031, 1.029])
        layout = Layout.of([0, 0, 0, 1, 1, 1])
        seen, hidden = (fit(scores, layout, History(drift_per_pull=rate)) for rate in (0.0, 0.002))
        assert_allclose(hidden.half_width(1, 0) - seen.half_width(1, 0), 3 * 0.002)

    def test_equal_pulls_give_no_false_certainty(self):
        found = fit(np.array([100.0, 100, 100, 100, 100]), Layout.of([0, 0, 1, 1, 0])).difference(1, 0)
        self.assertTrue(bool(found.is_wash(0.0)))
        self.assertGreater(float(found.half_width), 0.003)


class Bends(SimpleTestCase):
    LONG = Layout.of([0, 0, 1, 1, 0, 0, 1, 1, 0, 0, 1, 1, 0, 0])

    def test_a_drift_that_flattens_out_is_called_bent_and_widens(self):
        warming = -0.03 * (1 - np.exp(-self.LONG.place / 3))
        scores = np.exp(warming + np.random.default_rng(2).normal(0, 0.001, 14))
        found = fit(scores, self.LONG)
        self.assertTrue(bool(found.bent))
        straight = fit(scores, self.LONG, bent=False)
        self.assertGreater(float(found.half_width(1, 0)), float(straight.half_width(1, 0)))
        self.assertTrue(bool(found.drifts_much))

    def test_a_straight_drift_is_called_bent_in_one_day_of_a_hundred(self):
        """Two-sided test at 1 %; 20 000 days, four standard errors of the count."""
        days = 20_000
        noise = np.random.default_rng(5).normal(0, 0.004, (14, days))
        found = fit(np.exp(-0.003 * self.LONG.place[:, None] + noise), self.LONG, NOTHING_KNOWN)
        self.assertAlmostEqual(float(found.bent.mean()), 0.01, delta=4 * np.sqrt(0.01 * 0.99 / days))


class Honesty(SimpleTestCase):
    def test_intervals_cover_the_truth_in_95_of_100_days(self):
        """3 + 3 pulls and a return of two at 0.35 % scatter, drifting; four standard errors of 20 000 days."""
        days, truth = 20_000, 0.006
        logs = np.random.default_rng(7).normal(0, 0.0035, (8, days))
        logs += (RETURN.setup * np.log1p(truth) - 0.002 * RETURN.place)[:, None]
        found = fit(np.exp(logs), RETURN, NOTHING_KNOWN, bent=False).difference(1, 0)
        covered = float(((found.low <= truth) & (found.high >= truth)).mean())
        self.assertAlmostEqual(covered, 0.95, delta=0.0062)

    def test_of_four_equal_setups_any_pair_is_called_different_in_5_of_100_days(self):
        """Tukey's range over all six pairs; Kramer's form is a little on the safe side where counts differ."""
        layout, days = Layout.of(np.repeat([0, 1, 2, 3], 3)), 20_000
        found = fit(np.exp(np.random.default_rng(8).normal(0, 0.004, (12, days))), layout, NOTHING_KNOWN)
        called = np.zeros(days, dtype=bool)
        for one in range(4):
            for other in range(one):
                called |= ~found.difference(one, other).is_wash(0.0)
        self.assertAlmostEqual(float(called.mean()), 0.05, delta=0.0062)

    def test_a_difference_under_the_smallest_that_matters_is_a_wash_however_sure(self):
        scores = np.array([100.0, 100.001, 100.2, 100.201])
        found = fit(scores, Layout.of([0, 0, 1, 1]), NOTHING_KNOWN).difference(1, 0)
        self.assertGreater(float(found.low), 0.001)
        self.assertTrue(bool(found.is_wash(0.003)))
        self.assertFalse(bool(found.is_wash(0.001)))

    def test_two_readings_differ_by_more_than_the_repeatability_limit_in_5_of_100(self):
        """ISO 5725: r = 2.8·s_r [std]."""
        logs = GENERATOR.normal(0, 0.004, (2, 200_000))
        beyond = np.abs(logs[0] - logs[1]) > effects.REPEATABILITY * 0.004
        self.assertAlmostEqual(float(beyond.mean()), 0.05, delta=0.004)

    def test_swapping_setup_and_reference_turns_the_interval_round(self):
        fitted = fit(np.array([100.0, 101, 103, 104]), Layout.of([0, 0, 1, 1]))
        there, back = fitted.difference(1, 0), fitted.difference(0, 1)
        assert_allclose((1 + there.low) * (1 + back.high), 1.0)


class Refusals(SimpleTestCase):
    def test_one_pull_each_says_what_to_do_unless_the_engine_is_known(self):
        scores, layout = np.array([100.0, 101.0]), Layout.of([0, 1])
        with self.assertRaisesMessage(NotEnoughPulls, "repeat one of them"):
            fit(scores, layout)
        found = fit(scores, layout, History(0.003, 6.0, 0.0, known=True)).difference(1, 0)
        # Six degrees of freedom, two pulls of 0.3 % each: t·0.3·√2.
        assert_allclose(np.log1p(found.high), np.log(1.01) + stats.t.ppf(0.975, 6) * 0.003 * np.sqrt(2))

    def test_a_setup_without_a_pull_is_named(self):
        with self.assertRaisesMessage(ValueError, "setup 1 has no accepted pull"):
            fit(np.array([100.0, 101.0, 102.0]), Layout.of([0, 0, 2]))

    def test_a_score_of_nothing_is_refused(self):
        with self.assertRaisesMessage(ValueError, "scores must be above zero"):
            fit(np.array([100.0, 0.0]), Layout.of([0, 0]))

    def test_scores_of_another_number_of_pulls_are_refused(self):
        with self.assertRaisesMessage(ValueError, "scores are of 2 pulls, the layout of 3"):
            fit(np.array([100.0, 101.0]), Layout.of([0, 0, 1]))
