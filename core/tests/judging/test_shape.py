"""Shape figures by hand, and their intervals against Student's t."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from scipy import stats
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.shape import peak_speeds, shapes, width_above

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


class PeakSpeeds(SimpleTestCase):
    def curves(self, *tops: float) -> np.ndarray:
        return np.stack([250 - 12 * ((SPEED - top) / 1000) ** 2 for top in tops])

    def test_the_top_of_a_parabola_is_found_between_the_bins_with_its_scatter(self):
        """Against Student's t over the pulls: half width t times s / sqrt(n)."""
        tops = np.array([4210.0, 4250, 4290, 4630, 4650, 4670])
        found = peak_speeds(SPEED, self.curves(*tops), Layout.of([0, 0, 0, 1, 1, 1]))
        self.assertAlmostEqual(found.value[0], 4250, delta=0.01)
        self.assertAlmostEqual(found.value[1], 4650, delta=0.01)
        scatter = np.sqrt((2 * 40**2 + 2 * 20**2) / 4)
        self.assertAlmostEqual(found.half_width[0], stats.t.ppf(0.975, 4) * scatter / np.sqrt(3), delta=0.1)

    def test_a_curve_that_still_climbs_has_no_peak_to_name(self):
        found = peak_speeds(SPEED, self.curves(4250, 4260, 6500, 4700), Layout.of([0, 0, 1, 1]))
        self.assertTrue(np.isfinite(found.value[0]))
        self.assertTrue(np.isnan(found.value[1]))

    def test_two_speeds_have_none(self):
        found = peak_speeds(SPEED[:2], self.curves(4250, 4260)[:, :2], Layout.of([0, 0]))
        self.assertTrue(np.isnan(found.value[0]))
