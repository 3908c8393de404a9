from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.engine import geometry
from torvix_core.engine.geometry import Cycle
from torvix_core.units import quantities


def horsepower(torque_lb_ft: float, speed_rpm: float) -> float:
    watts = geometry.power(quantities.to_si(torque_lb_ft, "lb-ft"), speed_rpm)
    return float(quantities.from_si(watts, "hp"))


class Displacement(SimpleTestCase):
    # Common practice, no source: bore in, stroke in, cylinders, in³.
    QUOTED = ((4.030, 3.50, 8, 357.2), (4.060, 3.48, 8, 360.4))

    def test_agrees_with_quoted_engines(self):
        for bore, stroke, cylinders, cubic_inches in self.QUOTED:
            found = geometry.displacement(bore * 0.0254, stroke * 0.0254, cylinders)
            assert_allclose(quantities.from_si(found, "in³"), cubic_inches, rtol=0, atol=0.05)

    def test_a_bore_of_nothing_is_refused_by_name(self):
        with self.assertRaisesMessage(ValueError, "bore must be above zero"):
            geometry.displacement(0.0, 0.08, 6)


class PowerAndTorque(SimpleTestCase):
    # Common practice, no source: lb-ft, rpm, hp as quoted in pairs.
    QUOTED = (
        (393.3, 5300, 396.9),
        (387.6, 5800, 428.0),
        (417.0, 4200, 333.5),
        (507.0, 6100, 588.8),
        (431.0, 5000, 410.3),
    )

    def test_agrees_with_quoted_pairs(self):
        for torque, speed, power in self.QUOTED:
            with self.subTest(torque=torque):
                self.assertAlmostEqual(horsepower(torque, speed), power, delta=0.1)

    def test_the_constant_of_the_trade(self):
        """hp = lb-ft · rpm / 5252.113 and kW = N·m · rpm / 9549.297, from the definitions of the units."""
        self.assertAlmostEqual(horsepower(5252.113, 1.0), 1.0, places=6)
        self.assertAlmostEqual(float(geometry.power(9549.297, 1.0)) / 1000, 1.0, places=6)

    def test_mean_power_over_mean_torque_gives_away_the_range_of_the_averages(self):
        """Common practice, no source: 605 hp over 579.9 lb-ft and 598 over 570 both lie near 5500 rpm."""
        for power, torque, rpm in ((605, 579.9, 5479), (598, 570, 5510)):
            self.assertAlmostEqual(horsepower(torque, rpm), power, delta=0.1)

    def test_there_and_back_is_the_same(self):
        watts = geometry.power(311.0, 4700.0)
        assert_allclose(geometry.torque_from_power(watts, 4700.0), 311.0, rtol=1e-14)


class MeanPressure(SimpleTestCase):
    def test_a_two_stroke_needs_half_the_pressure_of_a_four_stroke(self):
        four = geometry.brake_mean_effective_pressure(280.0, 2.9e-3, Cycle.FOUR_STROKE)
        two = geometry.brake_mean_effective_pressure(280.0, 2.9e-3, Cycle.TWO_STROKE)
        assert_allclose(four, 2 * two)

    def test_work_of_a_cycle_is_pressure_times_displacement(self):
        """T · 4π is the work of one four-stroke cycle [phys]."""
        pressure = geometry.brake_mean_effective_pressure(280.0, 2.9e-3, Cycle.FOUR_STROKE)
        self.assertAlmostEqual(float(pressure * 2.9e-3), 280.0 * 4 * 3.141592653589793, places=6)
