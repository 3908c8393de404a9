from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from scipy.signal import savgol_coeffs, savgol_filter
from torvix_core.pull.reduction import NotASweep, Options, StandInertia, reduce_sweep, smoothing_matrix
from torvix_core.pull.trace import Trace, TraceProblem
from torvix_core.units import quantities

RATE = 400.0  # rpm/s
PLAIN = Options(stand_inertia=StandInertia.INCLUDED)


def true_torque(speed_rpm: np.ndarray) -> np.ndarray:
    """A made-up curve with its peak at 4200 rpm, N·m."""
    return 290 - 18 * ((speed_rpm - 4200) / 1500) ** 2


def pull(
    *,
    hz: float = 100.0,
    noise: float = 0.0,
    spike: float = 0.0,
    inertia: float = 0.0,
    start: float = 2000.0,
    end: float = 6800.0,
    extra_channels: int = 0,
    rate: float = RATE,
) -> Trace:
    """A pull as a stand records it: held at the start, ramped, swept, throttle closed."""
    generator = np.random.default_rng(8)
    dt = 1 / hz
    ramp_s = 0.5
    time = np.arange(0, 0.6 + ramp_s + (end - start) / rate + 1.5, dt)
    acceleration = np.clip((time - 0.6) / ramp_s, 0, 1) * rate
    speed = start + np.cumsum(acceleration) * dt
    over = np.argmax(speed >= end)
    falling = np.arange(len(time)) >= over
    speed = np.where(falling, np.maximum(1000, end - 4000 * (time - time[over])), speed)
    torque = true_torque(speed) * (1 + spike * np.exp(-np.maximum(0, time - 1.1) / 0.12))
    torque = torque - inertia * np.where(falling, 0, acceleration) * np.pi / 30
    torque = np.where(falling, -25.0, torque)
    speed = speed + generator.normal(0, 1.0 if noise else 0.0, len(time))
    torque = torque + generator.normal(0, noise, len(time)) if noise else torque
    throttle = np.where(falling, 0.05, np.clip(time / 0.15, 0.05, 1.0))
    more = [generator.normal(80, 1, len(time)) for _ in range(extra_channels)]
    names = ("rpm", "torque", "throttle", *(f"extra_{number}" for number in range(extra_channels)))
    return Trace(time, names, np.stack([speed, torque, throttle, *more]))


class KnownCurve(SimpleTestCase):
    def test_the_torque_comes_back_in_every_bin(self):
        """The reference is the curve that made the samples, not a second reduction."""
        for hz in (20.0, 50.0, 100.0, 1000.0):
            with self.subTest(hz=hz):
                reduced = reduce_sweep(pull(hz=hz), PLAIN)
                assert_allclose(reduced.torque, true_torque(reduced.speed_rpm), rtol=4e-4)

    def test_bins_are_centred_on_multiples_of_100(self):
        speed = reduce_sweep(pull(), PLAIN).speed_rpm
        assert_allclose(speed % 100, 0)
        assert_allclose(np.diff(speed), 100)
        self.assertLessEqual(speed[0], 2400)
        self.assertEqual(speed[-1], 6700)  # 6800 was reached only as the throttle closed

    def test_noise_stays_in_the_scatter_and_not_in_the_mean(self):
        reduced = reduce_sweep(pull(noise=2.0), PLAIN)
        error = reduced.torque - true_torque(reduced.speed_rpm)
        self.assertLess(float(np.sqrt((error**2).mean())), 0.6)
        self.assertAlmostEqual(float(np.sqrt((reduced.torque_scatter**2).mean())), 2.0, delta=0.2)

    def test_scatter_leaves_out_what_the_slope_of_the_curve_explains(self):
        scatter = reduce_sweep(pull(), PLAIN).torque_scatter
        self.assertLess(float(scatter[1:-1].max()), 0.01)
        self.assertLess(float(scatter.max()), 0.3)  # at the ends the slope is one-sided

    def test_the_load_in_spike_is_not_in_the_curve(self):
        """Common practice, no source: a printed peak 2 % high is the spike of load-in (539 printed, 527 real)."""
        spiked, clean = reduce_sweep(pull(spike=0.02), PLAIN), reduce_sweep(pull(), PLAIN)
        shared = np.isin(clean.speed_rpm, spiked.speed_rpm)
        assert_allclose(spiked.torque, clean.torque[shared], rtol=6e-4)
        self.assertGreater(spiked.cut.start_s, 1.1)

    def test_a_closing_throttle_is_cut_even_where_the_speed_still_rises(self):
        trace = pull()
        late = trace.time > 9.0
        values = trace.values.copy()
        values[1, late], values[2, late] = 40.0, 0.3
        reduced = reduce_sweep(Trace(trace.time, trace.names, values), PLAIN)
        self.assertLess(reduced.cut.end_s, 9.2)
        self.assertGreater(float(reduced.torque.min()), 200)

    def test_the_measured_sweep_rate_is_told(self):
        self.assertAlmostEqual(reduce_sweep(pull(noise=1.0), PLAIN).cut.sweep_rate_rpm_s, RATE, delta=3)


