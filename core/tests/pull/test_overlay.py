"""Two pulls laid over each other, and a power curve that still climbs; worked by hand."""

import numpy as np
from django.test import SimpleTestCase
from torvix_core.pull.overlay import climb, overlay

SPEED = np.arange(3000.0, 6100.0, 100.0)
TORQUE = 250 - ((SPEED - 4300) / 150) ** 2 / 4


class Overlays(SimpleTestCase):
    def test_a_constant_shift_is_the_mean_and_the_worst(self):
        found = overlay(SPEED, TORQUE, SPEED, TORQUE * 1.004, 3000, 6000)
        self.assertAlmostEqual(found.mean, 0.004)
        self.assertAlmostEqual(found.worst, 0.004)
        self.assertEqual((found.bins, found.ready), (31, True))

    def test_it_is_not_ready_when_one_place_lies_far_off_though_the_mean_is_small(self):
        second = TORQUE.copy()
        second[12] *= 0.98
        found = overlay(SPEED, TORQUE, SPEED, second, 3000, 6000)
        self.assertEqual((found.worst_rpm, found.ready), (4200.0, False))
        self.assertAlmostEqual(found.worst, -0.02)
        self.assertLess(abs(found.mean), 0.001)

    def test_only_shared_bins_of_the_range_count(self):
        found = overlay(SPEED, TORQUE, SPEED + 500, TORQUE, 3000, 3700)
        self.assertEqual(found.bins, 3)
        self.assertIsNone(overlay(SPEED, TORQUE, SPEED + 5000, TORQUE, 3000, 6000))

    def test_curves_that_are_broken_are_refused(self):
        with self.assertRaises(ValueError):
            overlay(SPEED, TORQUE[:-1], SPEED, TORQUE, 3000, 6000)


class Climbing(SimpleTestCase):
    def test_a_curve_that_has_peaked_does_not_climb(self):
        power = 100 - ((SPEED - 5500) / 500) ** 2
        self.assertFalse(climb(SPEED, power).climbs)

    def test_the_slope_is_that_of_the_last_bins(self):
        found = climb(SPEED, SPEED / 50)
        self.assertAlmostEqual(found.per_100_rpm, 2.0)
        self.assertTrue(found.climbs)

    def test_a_slope_that_is_too_small_to_matter_is_flat(self):
        self.assertFalse(climb(SPEED, 100 + SPEED / 1000 * 0.02).climbs)

    def test_too_few_bins_tell_nothing(self):
        self.assertIsNone(climb(SPEED[:3], SPEED[:3]))
