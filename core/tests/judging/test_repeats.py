import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose
from statsmodels.stats.power import TTestIndPower
from torvix_core.judging import repeats
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.drift import NO_DRIFT, SETTLING_PULLS, DriftPrior
from torvix_core.judging.effects import USUAL, History, fit
from torvix_core.judging.repeats import MorePulls, more_to_decide, there_and_back

from ops.effort import effort


def textbook(pulls: int, difference: float, scatter: float = 0.004, confidence: float = 0.95) -> float:
    """The power of so many pulls per setup where nothing drifts and nothing is known before."""
    plain = History(scatter, 0.0, NO_DRIFT)
    return float(repeats.power(there_and_back(pulls, 0), difference, plain, confidence))


class Power(SimpleTestCase):
    def test_agrees_with_statsmodels(self):
        """statsmodels 0.15.0, TTestIndPower, equal numbers, two-sided."""
        theirs = TTestIndPower()
        for pulls in (2, 3, 5, 10):
            for difference in (0.002, 0.005, 0.01):
                with self.subTest(pulls=pulls, difference=difference):
                    wanted = theirs.power(difference / 0.004, pulls, 0.05)
                    assert_allclose(textbook(pulls, difference), wanted, rtol=1e-6)

    def test_agrees_with_days_thrown_by_dice(self):
        """20 000 days of three pulls per setup, scatter 0.4 %, difference 1 %: the same t test, called as often."""
        generator = np.random.default_rng(5)
        one, other = (generator.normal(mean, 0.004, (20_000, 3)) for mean in (0.0, 0.01))
        pooled = np.sqrt((one.var(axis=1, ddof=1) + other.var(axis=1, ddof=1)) / 2)
        t = (other.mean(axis=1) - one.mean(axis=1)) / (pooled * np.sqrt(2 / 3))
        assert_allclose((np.abs(t) > 2.7764).mean(), textbook(3, 0.01), atol=0.01)  # t(4), 97.5 %, handbook

    def test_no_difference_is_called_as_often_as_the_confidence_allows(self):
        assert_allclose([textbook(pulls, 0.0) for pulls in (2, 4, 9)], 0.05, rtol=1e-9)
        assert_allclose(textbook(4, 0.0, confidence=0.9), 0.10, rtol=1e-9)

    @settings(max_examples=effort(60), deadline=None)
    @given(st.integers(2, 30), st.floats(1e-4, 0.2), st.floats(1e-3, 0.02))
    def test_more_pulls_and_larger_differences_are_found_more_often(self, pulls, difference, scatter):
        here, more, larger = (
            textbook(*given) for given in
            ((pulls, difference, scatter), (pulls + 1, difference, scatter), (pulls, difference * 1.2, scatter))
        )  # fmt: skip
        self.assertTrue(0.05 - 1e-9 <= here <= 1.0)
        self.assertGreaterEqual(more, here - 1e-9)
        self.assertGreaterEqual(larger, here - 1e-9)

    def test_large_differences_with_few_pulls_where_the_library_gives_up(self):
        """Found by a random test: two pulls per setup, eleven times the scatter. The chance by hand of many dice."""
        dice = np.random.default_rng(4)
        one, other = (dice.normal(gap, 1.0, (2, 400_000)) for gap in (0.0, 11.0))
        pooled = np.sqrt((one.var(axis=0, ddof=1) + other.var(axis=0, ddof=1)) / 2)
        found = np.abs(other.mean(axis=0) - one.mean(axis=0)) / pooled > 4.302653  # t, 2 degrees, 97.5 %, any table
        assert_allclose(textbook(2, 11.0, 1.0), found.mean(), atol=3e-4)

    def test_one_pull_tells_nothing_of_its_scatter(self):
        with self.assertRaisesMessage(ValueError, "pulls must be two or more a side"):
            textbook(1, 0.01)


