"""Time at each engine speed from a log of the car."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.judging.duty import MOST_POINTS, of_shares, weights
from torvix_core.road.lap_log import engine_speed, time_at_speed
from torvix_core.road.vehicle import Vehicle

BINS = np.arange(3000.0, 7001, 100)
CAR = Vehicle(1100.0, (2.85, 2.02, 1.55), 3.7, 0.30, launch_rpm=3500.0)


def lap(seconds: float = 60.0, rate_hz: float = 20.0) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Up from 4000 to 6500 in 6 s at full throttle, down in 3 s with none, again and again."""
    time = np.arange(0, seconds, 1 / rate_hz)
    place = time % 9
    speed = np.where(place < 6, 4000 + 2500 * place / 6, 6500 - 2500 * (place - 6) / 3)
    return time, speed, np.where(place < 6, 100.0, 0.0)


class Shares(SimpleTestCase):
    def test_an_even_climb_is_an_even_share(self):
        time, speed, throttle = lap(63.0, 200.0)
        found = time_at_speed(time, speed, BINS, throttle)
        inside = (BINS >= 4100) & (BINS <= 6400)
        assert_allclose(found.shares[inside], found.shares[inside].mean(), rtol=0.1)
        self.assertEqual(float(found.shares[BINS < 3900].sum()), 0.0)
        self.assertAlmostEqual(found.full_load_s / found.logged_s, 6 / 9, delta=0.03)

    def test_without_a_throttle_an_engine_that_gains_speed_is_under_load(self):
        with_it, without = (time_at_speed(*lap()[:2], BINS, throttle) for throttle in (lap()[2], None))
        self.assertFalse(without.by_throttle)
        assert_allclose(without.shares, with_it.shares, atol=0.02)

    def test_a_gap_in_the_log_is_no_time(self):
        time, speed, throttle = lap()
        late = np.where(time > 30, time + 500, time)
        self.assertLess(time_at_speed(late, speed, BINS, throttle).logged_s, 61)

    def test_what_lies_outside_the_test_is_told(self):
        found = time_at_speed(*lap()[:2], np.arange(5000.0, 7001, 100), lap()[2])
        self.assertAlmostEqual(found.outside, (4950 - 4000) / 2500, delta=0.02)

    def test_speed_and_gear_give_the_engine_s_speed(self):
        rpm = engine_speed(CAR, [30.0, 30.0, 30.0], [2, 3, 0])
        assert_allclose(rpm[:2], 30 / 0.30 * np.array([2.02, 1.55]) * 3.7 * 60 / (2 * np.pi))
        self.assertTrue(np.isnan(rpm[2]))

    def test_what_says_nothing_is_refused_in_words(self):
        time, speed, throttle = lap()
        for words, given in (
            ("time must rise", (time[::-1], speed, BINS, throttle)),
            ("of full load are in the log", (time[:20], speed[:20], BINS, throttle[:20])),
            ("no full load between", (time, speed / 10, BINS, throttle)),
        ):  # fmt: skip
            with self.subTest(words=words), self.assertRaisesRegex(ValueError, words):
                time_at_speed(*given)
        with self.assertRaisesRegex(ValueError, "gear 5 is logged, the car has 3"):
            engine_speed(CAR, [30.0], [5])


class AsDuty(SimpleTestCase):
    def test_it_has_no_more_points_than_a_duty_may_and_weighs_alike(self):
        shares = time_at_speed(*lap()[:2], BINS, lap()[2]).shares
        duty = of_shares(BINS, shares)
        self.assertLessEqual(len(duty.points), MOST_POINTS)
        middle = (BINS > 4300) & (BINS < 6200)
        assert_allclose(weights(duty, BINS)[middle].sum(), shares[middle].sum(), atol=0.05)
