import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.engine import geometry
from torvix_core.pull import curve
from torvix_core.pull.curve import OutsideTheCurve
from torvix_core.units import quantities

SPEED = np.arange(3000.0, 7001.0, 100.0)


class Peaks(SimpleTestCase):
    def test_a_curve_still_climbing_at_its_end_says_so(self):
        self.assertTrue(curve.peak(SPEED, SPEED / 20).still_climbing)
        self.assertFalse(curve.peak(SPEED, 300 - ((SPEED - 4500) / 300) ** 2).still_climbing)

    def test_power_at_the_torque_peak_lies_below_peak_power(self):
        torque = 300 - ((SPEED - 4500) / 300) ** 2
        power = geometry.power(torque, SPEED)
        at_torque_peak = power[torque.argmax()]
        self.assertLess(at_torque_peak, curve.peak(SPEED, power).value)


class Averages(SimpleTestCase):
    def test_mean_power_over_mean_torque_tells_the_band(self):
        """Common practice, no source: 605 hp over 579.9 lb-ft point to 5479 rpm, the middle of the band averaged."""
        self.assertAlmostEqual(605 / 579.9 * 5252.113, 5479, delta=1)
        torque = np.full_like(SPEED, quantities.to_si(580.0, "lb-ft"))
        mean_torque = curve.average(SPEED, torque, 3600, 7000)
        mean_power = curve.average(SPEED, geometry.power(torque, SPEED), 3600, 7000)
        assert_allclose(mean_power / mean_torque * 30 / np.pi, 5300)

    def test_a_range_beyond_the_samples_is_refused_with_what_there_is(self):
        with self.assertRaisesMessage(
            OutsideTheCurve, "2800 to 5000 rpm is not covered throughout; the curve has 3000"
        ):
            curve.average(SPEED, SPEED, 2800, 5000)

    def test_a_missing_bin_inside_is_refused_too(self):
        gap = SPEED != 4000
        with self.assertRaises(OutsideTheCurve):
            curve.average(SPEED[gap], SPEED[gap], 3500, 4500)

    def test_a_range_upside_down_is_refused(self):
        with self.assertRaisesMessage(ValueError, "lower end below its upper end"):
            curve.average(SPEED, SPEED, 5000, 4000)

    def test_many_pulls_at_once_give_what_each_gives(self):
        pulls = np.random.default_rng(1).normal(250, 5, (4, len(SPEED)))
        together = curve.average(SPEED, pulls, 3500, 6000)
        assert_allclose(together, [curve.average(SPEED, pull, 3500, 6000) for pull in pulls])


class Crossovers(SimpleTestCase):
    def test_lies_where_the_lines_meet(self):
        first, second = 300 - (SPEED - 3000) * 0.02, 240 + (SPEED - 3000) * 0.01
        assert_allclose(curve.crossovers(SPEED, first, second), [5000.0])

    def test_curves_that_touch_do_not_cross(self):
        first = np.abs(SPEED - 5000)
        self.assertEqual(len(curve.crossovers(SPEED, first, np.zeros_like(first))), 0)

    def test_is_the_same_seen_from_the_other_curve(self):
        generator = np.random.default_rng(2)
        first, second = generator.normal(0, 1, (2, len(SPEED)))
        assert_allclose(curve.crossovers(SPEED, first, second), curve.crossovers(SPEED, second, first))


class SharedGrid(SimpleTestCase):
    def test_holds_only_bins_that_all_have(self):
        speeds = [SPEED, SPEED[3:], np.delete(SPEED, 10)]
        shared, curves = curve.shared_grid(speeds, [speed * 2 for speed in speeds])
        self.assertNotIn(4000.0, shared)
        self.assertEqual(shared[0], 3300.0)
        assert_allclose(curves, np.stack([shared * 2] * 3))


class SharedBins(SimpleTestCase):
    def test_equal_bins_and_others_give_the_same_as_the_library_sorts_out(self):
        whole = np.arange(2000.0, 6100.0, 100.0)
        for other in (whole, whole + 0.3, whole[5:-3], np.delete(whole, 7), whole[::-1], np.repeat(whole, 2)):
            expected = np.intersect1d(np.round(whole), np.round(other), return_indices=True)
            for ours, theirs in zip(curve.shared_bins(whole, other), expected, strict=True):
                self.assertEqual(ours.tolist(), theirs.tolist())
        self.assertEqual(len(curve.shared_bins(whole, whole + 7000)[0]), 0)
