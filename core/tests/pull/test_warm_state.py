"""The usual state of a session: by hand, and unmoved by a cold pull."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from scipy import stats
from torvix_core.pull.comparability import ComparabilityLevel, Facts, compare
from torvix_core.pull.warm_state import NORMAL_MAD, states_of, usual_of

SPEED = np.arange(3000.0, 4000, 100)


def pull(oil: float, setup: int = 1) -> Facts:
    return Facts(SPEED, np.full(10, 400.0), {"oil_temperature": np.full(10, oil)}, session=1, setup=setup)


class Usual(SimpleTestCase):
    def test_spread_as_scipy_has_it(self):
        """scipy 1.x, median_abs_deviation with scale normal, is the reference."""
        readings = np.random.default_rng(2).normal(360, 3, 25)
        found = usual_of(readings)
        assert_allclose(found.spread, stats.median_abs_deviation(readings, scale="normal"), rtol=1e-3)
        assert_allclose(found.centre, np.median(readings))
        assert_allclose(NORMAL_MAD, 1 / stats.norm.ppf(0.75), rtol=1e-4)

    def test_one_cold_pull_of_four_moves_the_middle_by_little(self):
        self.assertGreater(usual_of(np.array([333.0, 360, 361, 362])).centre, 360.0)

    def test_a_single_pull_has_no_usual_state(self):
        self.assertEqual(states_of([{"oil_temperature": 350.0}]), {})

    def test_no_reading_is_refused(self):
        with self.assertRaisesMessage(ValueError, "readings must not be empty"):
            usual_of(np.zeros(0))


class Against(SimpleTestCase):
    def level(self, oil: float, usual: list[float]) -> ComparabilityLevel:
        warm = states_of([{"oil_temperature": one} for one in usual])
        checks = compare(pull(333.0), pull(oil, 2), warm=warm)
        return next(check.level for check in checks if check.key == "oil_temperature")

    def test_a_warm_pull_is_not_blamed_for_a_cold_one_that_it_is_held_against(self):
        self.assertIs(self.level(361.0, [333.0, 360, 361, 362]), ComparabilityLevel.OK)

    def test_a_session_whose_pulls_differ_much_has_a_wider_window(self):
        calm, wild = [360.0, 361, 362, 363], [340.0, 350, 362, 374, 384]
        self.assertIs(self.level(384.0, calm), ComparabilityLevel.BLOCK)
        self.assertIs(self.level(384.0, wild), ComparabilityLevel.NOTE)
