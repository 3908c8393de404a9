"""Critical values for many comparisons, against a published table, a reference library, and by simulation."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from scipy import stats
from torvix_core.judging.effects import over_neighbours
from torvix_core.judging.multiple_comparisons import all_pairs, along_curve, path_length, smoothing_gain


class AllPairs(SimpleTestCase):
    # Studentized range, upper 5 % points: Pearson and Hartley, Biometrika Tables for Statisticians, table 29 [mem]
    TABLE = (
        (3, 5, 4.60), (4, 5, 5.22), (3, 10, 3.88), (4, 10, 4.33), (5, 10, 4.65), (3, 20, 3.58), (6, 20, 4.45),
        (10, 30, 4.82),
    )  # fmt: skip

    def test_the_published_table_to_its_last_digit(self):
        for setups, degrees, printed in self.TABLE:
            with self.subTest(setups=setups, degrees=degrees):
                assert_allclose(all_pairs(setups, degrees) * np.sqrt(2), printed, rtol=0, atol=0.0051)

    def test_the_reference_library_also_between_whole_degrees(self):
        for setups in (2, 3, 7, 12, 26):
            for degrees in (1, 2.5, 7, 60):
                with self.subTest(setups=setups, degrees=degrees):
                    wanted = stats.studentized_range.ppf(0.95, setups, degrees) / np.sqrt(2)
                    assert_allclose(all_pairs(setups, degrees), wanted, rtol=1e-3 if degrees == 1 else 5e-5)

    def test_two_setups_are_students_t(self):
        assert_allclose(all_pairs(2, 7), stats.t.ppf(0.975, 7), rtol=1e-12)

    def test_one_setup_is_no_comparison(self):
        with self.assertRaisesMessage(ValueError, "takes two setups"):
            all_pairs(1, 5)


class AlongTheCurve(SimpleTestCase):
    def test_bins_that_err_together_cost_nothing_more(self):
        self.assertEqual(path_length(np.outer([1.0, -1, 0.5], np.linspace(1, 3, 40))), 0.0)
        self.assertEqual(smoothing_gain(0.0, 40, 5), 1.0)
        self.assertEqual(along_curve(3, 8, 0.0, 40), all_pairs(3, 8))

    def test_bins_that_err_alone_cost_at_most_bonferroni(self):
        turned = path_length(np.random.default_rng(1).normal(size=(9, 40)))
        self.assertGreater(turned, 30)
        assert_allclose(along_curve(2, 8, turned, 40), stats.t.ppf(1 - 0.025 / 40, 8), rtol=1e-6)

    def test_of_equal_curves_any_bin_is_called_in_at_most_5_of_100_days(self):
        """Two setups of four pulls, noise that is correlated over some three bins, scatter as the strip averages it."""
        dice, days, bins = np.random.default_rng(4), 3000, 40
        kernel = np.exp(-0.5 * (np.arange(-8, 9) / 1.5) ** 2)
        kernel /= np.sqrt((kernel**2).sum())
        called = 0
        for _ in range(days):
            white = dice.normal(size=(8, bins + 16))
            rows = np.stack([np.convolve(row, kernel, mode="valid") for row in white])
            gap = rows[:4].mean(axis=0) - rows[4:].mean(axis=0)
            residuals = rows - np.repeat([rows[:4].mean(axis=0), rows[4:].mean(axis=0)], 4, axis=0)
            scatter = np.sqrt(over_neighbours((residuals**2).sum(axis=0), 5) / 6)
            turned = round(path_length(residuals), 1)
            critical = along_curve(2, round(6 * smoothing_gain(turned, bins, 5), 1), turned, bins)
            called += bool((np.abs(gap) > critical * scatter * np.sqrt(0.5)).any())
        self.assertLess(called / days, 0.055)
        self.assertGreater(called / days, 0.015)  # nor so wide that nothing is ever found
