import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.engine import boost, breathing, fuel, geometry
from torvix_core.engine.fuel import FUELS, Fuel
from torvix_core.engine.geometry import Cycle

CFM, CUBIC_INCH, INHG, POUND_HOUR, HP = 4.7194745e-4, 1.6387064e-5, 3386.389, 1.2599788e-4, 745.69987


def demand(cubic_inches: float, rpm: float, filling: float = 1.0) -> float:
    return float(breathing.airflow_demand(cubic_inches * CUBIC_INCH, rpm, filling, Cycle.FOUR_STROKE)) / CFM


class Demand(SimpleTestCase):
    def test_agrees_with_the_rule_of_the_trade(self):
        """Common practice, no source: CID·rpm·VE/3456; 440 in³ at 7400 rpm want 942 CFM, 357 in³ 671."""
        for size, rpm, filling, cfm in ((440, 7400, 1.0, 942), (440, 7400, 1.1, 1036), (357, 6500, 1.0, 671),
                                        (357, 7000, 1.0, 723)):  # fmt: skip
            with self.subTest(size=size, rpm=rpm):
                self.assertAlmostEqual(demand(size, rpm, filling), cfm, delta=0.7)
                assert_allclose(demand(size, rpm, filling), size * rpm * filling / 3456, rtol=1e-6)

    def test_a_two_stroke_swallows_twice_as_often(self):
        two = breathing.airflow_demand(0.001, 6000.0, 1.0, Cycle.TWO_STROKE)
        assert_allclose(two, 2 * breathing.airflow_demand(0.001, 6000.0, 1.0, Cycle.FOUR_STROKE))


class Carburetor(SimpleTestCase):
    def test_a_650_at_1_8_inches_passes_712(self):
        """Common practice, no source: rated at 1.5 inHg, flow with the square root of the depression."""
        self.assertEqual(round(float(breathing.flow_at_depression(650.0, 1.5, 1.8))), 712)
        self.assertEqual(round(float(breathing.flow_at_depression(600.0, 1.8, 1.5))), 548)

    def test_larger_ones_draw_less_with_the_square_of_their_size(self):
        """Common practice, no source: a 750 draws about 1.35 and a 950 about 0.84 inHg where a 650 draws 1.8."""
        air = breathing.flow_at_depression(650.0, 1.5, 1.8)
        for rating, depression in ((650.0, 1.8), (750.0, 1.35), (950.0, 0.84)):
            assert_allclose(breathing.depression_at_flow(air, rating, 1.5), depression, atol=0.01)

    def test_there_and_back(self):
        there = breathing.flow_at_depression(300.0, 28.0, 10.0)
        assert_allclose(breathing.flow_at_depression(there, 10.0, 28.0), 300.0, rtol=1e-12)
        assert_allclose(breathing.depression_at_flow(there, 300.0, 28.0), 10.0, rtol=1e-12)

    def test_28_inches_of_water_is_6974_pascal(self):
        """NIST SP 811: conventional inch of water 249.0889 Pa [std, mem]."""
        assert_allclose(breathing.BENCH_DEPRESSION, 28 * 249.0889, rtol=1e-6)


class Heads(SimpleTestCase):
    def test_268_cfm_on_eight_cylinders_ends_near_551_hp(self):
        """Common practice, no source; in line with a measured 559 hp on such heads."""
        self.assertEqual(round(float(breathing.head_flow_power(268 * CFM, 8)) / HP), 551)


