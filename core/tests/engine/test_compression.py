import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose
from torvix_core.engine import compression, geometry

from ops.effort import effort

INCH, CUBIC_INCH, PSI = 0.0254, 1.6387064e-5, 6894.757


def ratio_of(thickness: float, bore: float = 4.03 * INCH, stroke: float = 3.5 * INCH, chamber: float = 70e-6) -> float:
    volumes = compression.clearance_volumes(
        bore=bore, chamber=chamber, gasket_bore=bore, gasket_thickness=thickness, deck_clearance=0.0, piston=0.0
    )
    return float(compression.static_ratio(geometry.displacement(bore, stroke, 1), volumes.total))


class StaticRatio(SimpleTestCase):
    def test_worked_by_hand(self):
        """Bore 4.030, stroke 3.48 in, 64 cc, gasket 4.100 × 0.040 in, deck 0.025 in, reliefs 5 cc.

        By hand: swept 727.42; gasket 8.654; deck 5.226; total 64 + 8.654 + 5.226 + 5 = 82.880; ratio 9.777.
        """
        volumes = compression.clearance_volumes(
            bore=4.030 * INCH, chamber=64e-6, gasket_bore=4.100 * INCH, gasket_thickness=0.040 * INCH,
            deck_clearance=0.025 * INCH, piston=5e-6,
        )  # fmt: skip
        assert_allclose(volumes.gasket * 1e6, 8.654, atol=0.001)
        assert_allclose(volumes.deck * 1e6, 5.226, atol=0.001)
        swept = geometry.displacement(4.030 * INCH, 3.48 * INCH, 1)
        assert_allclose(swept * 1e6, 727.42, atol=0.01)
        assert_allclose(compression.static_ratio(swept, volumes.total), 9.777, atol=0.001)

    def test_a_thinner_gasket_lifts_nine_point_one_to_nine_point_nine(self):
        """Common practice, no source: 0.065 to 0.025 in takes 9.1:1 to about 9.8 to 9.95, about 50 in³ a cylinder."""
        for bore in (4.12 * INCH, 4.15 * INCH):
            swept = float(geometry.displacement(bore, 3.75 * INCH, 1))
            clearance = swept / 8.1
            gasket = np.pi / 4 * bore**2 * 0.040 * INCH
            self.assertTrue(9.75 <= float(compression.static_ratio(swept, clearance - gasket)) <= 9.95)

    def test_a_piston_that_stands_proud_and_a_dome_raise_the_ratio(self):
        plain = compression.clearance_volumes(bore=0.1, chamber=6e-5, gasket_bore=0.1, gasket_thickness=1e-3,
                                              deck_clearance=0.0, piston=0.0)  # fmt: skip
        proud = compression.clearance_volumes(bore=0.1, chamber=6e-5, gasket_bore=0.1, gasket_thickness=1e-3,
                                              deck_clearance=-2e-4, piston=-3e-6)  # fmt: skip
        self.assertLess(float(proud.total), float(plain.total))

    @settings(max_examples=effort(60), deadline=None)
    @given(st.floats(2e-4, 3e-3), st.floats(1e-5, 1e-3))
    def test_the_ratio_rises_as_the_gasket_gets_thinner(self, thickness, taken_off):
        self.assertGreater(ratio_of(thickness), ratio_of(thickness + taken_off))

    @settings(max_examples=effort(60), deadline=None)
    @given(st.floats(0.05, 0.15), st.floats(0.05, 0.15), st.floats(2e-5, 3e-4), st.floats(2e-4, 3e-3))
    def test_the_ratio_does_not_know_in_which_units_it_was_given(self, bore, stroke, chamber, gasket):
        metric = ratio_of(gasket, bore, stroke, chamber)
        inches = ratio_of(gasket / INCH * INCH, bore / INCH * INCH, stroke / INCH * INCH,
                          chamber / CUBIC_INCH * CUBIC_INCH)  # fmt: skip
        assert_allclose(metric, inches, rtol=1e-12)


