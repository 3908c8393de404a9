"""Ladders of ignition timing: by figures of the trade, against NumPy's parabola, and on five hundred simulated ones."""

import numpy as np
from django.test import SimpleTestCase
from torvix_core.tuning.spark_ladder import NoBest, StepVerdict, read_ladder


def torque(advance: np.ndarray, best: float, bend: float = 0.00055) -> np.ndarray:
    return 400 * (1 - bend * (advance - best) ** 2)


class ByHand(SimpleTestCase):
    def test_36_was_kept_and_34_was_worse(self):
        """Common practice, no source: at 34 a few horsepower less than at 36 and back: the better setting stays."""
        found = read_ladder(np.array([36.0, 34, 34, 36, 36]), np.array([400.0, 393, 393.4, 400.3, 400.1]))
        self.assertEqual([step.verdict for step in found.steps], [StepVerdict.WORSE, StepVerdict.BETTER])
        self.assertEqual(found.none, NoBest.FEW)

    def test_a_step_within_scatter_is_not_called(self):
        found = read_ladder(np.array([33.0, 35.0]), np.array([400.0, 401.0]))
        self.assertIs(found.steps[0].verdict, StepVerdict.NOT_SEPARATED)

    def test_the_top_is_that_of_the_parabola(self):
        """numpy.polyfit as reference."""
        advance = np.repeat([24.0, 28, 32, 36, 40], 2)
        score = torque(advance, 33.0, 0.001)
        bend, slope, _ = np.polyfit(advance, np.log(score), 2)
        found = read_ladder(advance, score)
        assert found.best is not None
        self.assertAlmostEqual(found.best, -slope / (2 * bend), places=6)

    def test_no_number_where_the_interval_runs_past_what_was_tested_or_the_limit(self):
        advance = np.repeat([26.0, 30, 34, 38], 3)
        climbing = read_ladder(np.repeat([22.0, 26, 30], 3), torque(np.repeat([22.0, 26, 30], 3), 33.0, 0.001))
        self.assertIsNone(climbing.best)
        self.assertIn(climbing.none, (NoBest.OUTSIDE, NoBest.FLAT))
        self.assertIsNone(read_ladder(advance, torque(advance, 33.0, 0.001)).none)
        self.assertEqual(read_ladder(advance, torque(advance, 33.0, 0.001), limit=33.0).none, NoBest.LIMIT)
        self.assertEqual(read_ladder(advance, np.full(12, 400.0)).none, NoBest.FLAT)

    def test_what_cannot_be_used_is_refused(self):
        for advance, score in (([30.0], [400.0]), ([30.0, 32.0], [400.0, -1.0]), ([30.0, np.nan], [400.0, 401.0])):
            with self.assertRaises(ValueError):
                read_ladder(np.array(advance), np.array(score))


class Simulated(SimpleTestCase):
    def test_the_best_lies_in_its_interval_in_nine_ladders_of_ten(self):
        dice, named, inside = np.random.default_rng(4), 0, 0
        for _ in range(500):
            best, scatter = dice.uniform(30, 36), dice.uniform(0.001, 0.004)
            advance = np.repeat(np.arange(24.0, 44, 4), dice.integers(1, 4))
            score = torque(advance, best, dice.uniform(0.0004, 0.001)) * np.exp(dice.normal(0, scatter, len(advance)))
            found = read_ladder(advance, score)
            if found.best is not None:
                named += 1
                inside += found.low <= best <= found.high
        self.assertGreater(named, 150)
        self.assertGreaterEqual(inside / named, 0.90)
