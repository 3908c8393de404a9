"""Mixture, boost and spark after a pull: worked by hand and by figures of the trade."""

import numpy as np
from django.test import SimpleTestCase
from torvix_core.tuning.targets import boost_held, helped, mixture

SPEED = np.arange(3000.0, 6100.0, 100.0)


class MixtureAfterAPull(SimpleTestCase):
    def test_near_and_hazardous(self):
        cases = ((0.875, True, False), (0.90, False, False), (0.93, False, True), (0.80, False, False))
        for read, near, hazardous in cases:
            with self.subTest(read=read):
                found = mixture(SPEED, np.full(31, read), 3000, 6000, 0.87)
                self.assertEqual((found.near, found.hazardous), (near, hazardous))

    def test_only_readings_of_the_range_count_and_none_is_told(self):
        read = np.where(SPEED < 4000, 0.95, 0.87)
        read[20] = np.nan
        self.assertAlmostEqual(mixture(SPEED, read, 4000, 6000, 0.87).found, 0.87)
        self.assertIsNone(mixture(SPEED, np.full(31, np.nan), 3000, 6000, 0.87))
        self.assertIsNone(mixture(SPEED, read, 7000, 8000, 0.87))


class BoostAfterAPull(SimpleTestCase):
    def test_what_came_before_it_was_there_does_not_count(self):
        boost = np.minimum(80_000.0, (SPEED - 2800) * 80)
        held = boost_held(SPEED, boost, 80_000.0)
        self.assertEqual((held.from_rpm, held.near), (3700.0, True))
        self.assertAlmostEqual(held.found, 79_666.7, delta=200)

    def test_too_little_and_none(self):
        self.assertFalse(boost_held(SPEED, np.full(31, 60_000.0), 80_000.0).near)
        self.assertIsNone(boost_held(SPEED, np.full(31, np.nan), 80_000.0))
        self.assertIsNone(boost_held(SPEED, np.full(31, -500.0), 80_000.0))


class SteppingBack(SimpleTestCase):
    def test_within_the_scatter_of_a_pull_nothing_is_said(self):
        self.assertEqual([helped(300.0, after) for after in (297.0, 300.5, 303.0)], [False, None, True])