class Inertia(SimpleTestCase):
    def test_600_rpm_a_second_hides_27_8_lb_ft_of_0_6_kg_m2(self):
        """domain.md section 7 [phys]: I·dω/dt = 0.6 · 62.83 = 37.7 N·m = 27.8 lb-ft."""
        options = Options(stand_inertia=StandInertia.NOT_INCLUDED, inertia=0.6)
        reduced = reduce_sweep(pull(rate=600.0, inertia=0.6), options)
        assert_allclose(quantities.from_si(reduced.inertia_torque[5:-5], "lb-ft"), 27.8, atol=0.1)
        assert_allclose(reduced.torque, true_torque(reduced.speed_rpm), rtol=2e-3)

    def test_two_sweep_rates_agree_once_inertia_is_added(self):
        options = Options(stand_inertia=StandInertia.NOT_INCLUDED, inertia=0.45)
        slow, fast = (reduce_sweep(pull(rate=rate, inertia=0.45), options) for rate in (300.0, 600.0))
        shared = np.isin(slow.speed_rpm, fast.speed_rpm)
        assert_allclose(
            slow.torque[shared][2:-2], fast.torque[np.isin(fast.speed_rpm, slow.speed_rpm)][2:-2], rtol=1e-3
        )

    def test_a_stand_that_includes_it_or_does_not_say_gets_nothing_added(self):
        for told in (StandInertia.INCLUDED, StandInertia.UNKNOWN):
            reduced = reduce_sweep(pull(), Options(stand_inertia=told, inertia=0.6))
            self.assertEqual(float(np.abs(reduced.inertia_torque).max()), 0.0)


