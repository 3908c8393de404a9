"""Pooling against a published meta-analysis, and its bounds against simulated engines."""

import unittest

import numpy as np
from scipy import stats
from torvix_core.guidelines.pooling import pool
from torvix_core.guidelines.slope import slope_of
from torvix_core.guidelines.standing import Bearing, Claimed, GuidelineState, speaks, stands

# Thirteen trials of a vaccine against tuberculosis, the worked example of many textbooks of meta-analysis: Colditz and
# others, J. Am. Med. Assoc. 271 (1994) 698. Cases and others, vaccinated and not [mem].
TRIALS = np.array([
    (4, 119, 11, 128), (6, 300, 29, 274), (3, 228, 11, 209), (62, 13536, 248, 12619), (33, 5036, 47, 5761),
    (180, 1361, 372, 1079), (8, 2537, 10, 619), (505, 87886, 499, 87892), (29, 7470, 45, 7232), (17, 1699, 65, 1600),
    (186, 50448, 141, 27197), (5, 2493, 3, 2338), (27, 16886, 29, 17825),
], dtype=float)  # fmt: skip


def log_risk_ratios() -> tuple[np.ndarray, np.ndarray]:
    cases, others, control, rest = TRIALS.T
    ratio = np.log(cases / (cases + others)) - np.log(control / (control + rest))
    return ratio, np.sqrt(1 / cases - 1 / (cases + others) + 1 / control - 1 / (control + rest))


class Published(unittest.TestCase):
    def test_a_worked_example_of_the_textbooks(self):
        """Viechtbauer, J. Stat. Software 36 (2010) no. 3, has Q = 152.23 on 12 degrees; Paule and Mandel's variance of
        0.318 and the mean of -0.715 with 0.181 by Knapp and Hartung are [mem]."""
        found = pool(*log_risk_ratios())
        self.assertEqual(found.count, 13)
        self.assertAlmostEqual(found.mean, -0.7150, delta=0.0002)
        self.assertAlmostEqual(found.tau**2, 0.3181, delta=0.0003)
        self.assertAlmostEqual(found.error, 0.1809, delta=0.0002)
        self.assertAlmostEqual(found.share_of_heterogeneity, 1 - 12 / 152.233, delta=0.0001)
        self.assertAlmostEqual(found.low, -0.7150 - stats.t.ppf(0.975, 12) * 0.1809, delta=0.001)
        self.assertLess(found.chance_alike, 1e-12)

    def test_the_next_one_can_do_the_opposite_of_what_all_do_on_average(self):
        """Higgins, Thompson and Spiegelhalter, J. R. Stat. Soc. A 172 (2009) 137: t of k - 2 times
        sqrt(tau² + error²)."""
        found = pool(*log_risk_ratios())
        half = stats.t.ppf(0.975, 11) * np.sqrt(0.3181 + 0.1809**2)
        self.assertAlmostEqual(found.next_low, -0.7150 - half, delta=0.002)
        self.assertAlmostEqual(found.next_high, -0.7150 + half, delta=0.002)
        self.assertLess(found.high, 0)
        self.assertGreater(found.next_high, 0)


class Bounds(unittest.TestCase):
    def test_one_result_keeps_its_interval_and_says_nothing_of_the_next(self):
        found = pool(np.array([0.01]), np.array([0.002]))
        self.assertAlmostEqual(found.high - found.low, 2 * 1.95996 * 0.002, delta=1e-6)
        self.assertIsNone(found.next_low)
        self.assertIsNone(pool(np.array([0.01, 0.012]), np.array([0.002, 0.002])).next_low)

    def test_results_that_agree_by_chance_are_not_believed_more_than_their_errors_allow(self):
        found = pool(np.array([0.01, 0.01, 0.01]), np.array([0.004, 0.004, 0.004]))
        self.assertAlmostEqual(found.error, 0.004 / np.sqrt(3), delta=1e-9)
        self.assertEqual(found.tau, 0.0)

    def test_units_change_nothing(self):
        effects, errors = np.array([10.0, 14, 25, 8]), np.array([2.0, 3, 4, 2])
        plain, small = pool(effects, errors), pool(effects * 1e-6, errors * 1e-6)
        for name in ("mean", "error", "tau", "next_low", "next_high"):
            self.assertAlmostEqual(getattr(small, name) * 1e6, getattr(plain, name), places=3)

    def test_intervals_hold_what_they_say_over_simulated_engines(self):
        dice, inside, ahead, rounds = np.random.default_rng(3), 0, 0, 1500
        for _ in range(rounds):
            truth = 0.01 + dice.normal(0, 0.006, 6)
            found = pool(truth[:5] + dice.normal(0, 0.003, 5), np.full(5, 0.003))
            inside += found.low <= 0.01 <= found.high
            ahead += found.next_low <= truth[5] <= found.next_high
        self.assertGreater(inside / rounds, 0.92)
        self.assertGreater(ahead / rounds, 0.9)

    def test_what_cannot_be_pooled_is_refused(self):
        for effects, errors in (([], []), ([1.0], [0.0]), ([1.0], [1.0, 2.0]), ([np.nan], [1.0])):
            with self.subTest(effects=effects), self.assertRaises(ValueError):
                pool(np.array(effects), np.array(errors))


