"""Shape figures by hand, and their intervals against Student's t."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from scipy import stats
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.shape import shapes, width_above

SPEED = np.arange(3000.0, 6001, 100)


class ByHand(SimpleTestCase):
    def test_width_of_a_parabola(self):
        """300 - 10·((n - 4500)/1000)² lies above 295 within 1000·√0.5 either side of 4500."""
        torque = 300 - 10 * ((SPEED - 4500) / 1000) ** 2
        assert_allclose(width_above(SPEED, torque[None], 295.0), 2000 * np.sqrt(0.5), atol=4)
        self.assertEqual(width_above(SPEED, torque[None], 400.0).tolist(), [0.0])
        self.assertEqual(width_above(SPEED, torque[None], 100.0).tolist(), [3000.0])

    def test_power_that_is_highest_at_the_end_is_still_climbing(self):
        flat, falling = np.full(31, 300.0), 320 - (SPEED - 3000) * 0.05
        found = shapes(SPEED, np.stack([flat, flat * 1.001, falling, falling * 1.001]), Layout.of([0, 0, 1, 1]), 0)
        self.assertEqual(found.climbing.tolist(), [True, False])
        power = falling * SPEED
        assert_allclose(found.fall.value, [0.0, 1 - power[-1] / power.max()], atol=1e-9)
        assert_allclose(found.flatness.value, [1.0, falling.min() / falling.max()])

    def test_intervals_are_students_t(self):
        dice = np.random.default_rng(3)
        curves = np.stack([300 - (5 + dice.normal(0, 0.5)) * ((SPEED - 4500) / 1000) ** 2 for _ in range(6)])
        found = shapes(SPEED, curves, Layout.of([0, 0, 0, 1, 1, 1]), 0)
        values = curves.min(axis=1) / curves.max(axis=1)
        pooled = np.sqrt((values[:3].var(ddof=1) + values[3:].var(ddof=1)) / 2)
        half = stats.t.ppf(0.975, 4) * pooled / np.sqrt(3)
        assert_allclose(found.flatness.half_width, half, rtol=2e-3)

    def test_single_pulls_have_no_interval(self):
        found = shapes(SPEED, np.stack([np.full(31, 300.0), np.full(31, 310.0)]), Layout.of([0, 1]), 0)
        self.assertTrue(np.isnan(found.width.half_width).all())
