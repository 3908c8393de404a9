from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from torvix_core.planning.forecast_score import NEAR, Outcome, outcome, tendency

from ops.effort import effort

SHARES = st.floats(-0.2, 0.2)


class Scoring(SimpleTestCase):
    def test_twenty_expected_and_ten_found_is_a_miss_of_a_single_number(self):
        """Common practice, no source: 20 hp expected of 600, 10 found: 3.3 % against 1.7 %."""
        self.assertEqual(outcome(20 / 600, 20 / 600, 10 / 600), Outcome.MISSED)
        self.assertEqual(outcome(20 / 600, 20 / 600, 16 / 600), Outcome.NEAR)

    def test_a_range_is_near_as_far_outside_as_it_is_wide(self):
        self.assertEqual([outcome(0.02, 0.05, actual) for actual in (0.05, 0.079, 0.081)],
                         [Outcome.HIT, Outcome.NEAR, Outcome.MISSED])  # fmt: skip

    def test_what_reads_the_same_as_an_end_is_a_hit(self):
        self.assertEqual([outcome(0.01, 0.02, actual) for actual in (0.0096, 0.0094)], [Outcome.HIT, Outcome.NEAR])

    def test_ends_that_fall_are_refused(self):
        with self.assertRaisesMessage(ValueError, "the expected range must rise"):
            outcome(0.03, 0.01, 0.02)

    @settings(max_examples=effort(80), deadline=None)
    @given(SHARES, SHARES, SHARES, st.floats(0, 0.05))
    def test_a_wider_range_never_scores_worse(self, one, other, actual, wider):
        low, high = min(one, other), max(one, other)
        order = [Outcome.MISSED, Outcome.NEAR, Outcome.HIT]
        before, after = outcome(low, high, actual), outcome(low - wider - NEAR, high + wider + NEAR, actual)
        self.assertGreaterEqual(order.index(after), order.index(before))


class Tendencies(SimpleTestCase):
    def test_who_always_expects_too_much_has_a_bias_below_zero(self):
        found = tendency([0.03, 0.02, 0.05], [0.03, 0.04, 0.05], [0.01, 0.02, 0.03])
        self.assertAlmostEqual(found.bias, (-0.02 - 0.01 - 0.02) / 3)
        self.assertEqual((found.count, found.hits), (3, 1))
        self.assertAlmostEqual(found.spread, 0.0057735, places=6)

    def test_one_alone_has_no_spread(self):
        self.assertIsNone(tendency([0.01], [0.02], [0.015]).spread)

    def test_none_is_refused(self):
        with self.assertRaisesMessage(ValueError, "no expectation to look back on"):
            tendency([], [], [])
