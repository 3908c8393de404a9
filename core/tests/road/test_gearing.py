"""The duty of the gears, against an acceleration that is integrated step by step."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.judging.duty import weights
from torvix_core.road.gearing import through_the_gears

RATIOS = (2.8, 1.9, 1.4, 1.1)


class Gears(SimpleTestCase):
    def test_time_at_each_speed_of_a_run_at_even_torque(self):
        """A point mass under even torque: dω/dt goes with ratio²; the time in each 100 rpm is counted [phys]."""
        speeds, step = np.arange(3500.0, 7000.0, 100.0), 1e-4
        time, speed = np.zeros(len(speeds)), 3500.0
        for gear, ratio in enumerate(RATIOS):
            while speed < 7000:
                time[min(int((speed - 3450) // 100), len(speeds) - 1)] += step
                speed += ratio**2 * 4000 * step
            if gear + 1 < len(RATIOS):
                speed = 7000 * RATIOS[gear + 1] / ratio
        found = weights(through_the_gears(RATIOS, 7000, 3500), speeds)
        inner = (speeds > 3600) & (speeds < 6900)
        away = np.abs(found[inner] / found[inner].sum() - time[inner] / time[inner].sum())
        # Where a gear begins, the bin is cut in two.
        self.assertLess(np.sort(away)[-4], 0.001)
        self.assertLess(away.max(), 0.02)

    def test_what_was_typed_wrong_is_told(self):
        for ratios, shift, launch, words in (
            ([2.8], 7000, 3000, "2 to 10 gear ratios"), ([1.1, 1.9], 7000, 3000, "must fall"),
            ([2.8, 1.9], 3000, 7000, "launch must lie below"),
        ):  # fmt: skip
            with self.subTest(words=words), self.assertRaisesMessage(ValueError, words):
                through_the_gears(ratios, shift, launch)

    def test_the_largest_weight_is_one(self):
        points = through_the_gears(RATIOS, 7000, 3500).points
        assert_allclose(max(weight for _, weight in points), 1.0)
        self.assertEqual([speed for speed, _ in points], sorted(speed for speed, _ in points))
