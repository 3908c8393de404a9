"""How evenly samples come, against steps that were made uneven on purpose."""

import numpy as np
from django.test import SimpleTestCase
from torvix_core.pull.trace import SampleSteps


class Steps(SimpleTestCase):
    def test_jitter_is_the_mean_distance_from_the_usual_step_and_gaps_are_not_in_it(self):
        """Steps off by ±2 ms in turn: 2 ms on average; a gap of half a second is counted apart."""
        times = np.cumsum(np.tile([0.018, 0.022], 500))
        for whole in (True, False):
            steps = SampleSteps(0.02)
            for part in [times] if whole else np.split(times, 100):
                steps.take(part)
            self.assertAlmostEqual(steps.jitter_s, 0.002, delta=1e-4)
            self.assertEqual((steps.gaps, steps.samples), (0, 1000))
        steps.take(times[-1] + 0.5 + np.array([0.0, 0.02]))
        self.assertEqual((steps.gaps, round(steps.longest_s, 6)), (1, 0.5))
        self.assertAlmostEqual(steps.jitter_s, 0.002, delta=1e-4)

    def test_a_clock_that_is_set_back_is_no_gap(self):
        steps = SampleSteps(0.02)
        steps.take(np.array([10.0, 10.02]))
        steps.take(np.array([0.0, 0.02]))
        steps.take(np.empty(0))
        self.assertEqual((steps.gaps, steps.samples), (0, 4))
