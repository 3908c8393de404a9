import math

from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from torvix_core.planning.forecast_score import NEAR, MeasuredGain, Outcome, Predicted, outcome, tendency

from ops.effort import effort

SHARES = st.floats(-0.2, 0.2)


def exact(value: float) -> MeasuredGain:
    return MeasuredGain(value, value, value)


def within(value: float, half: float) -> MeasuredGain:
    return MeasuredGain(value, value - half, value + half)


class Scoring(SimpleTestCase):
    def test_twenty_predicted_and_ten_found_is_a_miss_of_a_single_number(self):
        """Common practice, no source: 20 hp predicted of 600, 10 found: 3.3 % against 1.7 %."""
        predicted = Predicted(20 / 600, 20 / 600)
        self.assertEqual(outcome(predicted, exact(10 / 600)), Outcome.MISSED)
        self.assertEqual(outcome(predicted, exact(16 / 600)), Outcome.NEAR)

    def test_a_range_is_near_as_far_outside_as_it_is_wide(self):
        self.assertEqual([outcome(Predicted(0.02, 0.05), exact(actual)) for actual in (0.05, 0.079, 0.081)],
                         [Outcome.HIT, Outcome.NEAR, Outcome.MISSED])  # fmt: skip

    def test_what_reads_the_same_as_an_end_is_a_hit(self):
        self.assertEqual([outcome(Predicted(0.01, 0.02), exact(actual)) for actual in (0.0096, 0.0094)],
                         [Outcome.HIT, Outcome.NEAR])  # fmt: skip

    def test_the_interval_decides_how_much_may_be_said(self):
        """By hand: near of a single 2 % reaches from 1 to 3 %."""
        single = Predicted(0.02, 0.02)
        for measured, expected in (
            (within(0.023, 0.006), Outcome.HIT),  # holds 2 %, and nothing beyond 2.9 %
            (within(0.023, 0.002), Outcome.NEAR),  # 2.1 to 2.5 %: not 2 %
            (within(0.023, 0.020), Outcome.UNDECIDED),  # 0.3 to 4.3 %: a hit or a miss
            (within(0.050, 0.005), Outcome.MISSED),
            (within(0.050, 0.040), Outcome.UNDECIDED),  # a miss by its middle, and 2 % is possible
            (within(0.036, 0.010), Outcome.MISSED),  # 2.6 to 4.6 %: not 2 %, and by its middle not near
        ):
            with self.subTest(measured=measured):
                self.assertEqual(outcome(single, measured), expected)

    def test_a_direction_is_held_to_its_sign(self):
        less = Predicted(-math.inf, 0.0)
        for measured, expected in (
            (within(-0.02, 0.004), Outcome.HIT), (within(0.003, 0.001), Outcome.NEAR),
            (within(0.02, 0.004), Outcome.MISSED), (within(0.004, 0.012), Outcome.UNDECIDED),
        ):  # fmt: skip
            with self.subTest(measured=measured):
                self.assertEqual(outcome(less, measured), expected)

    def test_what_cannot_be_is_refused(self):
        for low, high, message in ((0.03, 0.01, "must rise"), (-math.inf, math.inf, "at least one end"),
                                   (math.nan, 0.01, "at least one end")):  # fmt: skip
            with self.subTest(low=low), self.assertRaisesMessage(ValueError, message):
                Predicted(low, high)
        with self.assertRaisesMessage(ValueError, "the interval must hold the measured value"):
            outcome(Predicted(0.01, 0.03), MeasuredGain(0.05, 0.01, 0.02))

    @settings(max_examples=effort(80), deadline=None)
    @given(SHARES, SHARES, SHARES, st.floats(0, 0.05))
    def test_a_wider_range_never_scores_worse(self, one, other, actual, wider):
        low, high = min(one, other), max(one, other)
        order = [Outcome.MISSED, Outcome.NEAR, Outcome.HIT]
        before = outcome(Predicted(low, high), exact(actual))
        after = outcome(Predicted(low - wider - NEAR, high + wider + NEAR), exact(actual))
        self.assertGreaterEqual(order.index(after), order.index(before))

    @settings(max_examples=effort(80), deadline=None)
    @given(SHARES, SHARES, SHARES, st.floats(0, 0.05), st.floats(0, 0.05))
    def test_a_wider_interval_turns_no_hit_into_a_miss_nor_a_miss_into_a_hit(self, one, other, actual, half, wider):
        predicted = Predicted(min(one, other), max(one, other))
        both = {outcome(predicted, within(actual, half)), outcome(predicted, within(actual, half + wider))}
        if both == {Outcome.HIT, Outcome.MISSED}:
            # Only where the interval has grown to hold the whole prediction, and stays within what is near.
            self.assertEqual(outcome(predicted, within(actual, half)), Outcome.MISSED)


class Tendencies(SimpleTestCase):
    def test_who_always_predicts_too_much_has_a_bias_below_zero(self):
        found = tendency([(Predicted(0.03, 0.03), exact(0.01)), (Predicted(0.02, 0.04), exact(0.02)),
                          (Predicted(0.05, 0.05), exact(0.03))])  # fmt: skip
        self.assertAlmostEqual(found.bias, (-0.02 - 0.01 - 0.02) / 3)
        self.assertEqual((found.count, found.decided, found.hits), (3, 3, 1))
        self.assertAlmostEqual(found.spread, 0.0057735, places=6)

    def test_a_direction_counts_among_the_hits_and_not_in_the_bias(self):
        found = tendency([(Predicted(0.0, math.inf), exact(0.02)), (Predicted(0.03, 0.03), within(0.02, 0.05))])
        self.assertEqual((found.decided, found.hits, found.count), (1, 1, 1))
        self.assertAlmostEqual(found.bias, -0.01)
        self.assertIsNone(found.spread)

    def test_directions_alone_have_no_bias(self):
        found = tendency([(Predicted(0.0, math.inf), exact(0.02))])
        self.assertEqual((found.count, found.bias, found.spread), (0, None, None))

    def test_none_is_refused(self):
        with self.assertRaisesMessage(ValueError, "no prediction to look back on"):
            tendency([])
