"""What an engine's days say of the next one's drift: by dice, and against the closed form where days are alike."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.judging.drift import USUAL_SLOPE, DriftPrior, learned


class Learning(SimpleTestCase):
    def test_nothing_seen_leaves_the_usual(self):
        self.assertEqual(learned(np.zeros(0), np.zeros(0)), DriftPrior())

    def test_a_vague_session_changes_little(self):
        found = learned(np.array([0.004]), np.array([0.02]))
        self.assertLess(abs(found.mean), 0.0003)
        assert_allclose(found.sd, USUAL_SLOPE, rtol=0.35)

    def test_many_sharp_days_tell_mean_and_spread(self):
        """400 days of -0.1 ± 0.05 % a pull, each seen to 0.02 %."""
        dice = np.random.default_rng(1)
        found = learned(dice.normal(-0.001, 0.0005, 400) + dice.normal(0, 0.0002, 400), np.full(400, 0.0002))
        assert_allclose(found.mean, -0.001, atol=0.0001)
        assert_allclose(found.day_sd, 0.0005, rtol=0.12)
        self.assertLess(found.engine_sd, 0.0002)

    def test_the_next_day_lies_inside_what_was_learned_from_six(self):
        """2000 usual engines, six days each: the seventh within two standard deviations as often as it says."""
        dice, inside = np.random.default_rng(2), []
        usual = DriftPrior()
        for _ in range(2000):
            days = dice.normal(dice.normal(0, usual.engine_sd), usual.day_sd, 7)
            found = learned(days[:6] + dice.normal(0, 0.0005, 6), np.full(6, 0.0005))
            inside.append(abs(days[6] - found.mean) < 1.96 * found.sd)
        self.assertAlmostEqual(float(np.mean(inside)), 0.95, delta=0.03)

    def test_an_error_of_nothing_is_refused(self):
        with self.assertRaisesMessage(ValueError, "errors must be above zero"):
            learned(np.array([0.001]), np.array([0.0]))
