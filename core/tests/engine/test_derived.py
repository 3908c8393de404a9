"""Derived curves against figures of the trade (domain.md 8 and 9; common practice where no source is named)."""

import numpy as np
from django.test import SimpleTestCase
from torvix_core.engine.derived import Surroundings, derived
from torvix_core.engine.geometry import Cycle
from torvix_core.units import quantities

ONE = np.ones(1)


def si(value: float, unit: str) -> np.ndarray:
    return quantities.to_si(np.array([value]), unit)


class Derived(SimpleTestCase):
    def test_440_cubic_inches_at_7400_rpm_and_106_per_cent_take_about_1000_cfm(self):
        density = 1.2
        flow = float(si(999.0, "CFM")[0]) * density
        around = Surroundings(float(si(440, "in³")[0]), air_density=density)
        found = derived(np.array([7400.0]), si(500, "lb-ft"), {"air_flow": np.array([flow])}, around)
        self.assertAlmostEqual(float(found["volumetric_efficiency"][0]), 1.06, delta=0.005)

    def test_half_a_pound_an_hour_for_each_horsepower(self):
        rpm, torque = np.array([5252.113]), si(400, "lb-ft")
        found = derived(rpm, torque, {"fuel_flow": si(200, "lb/h")}, Surroundings())
        self.assertAlmostEqual(float(quantities.from_si(found["specific_fuel"], "lb/hp·h")[0]), 0.5, places=4)
        self.assertAlmostEqual(float(quantities.from_si(found["power"], "hp")[0]), 400.0, places=2)

    def test_air_over_fuel_boost_and_back_pressure(self):
        means = {"air_flow": 0.127 * ONE, "fuel_flow": 0.01 * ONE, "manifold_pressure": 180_000 * ONE,
                 "exhaust_pressure": 120_000 * ONE}  # fmt: skip
        found = derived(np.array([5000.0]), 300 * ONE, means, Surroundings(0.002, ambient=98_000.0))
        self.assertAlmostEqual(float(found["air_fuel_ratio"][0]), 12.7)
        self.assertAlmostEqual(float(found["boost"][0]), 82_000.0)
        self.assertAlmostEqual(float(found["back_pressure_ratio"][0]), 120 / 82, places=6)
        self.assertNotIn("depression", found)

    def test_a_two_stroke_breathes_twice_as_often(self):
        means = {"air_flow": 0.1 * ONE}
        four, two = (
            derived(np.array([5000.0]), 100 * ONE, means, Surroundings(0.001, cycle, air_density=1.2))
            for cycle in (Cycle.FOUR_STROKE, Cycle.TWO_STROKE)
        )
        self.assertAlmostEqual(float(four["volumetric_efficiency"][0] / two["volumetric_efficiency"][0]), 2.0)

    def test_what_is_not_known_is_left_out_and_nothing_is_infinite(self):
        found = derived(np.array([5000.0]), np.zeros(1), {"fuel_flow": ONE, "air_flow": ONE}, Surroundings())
        self.assertNotIn("volumetric_efficiency", found)
        self.assertNotIn("specific_fuel", found)
        self.assertTrue(all(np.isfinite(curve).all() for curve in found.values()))
