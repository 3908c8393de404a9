"""A span check against published gravity, a reference library's regression, and a combination worked by hand."""

import math
import unittest

import numpy as np
from scipy import stats
from torvix_core.pull.span_check import STANDARD_GRAVITY, local_gravity, span_check

SHARP = {"arm_uncertainty": 0.0, "mass_uncertainty": 0.0}


class Gravity(unittest.TestCase):
    def test_normal_gravity_of_grs_80(self):
        """Moritz, Geodetic Reference System 1980: 9.7803267715 at the equator, 9.8321863685 at the pole, 9.806199203
        at 45 degrees."""
        for latitude, published in ((0, 9.7803267715), (45, 9.806199203), (90, 9.8321863685), (-45, 9.806199203)):
            self.assertAlmostEqual(local_gravity(latitude), published, places=8)

    def test_it_falls_with_height_and_has_no_place_past_the_poles(self):
        self.assertAlmostEqual(local_gravity(40) - local_gravity(40, 1000), 0.003086)
        with self.assertRaisesRegex(ValueError, "not on earth"):
            local_gravity(91)


class Span(unittest.TestCase):
    def test_a_perfect_stand_has_no_error_and_only_what_is_known_of_the_weights(self):
        mass = np.array([0.0, 10.0, 20.0, 30.0])
        found = span_check(mass, mass * STANDARD_GRAVITY, 1.0, **SHARP, gravity=STANDARD_GRAVITY)
        self.assertAlmostEqual(found.error, 0.0)
        self.assertAlmostEqual(found.uncertainty, 0.0002)  # twice the share by which rock differs from the ellipsoid
        self.assertAlmostEqual(found.zero, 0.0)
        anywhere = span_check(mass, mass * STANDARD_GRAVITY, 1.0, **SHARP)
        self.assertAlmostEqual(anywhere.uncertainty, 2 * 0.0027 / math.sqrt(3))

    def test_slope_zero_and_its_scatter_are_those_of_a_reference_library(self):
        rng = np.random.default_rng(4)
        mass = np.repeat([0.0, 10.0, 25.0, 40.0], 2)
        reading = 1.5 + 1.006 * mass * 0.9 * 9.81 + rng.normal(0, 0.8, 8)
        found = span_check(mass, reading, 0.9, **SHARP, gravity=9.81)
        fit = stats.linregress(mass * 0.9 * 9.81, reading)
        self.assertAlmostEqual(found.error, fit.slope - 1)
        self.assertAlmostEqual(found.zero, fit.intercept)
        t = stats.t.ppf(0.975, 6)
        self.assertAlmostEqual(found.uncertainty, math.hypot(t * fit.stderr, fit.slope * 0.0002))

    def test_parts_combine_by_root_sum_of_squares(self):
        """By hand: 1 mm in 1 m is 0.1 %, weights 0.2 %, together 0.2236 %; gravity adds 0.02 %."""
        mass = np.array([0.0, 20.0, 40.0])
        found = span_check(
            mass, mass * 9.81, 1.0, arm_uncertainty=0.001, mass_uncertainty=0.002, gravity=9.81
        )  # fmt: skip
        self.assertAlmostEqual(found.uncertainty, math.sqrt(0.001**2 + 0.002**2 + 0.0002**2), places=9)

    def test_the_interval_holds_the_true_error_in_about_95_of_100_checks(self):
        rng = np.random.default_rng(19)
        held = 0
        mass = np.array([0.0, 15.0, 30.0, 45.0, 30.0, 15.0, 0.0])
        for _ in range(2000):
            true = rng.normal(0, 0.01)
            reading = 2.0 + (1 + true) * mass * 9.81 * 0.8 + rng.normal(0, 1.2, len(mass))
            found = span_check(mass, reading, 0.8, **SHARP, gravity=9.81)
            held += abs(found.error - true) <= found.uncertainty
        self.assertGreater(held / 2000, 0.93)
        self.assertLess(held / 2000, 0.975)

    def test_hysteresis_is_what_one_load_reads_up_and_down(self):
        found = span_check(
            np.array([0.0, 20.0, 40.0, 20.0]), np.array([0.0, 196.0, 392.5, 199.0]), 1.0, **SHARP
        )  # fmt: skip
        self.assertAlmostEqual(found.hysteresis, 3.0)

    def test_what_says_nothing_is_refused(self):
        three = np.array([0.0, 10.0, 20.0])
        for mass, reading, arm, words in (
            (three[:2], three[:2], 1.0, "3 readings are the least"),
            (np.full(3, 10.0), three, 1.0, "another weight"),
            (three, three * 98, 0.0, "no length"),
            (three, -three * 98, 1.0, "reading falls"),
            (three, np.array([0.0, math.nan, 1.0]), 1.0, "no number"),
            (-three, three, 1.0, "no number"),
            (three, three[:2], 1.0, ""),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(ValueError, words):
                span_check(mass, reading, arm, **SHARP)
