import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.air import standards
from torvix_core.air.air import ZERO_CELSIUS, Air, air_from_relative_humidity
from torvix_core.air.standards import BoostSchool, Charging, DieselDelivery, Standard

# kPa, °C, RH, then the factors of J1349, J607, ISO 1585 SI, DIN 70020 and density altitude in ft: worked from the
# formulas of the standards (domain.md section 4), ± 0.0005; the formulas themselves are recalled from memory [mem].
WORKED = (
    (98.205, 29.44, 0.50, 1.0440, 1.0789, 1.0449, 1.0483, 2981),
    (101.325, 15.56, 0.00, 0.9545, 1.0000, 0.9539, 0.9924, 67),
    (83.0, 33.0, 0.20, 1.2637, 1.2726, 1.2739, 1.2476, 8770),
    (100.8, 31.0, 0.85, 1.0367, 1.0724, 1.0374, 1.0239, 2496),
)
INHG = 3386.389


def dry_air(pressure: float, temperature: float) -> Air:
    return air_from_relative_humidity(pressure, temperature, 0.0)


class WorkedFactors(SimpleTestCase):
    def test_every_standard_agrees_with_the_worked_table(self):
        for kilopascal, celsius, humidity, j1349, j607, iso, din, feet in WORKED:
            day = air_from_relative_humidity(kilopascal * 1000, celsius + ZERO_CELSIUS, humidity)
            wanted = {
                Standard.SAE_J1349: j1349,
                Standard.SAE_J607: j607,
                Standard.ISO_1585_SI: iso,
                Standard.JIS_D1001: iso,
                Standard.DIN_70020: din,
                Standard.OBSERVED: 1.0,
            }
            for standard, factor in wanted.items():
                with self.subTest(standard=standard, kilopascal=kilopascal):
                    assert_allclose(standards.correction(day, standard).factor, factor, rtol=0, atol=0.0005)
            # The handbooks' gas constants differ in the fifth digit, which moves the altitude by up to 2 ft.
            assert_allclose(day.density_altitude / 0.3048, feet, rtol=0, atol=2.0)

    def test_reference_air_gives_one(self):
        for standard, told in standards.DEFINITIONS.items():
            if told.pressure is None or told.temperature is None:
                continue
            delivery = DieselDelivery(50.0, Charging.UNBLOWN_OR_MECHANICAL)
            with self.subTest(standard=standard):
                found = standards.correction(dry_air(told.pressure, told.temperature), standard, delivery)
                assert_allclose(found.factor, 1.0, rtol=1e-12)

    def test_a_hot_low_day_reads_four_percent_apart_under_j607_and_j1349(self):
        """Common practice, no source: 28.5 inHg dry and 85 °F give about 1.075 and 1.039."""
        day = dry_air(28.5 * INHG, (85 - 32) / 1.8 + ZERO_CELSIUS)
        assert_allclose(standards.sae_j607_factor(day), 1.075, atol=0.001)
        assert_allclose(standards.sae_j1349_factor(day), 1.039, atol=0.001)


class Validity(SimpleTestCase):
    def test_a_factor_outside_the_range_is_shown_and_marked(self):
        high = air_from_relative_humidity(83_000.0, 306.15, 0.2)
        for standard, inside in (
            (Standard.SAE_J1349, False),
            (Standard.ISO_1585_SI, False),
            (Standard.JIS_D1001, False),
            (Standard.SAE_J607, True),  # gives no range
            (Standard.DIN_70020, True),
            (Standard.OBSERVED, True),
        ):
            with self.subTest(standard=standard):
                found = standards.correction(high, standard)
                self.assertEqual(bool(found.inside), inside)
                self.assertTrue(np.isfinite(found.factor))

    def test_the_mark_follows_each_element(self):
        days = air_from_relative_humidity(np.array([98_205.0, 83_000.0]), 302.59, 0.5)
        self.assertEqual(standards.correction(days, Standard.ISO_1585_SI).inside.tolist(), [True, False])


class FrictionMeasured(SimpleTestCase):
    def test_assumed_efficiency_and_measured_friction_agree_when_they_mean_the_same(self):
        """85 % efficiency means friction of 0.15/0.85 of brake power; the standard rounds 1/0.85 to 1.18."""
        day = air_from_relative_humidity(98_205.0, 302.59, 0.5)
        brake = 200_000.0
        measured = standards.sae_j1349_power(brake, brake * 0.15 / 0.85, day)
        assert_allclose(measured, brake * standards.sae_j1349_factor(day), rtol=3e-4)


class Diesel(SimpleTestCase):
    DAY = air_from_relative_humidity(98_205.0, 302.59, 0.5)

    def test_the_exponent_meets_where_the_formula_switches(self):
        """fm = 0.036·qc − 1.14 gives 0.3 at 40 and 1.2 at 65, as the standard's flat parts do."""
        for switch in (40.0, 65.0):
            below, above = (
                standards.iso_1585_ci_factor(self.DAY, DieselDelivery(switch + offset, Charging.TURBO))
                for offset in (-1e-9, 1e-9)
            )
            assert_allclose(below, above, rtol=1e-9)

    def test_worked_by_hand(self):
        """fa = (99/Pd)^0.7·(T/298.15)^1.5 = 1.0207·1.0224 = 1.0436; fm(50) = 0.66; 1.0436^0.66 = 1.0286."""
        found = standards.iso_1585_ci_factor(self.DAY, DieselDelivery(50.0, Charging.TURBO))
        assert_allclose(found, 1.0286, atol=0.0005)

    def test_asking_without_the_fuel_delivery_is_refused(self):
        with self.assertRaisesMessage(ValueError, "needs the fuel delivery"):
            standards.correction(self.DAY, Standard.ISO_1585_CI)


class Schools(SimpleTestCase):
    """Three schools of correcting a boosted engine, common practice, no source; factors by hand."""

    DAY = air_from_relative_humidity(98_205.0, 302.59, 0.5)

    def test_the_temperature_alone_leaves_the_pressure_at_the_standards_own(self):
        for standard, by_hand in (
            (Standard.SAE_J607, (302.59 / 288.71) ** 0.5),
            (Standard.ISO_1585_SI, (302.59 / 298.15) ** 0.6),
            (Standard.DIN_70020, (302.59 / 293.15) ** 0.5),
            (Standard.SAE_J1349, 1.18 * (302.59 / 298.15) ** 0.5 - 0.18),
        ):
            with self.subTest(standard=standard):
                found = standards.correction(self.DAY, standard, school=BoostSchool.TEMPERATURE)
                assert_allclose(found.factor, by_hand, rtol=1e-9)

    def test_uncorrected_is_one_and_as_unblown_is_the_standard(self):
        none = standards.correction(self.DAY, Standard.ISO_1585_SI, school=BoostSchool.NONE)
        assert_allclose(none.factor, 1.0)
        unblown = standards.correction(self.DAY, Standard.ISO_1585_SI, school=BoostSchool.UNBLOWN)
        assert_allclose(unblown.factor, standards.iso_1585_si_factor(self.DAY))
