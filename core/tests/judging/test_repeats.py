import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose
from statsmodels.stats.power import TTestIndPower
from torvix_core.judging import repeats

from ops.effort import effort


class Power(SimpleTestCase):
    def test_agrees_with_statsmodels(self):
        """statsmodels 0.15.0, TTestIndPower, equal numbers, two-sided."""
        theirs = TTestIndPower()
        for pulls in (2, 3, 5, 10):
            for difference in (0.002, 0.005, 0.01):
                with self.subTest(pulls=pulls, difference=difference):
                    wanted = theirs.power(difference / 0.004, pulls, 0.05)
                    assert_allclose(repeats.power(pulls, difference, 0.004), wanted, rtol=1e-6)

    def test_agrees_with_days_thrown_by_dice(self):
        """20 000 days of three pulls a side, scatter 0.4 %, difference 1 %: the same t test, called as often."""
        generator = np.random.default_rng(5)
        one, other = (generator.normal(mean, 0.004, (20_000, 3)) for mean in (0.0, 0.01))
        pooled = np.sqrt((one.var(axis=1, ddof=1) + other.var(axis=1, ddof=1)) / 2)
        t = (other.mean(axis=1) - one.mean(axis=1)) / (pooled * np.sqrt(2 / 3))
        assert_allclose((np.abs(t) > 2.7764).mean(), repeats.power(3, 0.01, 0.004), atol=0.01)  # t(4), 97.5 %, handbook

    def test_no_difference_is_called_as_often_as_the_confidence_allows(self):
        assert_allclose(repeats.power([2, 4, 9], 0.0, 0.004), 0.05, rtol=1e-9)
        assert_allclose(repeats.power(4, 0.0, 0.004, confidence=0.9), 0.10, rtol=1e-9)

    @settings(max_examples=effort(60), deadline=None)
    @given(st.integers(2, 30), st.floats(1e-4, 0.2), st.floats(1e-3, 0.02))
    def test_more_pulls_and_larger_differences_are_found_more_often(self, pulls, difference, scatter):
        here, more, larger = (
            float(repeats.power(*given)) for given in
            ((pulls, difference, scatter), (pulls + 1, difference, scatter), (pulls, difference * 1.2, scatter))
        )  # fmt: skip
        self.assertTrue(0.05 - 1e-9 <= here <= 1.0)
        self.assertGreaterEqual(more, here - 1e-9)
        self.assertGreaterEqual(larger, here - 1e-9)

    def test_large_differences_with_few_pulls_where_the_library_gives_up(self):
        """Found by a random test: two pulls a side, eleven times the scatter. The chance by hand of many dice."""
        dice = np.random.default_rng(4)
        one, other = (dice.normal(gap, 1.0, (2, 400_000)) for gap in (0.0, 11.0))
        pooled = np.sqrt((one.var(axis=0, ddof=1) + other.var(axis=0, ddof=1)) / 2)
        found = np.abs(other.mean(axis=0) - one.mean(axis=0)) / pooled > 4.302653  # t, 2 degrees, 97.5 %, any table
        assert_allclose(repeats.power(2, 11.0, 1.0), found.mean(), atol=3e-4)

    def test_one_pull_tells_nothing_of_its_scatter(self):
        with self.assertRaisesMessage(ValueError, "pulls must be two or more a side"):
            repeats.power(1, 0.01, 0.004)


class Needed(SimpleTestCase):
    def test_the_fewest_that_are_enough(self):
        found = repeats.pulls_needed(0.01, 0.004)
        self.assertGreaterEqual(found.power, 0.8)
        self.assertLess(float(repeats.power(found.pulls - 1, 0.01, 0.004)), 0.8)

    def test_many_pulls_come_near_the_normal_form(self):
        """n = 2·((1.96 + 0.84)·σ/Δ)², common practice: 0.4 % scatter and 0.3 % difference give 27.9."""
        self.assertAlmostEqual(repeats.pulls_needed(0.003, 0.004).pulls, 27.9, delta=1.5)

    def test_what_no_day_can_find_is_said(self):
        found = repeats.pulls_needed(0.0005, 0.004)
        self.assertIsNone(found.pulls)
        self.assertLess(found.power, 0.8)

    def test_scatter_known_from_history_saves_pulls(self):
        self.assertLess(
            repeats.pulls_needed(0.01, 0.004, more_degrees=20).pulls, repeats.pulls_needed(0.01, 0.004).pulls
        )