class Runners(SimpleTestCase):
    def test_sound_at_15_degrees(self):
        """U.S. Standard Atmosphere 1976, sea level: 340.29 m/s [std, mem]."""
        assert_allclose(breathing.speed_of_sound(288.15), 340.29, atol=0.02)

    def test_the_quarter_wave_comes_back_in_the_time_that_the_crank_needs(self):
        """Order 4 of a four-stroke: the pulse's way there and back, 2L/c, is 90° of crank [phys]."""
        rpm = breathing.quarter_wave_speed(0.5, 4, 345.0, Cycle.FOUR_STROKE)
        assert_allclose(rpm / 60 * 360 * (2 * 0.5 / 345.0), 90.0)

    def test_helmholtz_agrees_with_its_textbook_form_in_centimetres(self):
        """Heywood [mem]: N = 955·a/K·√(A/(l·V)), a in m/s, cm², cm, cm³, V half the swept volume times (r+1)/(r−1)."""
        effective = 485 / 2 * 11.5 / 9.5
        wanted = 955 * 345.0 / 2.5 * np.sqrt(14 / (42 * effective))
        found = breathing.helmholtz_speed(length=0.42, area=14e-4, cylinder=485e-6, static_ratio=10.5,
                                          speed_of_sound=345.0, constant=2.5)  # fmt: skip
        assert_allclose(found, wanted, rtol=2e-4)

    def test_longer_runners_are_tuned_lower(self):
        """Common practice, no source."""
        lengths = np.array([0.2, 0.3, 0.4, 0.5])
        self.assertTrue((np.diff(breathing.quarter_wave_speed(lengths, 4, 345.0, Cycle.FOUR_STROKE)) < 0).all())
        found = breathing.helmholtz_speed(length=lengths, area=14e-4, cylinder=485e-6, static_ratio=10.5,
                                          speed_of_sound=345.0, constant=2.5)  # fmt: skip
        self.assertTrue((np.diff(found) < 0).all())


class Throttle(SimpleTestCase):
    def test_flow_over_area_is_the_velocity_asked_for(self):
        bore = breathing.throttle_bore(0.17, 2, 80.0)
        assert_allclose(0.17 / (2 * breathing.circle_area(bore)), 80.0, rtol=1e-12)


class Injectors(SimpleTestCase):
    def duty(self, power_hp: float, pounds_per_hp_hour: float, injectors: int, pounds_per_hour: float) -> float:
        flow = fuel.fuel_flow(power_hp * HP, pounds_per_hp_hour * POUND_HOUR / HP)
        return float(fuel.injector_duty(flow, injectors, pounds_per_hour * POUND_HOUR))

    def test_duty_of_two_known_engines(self):
        """Common practice, no source: 85 lb/h × 8 for 754 hp at 0.65 to 0.72 lb/hp·h stand open 72 to 80 %; 36 lb/h × 8
        for 436 hp at 0.55 to 0.60 stand open 83 to 91 %."""
        self.assertAlmostEqual(self.duty(754, 0.65, 8, 85), 0.72, delta=0.005)
        self.assertAlmostEqual(self.duty(754, 0.72, 8, 85), 0.80, delta=0.005)
        self.assertAlmostEqual(self.duty(436, 0.55, 8, 36), 0.83, delta=0.005)
        self.assertAlmostEqual(self.duty(436, 0.60, 8, 36), 0.91, delta=0.005)

    def test_an_injector_of_the_size_needed_stands_open_as_long_as_allowed(self):
        size = fuel.injector_size(0.02, 6, 0.85)
        assert_allclose(fuel.injector_duty(0.02, 6, size), 0.85)

    def test_every_fuel_has_its_facts(self):
        """Stoichiometric ratios from memory; gasoline 14.7 is common practice."""
        self.assertEqual(set(FUELS), set(Fuel))
        self.assertEqual(FUELS[Fuel.PUMP_GASOLINE].stoichiometric, 14.7)


class Blower(SimpleTestCase):
    def test_a_smaller_pulley_turns_it_5_9_percent_faster(self):
        """Common practice, no source: 3.6 to 3.4 in."""
        before, after = (boost.blower_speed(6000.0, 7.0, pulley) for pulley in (3.6, 3.4))
        assert_allclose(after / before, 1.059, atol=0.0005)

    def test_pressure_ratio_of_one_atmosphere_of_boost(self):
        self.assertEqual(float(boost.pressure_ratio(101_325.0, 101_325.0)), 2.0)


class PowerAndTorque(SimpleTestCase):
    def test_pairs_that_the_trade_quotes_agree(self):
        """Common practice, no source: hp, rpm and lb-ft that belong together, exact to 0.1."""
        pairs = ((396.9, 5300, 393.3), (428, 5800, 387.6), (400, 5400, 389.0), (333.5, 4200, 417), (467, 6300, 389.3),
                 (410.3, 5000, 431), (588.8, 6100, 507), (623, 6800, 481.2), (534.6, 5300, 529.8),
                 (398.7, 4300, 487), (367.6, 4300, 449), (364.3, 4300, 445))  # fmt: skip
        for power, rpm, torque in pairs:
            with self.subTest(power=power, rpm=rpm):
                found = float(geometry.power(torque * 1.35581795, rpm)) / HP
                self.assertAlmostEqual(found, power, delta=0.06)
