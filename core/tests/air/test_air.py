import numpy as np
import psychrolib
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.air import air
from torvix_core.air.air import ZERO_CELSIUS

psychrolib.SetUnitSystem(psychrolib.SI)


class SaturationPressure(SimpleTestCase):
    # Saturation pressure of water as printed in steam tables, °C and kPa; here from the values quoted in domain.md.
    STEAM_TABLE = ((20.0, 2.339), (25.0, 3.169), (30.0, 4.246))

    def test_agrees_with_steam_tables_to_the_last_printed_digit(self):
        """Hyland and Wexler reads up to 0.05 % off the tables of later formulations: one unit of the last digit."""
        for celsius, kilopascal in self.STEAM_TABLE:
            with self.subTest(celsius=celsius):
                found = air.saturation_vapour_pressure(celsius + ZERO_CELSIUS) / 1000
                assert_allclose(found, kilopascal, rtol=0, atol=0.001)

    def test_agrees_with_psychrolib_over_ice_and_water(self):
        """psychrolib 2.5.0 carries the formula of the ASHRAE Handbook independently of us."""
        celsius = np.array([-60.0, -20.0, -1.0, 1.0, 15.0, 40.0, 90.0, 150.0])
        wanted = [psychrolib.GetSatVapPres(value) for value in celsius]
        assert_allclose(air.saturation_vapour_pressure(celsius + ZERO_CELSIUS), wanted, rtol=2e-6)

    def test_the_two_forms_meet_at_the_triple_point(self):
        step = air.saturation_vapour_pressure([air.FREEZING - 1e-6, air.FREEZING + 1e-6])
        self.assertLess(abs(step[1] / step[0] - 1), 1e-3)

    def test_a_temperature_outside_the_formula_is_refused_by_name(self):
        with self.assertRaisesMessage(ValueError, "temperature must lie between 173.15 and 473.15 K"):
            air.saturation_vapour_pressure(500.0)


class MoistAir(SimpleTestCase):
    def test_dew_point_wet_bulb_and_relative_humidity_agree_with_psychrolib(self):
        pressure = 98_205.0
        for celsius, humidity in ((29.44, 0.5), (10.0, 0.8), (35.0, 0.15)):
            with self.subTest(celsius=celsius):
                wanted = psychrolib.GetVapPresFromRelHum(celsius, humidity)
                dew = psychrolib.GetTDewPointFromRelHum(celsius, humidity) + ZERO_CELSIUS
                wet = psychrolib.GetTWetBulbFromRelHum(celsius, humidity, pressure) + ZERO_CELSIUS
                kelvin = celsius + ZERO_CELSIUS
                for made in (
                    air.air_from_relative_humidity(pressure, kelvin, humidity),
                    air.air_from_dew_point(pressure, kelvin, dew),
                    air.air_from_wet_bulb(pressure, kelvin, wet),
                ):
                    assert_allclose(made.vapour_pressure, wanted, rtol=1e-3)  # psychrolib stops its search at 0.001 °C

    def test_density_agrees_with_psychrolib(self):
        for celsius, humidity, pressure in ((29.44, 0.5, 98_205.0), (0.0, 0.3, 83_000.0), (31.0, 0.85, 100_800.0)):
            ratio = psychrolib.GetHumRatioFromRelHum(celsius, humidity, pressure)
            wanted = psychrolib.GetMoistAirDensity(celsius, ratio, pressure)
            made = air.air_from_relative_humidity(pressure, celsius + ZERO_CELSIUS, humidity)
            assert_allclose(made.density, wanted, rtol=1e-4)

    def test_arrays_give_what_scalars_give(self):
        pressures, temperatures = np.array([98_205.0, 83_000.0]), np.array([302.59, 306.15])
        together = air.air_from_relative_humidity(pressures, temperatures, 0.4).density
        one_by_one = [
            float(air.air_from_relative_humidity(pressure, temperature, 0.4).density)
            for pressure, temperature in zip(pressures, temperatures, strict=True)
        ]
        assert_allclose(together, one_by_one, rtol=1e-15)

    def test_what_cannot_be_weather_is_refused_by_name(self):
        cases = (
            ((29.0, 300.0, 0.5), "pressure must lie between 50000 and 110000 Pa"),
            ((98_000.0, 25.0, 0.5), "temperature must lie between"),
            ((98_000.0, 300.0, 55.0), "relative_humidity must lie between 0 and 1"),
            ((98_000.0, np.nan, 0.5), "temperature must be a finite number"),
        )
        for arguments, message in cases:
            with self.subTest(message=message), self.assertRaisesMessage(ValueError, message):
                air.air_from_relative_humidity(*arguments)

    def test_a_wet_bulb_above_the_dry_one_is_refused(self):
        with self.assertRaisesMessage(ValueError, "wet_bulb must not be above temperature"):
            air.air_from_wet_bulb(98_000.0, 290.0, 291.0)
        with self.assertRaisesMessage(ValueError, "lower than dry air"):
            air.air_from_wet_bulb(98_000.0, 310.0, 274.0)
