import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from stand.pulls.codec import FLOAT64, DamagedSamples, pack, unpack


def same_bits(first: np.ndarray, second: np.ndarray) -> bool:
    return first.tobytes() == second.tobytes()


class RoundTrip(SimpleTestCase):
    def assert_lossless(self, samples: np.ndarray) -> str:
        codec, data = pack(samples)
        self.assertTrue(same_bits(unpack(codec, data, len(samples)), samples))
        return codec

    @settings(max_examples=200, deadline=None)
    @given(arrays(np.float64, st.integers(0, 60), elements=st.floats(allow_nan=False)))
    def test_any_numbers_come_back_bit_for_bit(self, samples):
        self.assert_lossless(samples)

    @settings(max_examples=200, deadline=None)
    @given(st.lists(st.integers(-10_000_000, 10_000_000), min_size=1, max_size=60), st.integers(0, 4))
    def test_readings_with_few_decimals_are_kept_as_whole_numbers(self, whole, decimals):
        codec = self.assert_lossless(np.array(whole) / 10.0**decimals)
        self.assertNotEqual(codec, FLOAT64)

    def test_what_whole_numbers_cannot_hold_is_kept_as_floats(self):
        for odd in (np.nan, np.inf, -0.0, 1 / 3, 1e300):
            with self.subTest(odd=odd):
                self.assertEqual(self.assert_lossless(np.array([1.0, odd, 2.0])), FLOAT64)

    def test_no_samples_and_one_sample(self):
        for samples in (np.empty(0), np.array([12.5])):
            self.assert_lossless(samples)

    def test_a_sensor_of_two_decimals_takes_a_fraction_of_its_text(self):
        generator = np.random.default_rng(1)
        torque = (250 + np.cumsum(generator.normal(0, 0.5, 12_000))).round(2)
        text = "\n".join(f"{value:.2f}" for value in torque)
        self.assertLess(len(pack(torque)[1]), 0.35 * len(text))


class Damage(SimpleTestCase):
    def test_bytes_that_were_cut_or_changed_are_noticed(self):
        codec, data = pack(np.arange(500.0))
        for broken in (data[:-6], data[:20] + b"\x00\x01" + data[22:], b"nothing"):
            with self.assertRaisesMessage(DamagedSamples, "the stored samples"):
                unpack(codec, broken, 500)

    def test_too_few_samples_are_noticed(self):
        codec, data = pack(np.arange(500.0))
        with self.assertRaises(DamagedSamples):
            unpack(codec, data, 501)
