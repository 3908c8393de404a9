"""The lag between two recordings of the engine speed: found, with an interval that holds; or it says why not."""

import numpy as np
from django.test import SimpleTestCase
from scipy import signal
from torvix_core.pull.clock_offset import clock_offset


def sweep(at: np.ndarray) -> np.ndarray:
    """Idle, a sweep at a steady rate, roll-off."""
    return np.interp(at, [0, 2, 2.4, 12, 12.3, 15], [1100, 1100, 1150, 6500, 6500, 1500])


class Lags(SimpleTestCase):
    def recorded(
        self, rate: float, lag: float, dice: np.random.Generator, noise: float
    ) -> tuple[np.ndarray, np.ndarray]:
        at = np.arange(0, 15, 1 / rate) + dice.normal(0, 0.001, int(15 * rate))
        return at, sweep(at - lag) + dice.normal(0, noise, len(at))

    def test_the_interval_holds_the_true_lag_as_often_as_it_says(self):
        dice, inside, widths = np.random.default_rng(4), 0, []
        for _ in range(200):
            lag = float(dice.uniform(-0.5, 0.8))
            found = clock_offset(*self.recorded(50, 0.0, dice, 1.5), *self.recorded(20, lag, dice, 4.0))
            inside += abs(found.seconds - lag) <= found.error_s
            widths.append(found.error_s)
        self.assertGreaterEqual(inside, 180)
        self.assertLess(np.median(widths), 0.02)

    def test_a_reference_library_finds_the_same_to_a_sample(self):
        """scipy.signal.correlate, on slopes of evenly sampled speeds."""
        dice = np.random.default_rng(5)
        at = np.arange(0, 15, 0.01)
        one, other = sweep(at) + dice.normal(0, 0.02, len(at)), sweep(at - 0.23) + dice.normal(0, 0.02, len(at))
        score = signal.correlate(np.gradient(other), np.gradient(one), mode="full")
        theirs = signal.correlation_lags(len(other), len(one))[int(np.argmax(score))] * 0.01
        found = clock_offset(at, one, at, other)
        self.assertAlmostEqual(found.seconds, 0.23, delta=0.005)
        self.assertAlmostEqual(found.seconds, theirs, delta=0.03)

    def test_a_constant_between_the_readings_is_no_lag(self):
        at = np.arange(0, 15, 0.02)
        self.assertAlmostEqual(clock_offset(at, sweep(at), at, sweep(at) + 40).seconds, 0.0, delta=0.002)

    def test_a_pure_ramp_cannot_tell_a_lag_from_a_constant(self):
        dice, at = np.random.default_rng(6), np.arange(0, 10, 0.02)
        ramp = 2000 + 400 * at
        found = clock_offset(at, ramp + dice.normal(0, 2, len(at)), at, ramp + dice.normal(0, 2, len(at)))
        self.assertGreater(found.error_s, 0.002)

    def test_where_nothing_can_be_told_it_says_so(self):
        at = np.arange(0, 10, 0.02)
        for one, other in ((np.full(500, 1100.0), np.full(500, 1100.0)), (sweep(at), np.full(500, 3000.0))):
            with self.assertRaisesRegex(ValueError, "has to move"):
                clock_offset(at, one, at, other)
        with self.assertRaisesRegex(ValueError, "at the same time"):
            clock_offset(at, sweep(at), at + 60, sweep(at))
