"""Duties: weights over the speed range, by hand."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.judging import duty
from torvix_core.judging.duty import PRESETS, Duty, Preset

SPEED = np.arange(3000.0, 6100, 100)


class Weights(SimpleTestCase):
    def test_an_even_duty_is_the_plain_mean(self):
        torque = np.linspace(200, 260, len(SPEED))
        assert_allclose(duty.score(duty.preset(Preset.EVEN, 3000, 6000), SPEED, torque), torque.mean())

    def test_a_ramp_by_hand(self):
        """Weights 0, 1/3, 2/3, 1 over four bins add up to 2: 1/6, 1/3 and 1/2 of the sum."""
        found = duty.weights(Duty(((3000, 0.0), (3300, 1.0))), np.array([3000.0, 3100, 3200, 3300]))
        assert_allclose(found, [0, 1 / 6, 1 / 3, 1 / 2])

    def test_every_preset_lies_in_the_range_and_has_weight(self):
        for which in PRESETS:
            with self.subTest(which=which):
                found = duty.preset(which, 3000, 6000)
                duty.check(found.points)
                assert_allclose(duty.weights(found, SPEED).sum(), 1)
                self.assertEqual((found.points[0][0], found.points[-1][0]), (3000, 6000))

    def test_street_and_strip_rank_two_curves_the_other_way_round(self):
        """Common practice, no source: the manifold that wins on the strip need not win on the street."""
        low, high = 250 - 0.02 * (SPEED - 3000), 190 + 0.02 * (SPEED - 3000)
        for which, better in ((Preset.STREET, 0), (Preset.STRIP, 1)):
            scores = duty.score(duty.preset(which, 3000, 6000), SPEED, np.array([low, high]))
            self.assertEqual(int(scores.argmax()), better)

    def test_what_says_nothing_is_refused_in_words(self):
        for points, message in (
            ([[3000, 1]], "2 to 24 points"),
            ([[3000, 1], [3000, 1]], "must rise"),
            ([[3000, 1], [4000, 2]], "between 0 and 1"),
            ([[3000, 0], [4000, 0]], "above zero"),
            ([[3000, 1], [float("nan"), 1]], "finite"),
        ):
            with self.subTest(message=message), self.assertRaisesMessage(ValueError, message):
                duty.check(points)  # type: ignore[arg-type]
        with self.assertRaisesMessage(ValueError, "no weight where the pulls ran"):
            duty.weights(Duty(((7000, 1.0), (8000, 1.0))), SPEED)
