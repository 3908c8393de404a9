import numpy as np
from django.test import SimpleTestCase
from torvix_core.pull.recording_overlap import overlap

ONE = np.random.default_rng(2).normal(300, 3, (2, 900))
OTHER = np.random.default_rng(3).normal(300, 3, (2, 900))


class Twice(SimpleTestCase):
    def test_the_same_a_part_and_a_shifted_recut(self):
        self.assertTrue(overlap(ONE, ONE).same)
        part = overlap(ONE, ONE[:, 200:500])
        self.assertEqual((part.samples, part.of_second), (300, 1.0))
        recut = overlap(ONE[:, :600], ONE[:, 400:])
        self.assertEqual(recut.samples, 200)

    def test_another_unit_or_fewer_digits_is_still_the_same(self):
        self.assertTrue(overlap(ONE, (ONE * 0.7375621493) / 0.7375621493).same)

    def test_two_pulls_of_one_engine_are_not(self):
        self.assertIsNone(overlap(ONE, OTHER))
        self.assertIsNone(overlap(ONE, ONE[:, :20]))