class Gaps(SimpleTestCase):
    def test_an_empty_bin_is_left_out_and_never_invented(self):
        trace = pull()
        speed = trace.channel("rpm")
        keep = ~((speed > 3950) & (speed < 4250) & (trace.time < 12))
        reduced = reduce_sweep(Trace(trace.time[keep], trace.names, trace.values[:, keep]), PLAIN)
        self.assertFalse({4000.0, 4100.0, 4200.0} & set(reduced.speed_rpm.tolist()))
        self.assertIn(TraceProblem.GAP, [finding.problem for finding in reduced.findings])
        assert_allclose(reduced.torque, true_torque(reduced.speed_rpm), rtol=1e-3)

    def test_a_silent_channel_does_not_spoil_the_others(self):
        trace = pull(extra_channels=1)
        values = trace.values.copy()
        values[3] = np.nan
        reduced = reduce_sweep(Trace(trace.time, trace.names, values), PLAIN)
        assert_allclose(reduced.torque, true_torque(reduced.speed_rpm), rtol=4e-4)
        self.assertEqual(reduced.names, ("rpm", "torque", "throttle"))  # left out, not made up
        self.assertEqual(reduced.means.shape, (3, len(reduced.speed_rpm)))

    def test_a_channel_with_a_few_samples_missing_has_the_mean_of_the_others(self):
        trace = pull(extra_channels=1)
        values = trace.values.copy()
        values[3] = 80.0
        values[3, 400:403] = np.nan
        reduced = reduce_sweep(Trace(trace.time, trace.names, values), PLAIN)
        assert_allclose(reduced.means[3], 80.0)

    def test_an_impossible_torque_sample_does_not_reach_the_curve(self):
        trace = pull()
        values = trace.values.copy()
        values[1, 500] = 9999.0
        reduced = reduce_sweep(Trace(trace.time, trace.names, values), PLAIN)
        assert_allclose(reduced.torque, true_torque(reduced.speed_rpm), rtol=4e-4)
        self.assertEqual([finding.problem for finding in reduced.findings], [TraceProblem.IMPLAUSIBLE])

    def test_missing_torque_samples_are_passed_over(self):
        trace = pull()
        values = trace.values.copy()
        values[1, 300:320] = np.nan
        reduced = reduce_sweep(Trace(trace.time, trace.names, values), PLAIN)
        assert_allclose(reduced.torque, true_torque(reduced.speed_rpm), rtol=4e-4)
        self.assertLess(reduced.samples.min(), reduced.samples.max())

    def test_two_banks_alone_give_the_mixture_of_the_engine_and_one_does_not(self):
        trace = pull()
        count = len(trace.time)
        banks = np.stack([np.full(count, 0.90), np.full(count, 0.84)])
        both = replace(trace, names=(*trace.names, "lambda_left", "lambda_right"),
                       values=np.concatenate([trace.values, banks]))  # fmt: skip
        found = reduce_sweep(both, PLAIN)
        assert_allclose(found.means[found.names.index("lambda")], 0.87)
        one = replace(trace, names=(*trace.names, "lambda_left"), values=np.concatenate([trace.values, banks[:1]]))
        self.assertNotIn("lambda", reduce_sweep(one, PLAIN).names)
        own = replace(both, names=(*both.names, "lambda"),
                      values=np.concatenate([both.values, np.full((1, count), 0.88)]))  # fmt: skip
        found = reduce_sweep(own, PLAIN)
        assert_allclose(found.means[found.names.index("lambda")], 0.88)

    def test_raw_samples_are_not_changed(self):
        trace = pull(noise=1.0)
        values = trace.values.copy()
        values[0, 100] = np.nan
        before = values.copy()
        reduce_sweep(Trace(trace.time, trace.names, values), PLAIN)
        np.testing.assert_array_equal(values, before)


class NoSweep(SimpleTestCase):
    def test_what_is_no_sweep_is_refused_with_the_reason(self):
        time = np.arange(0, 8, 0.02)
        steady, falling = np.full_like(time, 3000.0), 6000 - 300 * time
        for speed in (steady, falling):
            with self.assertRaisesMessage(NotASweep, "fewer than three bins have samples"):
                reduce_sweep(Trace(time, ("rpm", "torque"), np.stack([speed, np.full_like(time, 200.0)])), PLAIN)

    def test_an_empty_recording_is_refused(self):
        with self.assertRaisesMessage(NotASweep, "the recording is empty"):
            reduce_sweep(Trace(np.empty(0), ("rpm", "torque"), np.empty((2, 0))), PLAIN)

    def test_no_torque_channel_is_refused_by_name(self):
        with self.assertRaisesMessage(ValueError, "no channel 'torque'"):
            reduce_sweep(Trace(np.arange(9.0), ("rpm",), np.ones((1, 9))), PLAIN)


class Smoothing(SimpleTestCase):
    def test_agrees_with_scipys_savitzky_golay_inside_and_at_the_ends(self):
        values = np.random.default_rng(3).normal(200, 5, 31)
        assert_allclose(smoothing_matrix(31, 5, 2) @ values, savgol_filter(values, 5, 2, mode="interp"), rtol=1e-12)
        assert_allclose(smoothing_matrix(31, 5, 2)[10, 8:13], savgol_coeffs(5, 2), atol=1e-14)

    def test_a_window_that_cannot_be_is_refused(self):
        with self.assertRaisesMessage(ValueError, "window must be odd"):
            smoothing_matrix(9, 4, 2)