class WithDrift(SimpleTestCase):
    def test_agrees_with_days_thrown_by_dice(self):
        """4000 days of AAABBB and AAABBBAA, drift thrown by the prior, judged as the verdict judges. The mixture
        knows of calm days and days astray, the planner of the usual one alone: within seven points of a hundred."""
        dice, quiet = np.random.default_rng(5), USUAL.scatter
        for layout, worth in (
            (there_and_back(3, 0), 0.02),
            (there_and_back(3, 2), 0.01),
            (there_and_back(5, 2), 0.007),
        ):
            slopes = dice.normal(0, USUAL.drift.sd, 4000)
            settling = np.exp(-layout.since_change() / SETTLING_PULLS)[:, None] * dice.normal(0, 0.004, 4000)
            logs = np.log1p(worth) * layout.setup[:, None] + layout.place[:, None] * slopes + settling
            found = fit(np.exp(logs + dice.normal(0, quiet, logs.shape)), layout).difference(1, 0)
            called = float(((found.low > 0) | (found.high < 0)).mean())
            self.assertAlmostEqual(float(repeats.power(layout, worth)), called, delta=0.07)

    def test_a_return_buys_most_of_what_drift_takes(self):
        there, back = (float(repeats.power(there_and_back(3, back), 0.01)) for back in (0, 2))
        self.assertLess(there, 0.4)
        self.assertGreater(back, 0.75)


class Needed(SimpleTestCase):
    def test_the_fewest_that_are_enough(self):
        found = repeats.pulls_needed(0.01)
        self.assertGreaterEqual(found.power, 0.8)
        self.assertLess(float(repeats.power(there_and_back(found.pulls - 1), 0.01)), 0.8)

    def test_many_pulls_come_near_the_normal_form(self):
        """n = 2·((1.96 + 0.84)·σ/Δ)², common practice: 0.4 % scatter and 0.3 % difference give 27.9."""
        plain = History(0.004, 0.0, NO_DRIFT)
        self.assertAlmostEqual(repeats.pulls_needed(0.003, plain, back=0).pulls, 27.9, delta=1.5)

    def test_what_no_day_can_find_is_said(self):
        found = repeats.pulls_needed(0.0005)
        self.assertIsNone(found.pulls)
        self.assertLess(found.power, 0.8)

    def test_scatter_known_from_history_saves_pulls(self):
        known, unknown = (repeats.pulls_needed(0.01, History(weight=weight), back=0).pulls for weight in (20.0, 0.0))
        self.assertLessEqual(known, unknown)

    def test_an_engine_that_never_drifts_needs_no_return(self):
        calm = History(drift=DriftPrior(engine_sd=0.0001, day_sd=0.0001))
        self.assertLess(repeats.pulls_needed(0.01, calm, back=0).pulls, repeats.pulls_needed(0.01, back=0).pulls)


class ToDecide(SimpleTestCase):
    def test_a_return_is_proposed_before_more_pulls_of_both(self):
        """AAA BBB, 1 % apart: drift is what is not known, so the way back to A."""
        effects = fit(np.array([100.0, 100.4, 99.9, 101.2, 100.9, 101.3]), Layout.of([0, 0, 0, 1, 1, 1]))
        found = more_to_decide(effects, 1, 0)
        self.assertEqual((found.one, found.other_pulls), (0, 0))
        self.assertGreater(found.one_pulls, 0)

    def test_what_is_proposed_does_decide_where_the_pulls_go_on_as_they_did(self):
        effects = fit(np.array([100.0, 100.4, 99.9, 101.2, 100.9, 101.3]), Layout.of([0, 0, 0, 1, 1, 1]))
        self.assertFalse(bool(effects.difference(1, 0).apart()))
        more = more_to_decide(effects, 1, 0)
        after = fit(np.array([100.0, 100.4, 99.9, 101.2, 100.9, 101.3, *([100.1] * more.one_pulls)]),
                    Layout.of([0, 0, 0, 1, 1, 1, *([0] * more.one_pulls)]))  # fmt: skip
        self.assertLess(float(after.difference(1, 0).half_width), 0.6 * float(effects.difference(1, 0).half_width))

    def test_what_lies_too_close_is_left(self):
        """0.35 % apart where 0.3 % matter: neither ahead nor equal for a long time."""
        effects = fit(np.array([100.0, 100.4, 100.35, 100.75, 100.0, 100.4]), Layout.of([0, 0, 1, 1, 0, 0]))
        self.assertIsNone(more_to_decide(effects, 1, 0))
        self.assertIsInstance(more_to_decide(effects, 1, 0, smallest=0.02), MorePulls)