class OfOneTest(unittest.TestCase):
    def test_a_pair_gives_its_difference_and_its_error(self):
        found = slope_of(np.array([0.25, 0.35]), np.array([0.0, 0.02]), np.array([[0, 1e-4], [1e-4, 0]]))
        self.assertAlmostEqual(found.value, 0.2)
        self.assertAlmostEqual(found.error, 0.1)
        self.assertFalse(found.is_bent)

    def test_the_error_is_that_of_regression_where_setups_are_independent(self):
        """Against the textbook: sigma / sqrt(sum of squares), scipy's line for its value."""
        dice = np.random.default_rng(5)
        x = np.array([0.2, 0.25, 0.31, 0.4])
        y = 3 * x + dice.normal(0, 0.01, 4)
        apart = 2 * 0.01**2 * (1 - np.eye(4))
        found = slope_of(x, y, apart)
        self.assertAlmostEqual(found.value, stats.linregress(x, y).slope)
        self.assertAlmostEqual(found.error, 0.01 / np.sqrt(np.square(x - x.mean()).sum()))

    def test_a_best_length_in_the_middle_is_called_bent(self):
        apart = 2 * 0.001**2 * (1 - np.eye(3))
        self.assertTrue(slope_of(np.array([1.0, 2, 3]), np.array([0.0, 0.02, 0.0]), apart).is_bent)
        self.assertFalse(slope_of(np.array([1.0, 2, 3]), np.array([0.0, 0.02, 0.0401]), apart).is_bent)

    def test_setups_that_are_alike_say_nothing(self):
        for amounts in ([1.0, 1.0], [1.0]):
            with self.subTest(amounts=amounts), self.assertRaises(ValueError):
                slope_of(np.array(amounts), np.zeros(len(amounts)), np.zeros((len(amounts),) * 2))


class Said(unittest.TestCase):
    def test_a_null_counts_against_a_direction_and_for_no_effect(self):
        self.assertIs(speaks(-0.001, 0.002, Claimed.LESS, 0.003), Bearing.AGAINST)
        self.assertIs(speaks(-0.001, 0.002, Claimed.NOTHING, 0.003), Bearing.FOR)
        self.assertIs(speaks(0.004, 0.009, Claimed.NOTHING, 0.003), Bearing.AGAINST)
        self.assertIs(speaks(-0.009, -0.004, Claimed.LESS, 0.003), Bearing.FOR)
        self.assertIs(speaks(-0.009, 0.004, Claimed.NOTHING, 0.003), Bearing.NEITHER)

    def test_one_engine_never_generalizes_and_several_may_say_nothing_of_the_next(self):
        def stand(*effects: float) -> GuidelineState:
            return stands(pool(np.array(effects), np.full(len(effects), 0.001)), Claimed.MORE, 0.003)

        self.assertIs(stand(0.02), GuidelineState.ONE_ENGINE)
        self.assertIs(stand(0.0200, 0.0201), GuidelineState.ON_AVERAGE)  # of two nothing says how engines differ
        self.assertIs(stand(0.0200, 0.0204, 0.0195, 0.0201), GuidelineState.HOLDS)
        self.assertIs(stand(0.010, 0.030, 0.015, 0.022, 0.019), GuidelineState.ON_AVERAGE)
        self.assertIs(stand(0.02, -0.02, 0.005), GuidelineState.OPEN)
        self.assertIs(stand(0.0001, -0.0001, 0.0, 0.0002), GuidelineState.REFUTED)