class Trapped(SimpleTestCase):
    def test_closing_at_bottom_dead_centre_traps_everything(self):
        assert_allclose(compression.trapped_ratio(10.0, 0.09, 0.15, 0.0), 10.0)

    def test_an_endless_rod_gives_simple_harmonic_motion(self):
        """As the rod grows the drop tends to r(1 − cos θ) [phys]."""
        angles = np.linspace(0, 180, 19)
        assert_allclose(compression.piston_drop(angles, 0.09, 1e4), 0.045 * (1 - np.cos(np.deg2rad(angles))), atol=2e-7)

    def test_the_piston_is_where_the_triangle_puts_it(self):
        """At 90° the rod is a hypotenuse: drop = r + l − √(l² − r²). With r 3, l 5: 3 + 5 − 4 = 4."""
        assert_allclose(compression.piston_drop(90.0, 6.0, 5.0), 4.0)

    def test_later_closing_traps_less(self):
        ratios = compression.trapped_ratio(10.0, 0.09, 0.15, np.array([0.0, 30.0, 60.0, 90.0]))
        self.assertTrue((np.diff(ratios) < 0).all())

    def test_what_cannot_be_is_refused_by_name(self):
        with self.assertRaisesMessage(ValueError, "rod must be longer than half the stroke"):
            compression.piston_drop(90.0, 0.09, 0.04)
        with self.assertRaisesMessage(ValueError, "intake_closing must lie between 0 and 120"):
            compression.trapped_ratio(10.0, 0.09, 0.15, 180.0)


class Cranking(SimpleTestCase):
    def test_gasket_and_advance_lift_the_cranking_pressure_as_practice_says(self):
        """Common practice, no source: stroke 3.75 in, rod 6.625 in, exponent 1.2: 140 psi at 9.1:1 closing at 67°;
        about 154 by the gasket alone, about 146 by four degrees of advance alone, about 161 by both."""

        def psi(ratio: float, closing: float) -> float:
            trapped = compression.trapped_ratio(ratio, 3.75, 6.625, closing)
            return float(compression.cranking_pressure(trapped, 101_325.0, 1.2)) / PSI

        self.assertAlmostEqual(psi(9.1, 67.0), 140, delta=1)
        self.assertAlmostEqual(psi(9.8, 67.0), 154, delta=1)
        self.assertAlmostEqual(psi(9.1, 63.0), 146, delta=1)
        self.assertAlmostEqual(psi(9.8, 63.0), 161, delta=1)

    def test_the_estimate_is_a_band_that_rises_with_the_exponent(self):
        low, high = (compression.cranking_pressure(8.0, 101_325.0, n) for n in compression.CRANKING_EXPONENTS)
        self.assertLess(float(low), float(high))


class WorthOfTheRatio(SimpleTestCase):
    def test_the_lower_end_is_the_air_cycle(self):
        """Any textbook of thermodynamics: the Otto cycle of air has 58.5 % at 9:1 and 60.2 % at 10:1."""
        low, high = compression.ratio_worth(9.0, 10.0)
        self.assertAlmostEqual(float(low), 0.6019 / 0.5848 - 1, delta=0.0003)
        self.assertLess(low, high)

    def test_a_point_is_worth_three_to_four_per_cent_around_nine_and_less_above(self):
        """Common practice, no source."""
        for before, after in ((8.5, 9.5), (9.0, 10.0), (9.5, 10.5)):
            low, high = compression.ratio_worth(before, after)
            self.assertTrue(0.025 < low < high < 0.042, (before, low, high))
        self.assertLess(compression.ratio_worth(12.0, 13.0)[1], compression.ratio_worth(8.0, 9.0)[0])

    def test_there_and_back_cancel(self):
        up, down = compression.ratio_worth(9.0, 10.0), compression.ratio_worth(10.0, 9.0)
        self.assertAlmostEqual(float((1 + up[0]) * (1 + down[1])), 1.0, places=9)
