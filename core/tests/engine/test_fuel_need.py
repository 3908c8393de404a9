"""Fuel for a day: against a hand calculation, and against what a day at the stand is known to burn."""

from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.engine import fuel
from torvix_core.engine.fuel import Fuel

HP = 745.69987
LB_PER_HP_H = 1.6896594e-7  # kg/J


class FuelNeed(SimpleTestCase):
    def test_by_hand(self):
        """600 hp, 0.50 lb/hp·h, 80 % of the peak on average, 11 s of sweep and 4 s around it: 1.00 lb, 0.61 L."""
        need = fuel.fuel_need(Fuel.PUMP_GASOLINE, 600 * HP, 11.0, 900.0)
        pounds = 0.50 * 600 * 0.8 * 15 / 3600
        assert_allclose(need.pull * 745 / 0.45359237, pounds, rtol=1e-6)

    def test_a_day_of_a_big_engine_takes_tens_of_litres(self):
        """Common practice, no source: a can of twenty litres is a short day for a 600 hp engine."""
        need = fuel.fuel_need(Fuel.RACING_GASOLINE, 600 * HP, 11.0, 1200.0)
        day = (4 * need.warm_up + 30 * need.pull) * 1000
        self.assertGreater(day, 20)
        self.assertLess(day, 120)

    def test_ethanol_takes_more(self):
        gasoline, ethanol = (fuel.fuel_need(kind, 3e5, 12, 900).pull for kind in (Fuel.PUMP_GASOLINE, Fuel.E85))
        assert_allclose(ethanol / gasoline, 1.45 * 745 / 785)

    def test_every_fuel_has_the_density_of_a_liquid(self):
        for kind, facts in fuel.FUELS.items():
            with self.subTest(kind=kind):
                self.assertTrue(480 < facts.density < 900)
