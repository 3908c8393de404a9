"""Checks of printed figures. The figures are the trade's (domain.md and needs.md, common practice, no source)."""

import numpy as np
from django.test import SimpleTestCase
from torvix_core.pull.published_figures_check import FigureSteps, Quoted, Wrong, check, gain_fits, to_grid
from torvix_core.units import quantities

NONE = np.full(1, np.nan)


def si(values: list[float], unit: str) -> np.ndarray:
    return quantities.to_si(np.array(values), unit)


class Power(SimpleTestCase):
    def test_pairs_quoted_in_the_trade_fit(self):
        """Torque = power · 5252 / rpm: 396.9 hp at 5300 is 393.3 lb-ft, and so on; rounded to the digit quoted."""
        pairs = [(5300, 393.3, 396.9), (5800, 387.6, 428), (5400, 389.0, 400), (4200, 417, 333.5), (6300, 389.3, 467),
                 (5000, 431, 410.3), (6100, 507, 588.8), (6800, 481.2, 623), (5300, 529.8, 534.6)]  # fmt: skip
        for rpm, torque, power in pairs:
            steps = FigureSteps(0.0, float(si([0.1], "lb-ft")[0]), float(si([0.1], "hp")[0]))
            with self.subTest(rpm=rpm, power=power):
                self.assertEqual(check(np.array([rpm]), si([torque], "lb-ft"), si([power], "hp"), steps), ())

    def test_a_power_that_is_not_torque_times_speed_is_found_in_its_row(self):
        rpm = np.array([3000.0, 3100, 3200, 3300])
        torque = si([393, 395, 400, 402], "lb-ft")
        power = si([224.5, 233.1, 263.7, 252.6], "hp")
        found = check(rpm, torque, power, FigureSteps(0, 1.36, 75.0))
        self.assertEqual([(one.wrong, one.row) for one in found], [(Wrong.POWER, 2)])
        self.assertAlmostEqual(float(quantities.from_si(found[0].expected, "hp")), 243.7, places=1)

    def test_a_slip_of_the_pen_stands_out_and_a_peaky_curve_does_not(self):
        rpm = np.arange(3000.0, 3700, 100)
        smooth = np.array([300.0, 310, 322, 330, 322, 308, 300])
        nothing = np.full(7, np.nan)
        self.assertEqual(check(rpm, smooth, nothing), ())
        slipped = smooth.copy()
        slipped[3] = 303.0 - 40
        found = check(rpm, slipped, nothing)
        self.assertEqual([(one.wrong, one.row) for one in found], [(Wrong.OUTLIER, 3)])

    def test_speeds_must_rise(self):
        found = check(np.array([3000.0, 2900]), si([1, 2], "N·m"), np.full(2, np.nan))
        self.assertEqual([(one.wrong, one.row) for one in found], [(Wrong.NOT_RISING, 1)])


class Quotes(SimpleTestCase):
    def test_a_peak_that_is_not_in_the_table(self):
        """A printed 539 where the curve has 527: the spike of load-in (common practice, no source)."""
        rpm, torque = np.arange(3000.0, 3500, 100), si([515, 520, 525, 527, 524], "lb-ft")
        nothing = np.full(5, np.nan)
        found = check(rpm, torque, nothing, quoted=Quoted(torque=float(si([539], "lb-ft")[0]), torque_rpm=3300.0))
        self.assertEqual([one.wrong for one in found], [Wrong.PEAK_TORQUE])
        good = Quoted(torque=float(si([527], "lb-ft")[0]), torque_rpm=3300.0)
        self.assertEqual(check(rpm, torque, nothing, quoted=good), ())

    def test_power_at_the_torque_peak_cannot_be_above_peak_power(self):
        rpm, torque = np.arange(3000.0, 3500, 100), si([515, 520, 525, 527, 524], "lb-ft")
        crossed = Quoted(float(si([527], "lb-ft")[0]), 3300.0, float(si([320], "hp")[0]), 3400.0)
        self.assertIn(
            Wrong.PEAKS_CROSSED, [one.wrong for one in check(rpm, torque, np.full(5, np.nan), quoted=crossed)]
        )

    def test_a_quoted_gain_is_the_difference_of_the_quoted_values(self):
        """6.8 psi to 8.8 psi, 394 to 407 hp: 13, not 20 (common practice, no source)."""
        self.assertTrue(gain_fits(394, 407, 13, (1, 1, 1)))
        self.assertFalse(gain_fits(394, 407, 20, (1, 1, 1)))

    def test_each_figure_is_rounded_to_half_a_step_of_its_own_digits(self):
        """394 and 407 may be 393.5 and 407.5: a gain of 14.0 fits, 14.1 does not; of whole figures 14 does, too."""
        self.assertTrue(gain_fits(394, 407, 14.0, (1, 1, 0.1)))
        self.assertFalse(gain_fits(394, 407, 14.2, (1, 1, 0.1)))


class Slips(SimpleTestCase):
    SPEED = np.arange(3000.0, 5001, 250)
    TORQUE = np.array([380.0, 392, 401, 408, 412, 413, 411, 406, 398])

    def wrong(self, torque: np.ndarray, speed: np.ndarray | None = None) -> list[tuple[str, int | None]]:
        rows = self.SPEED if speed is None else speed
        return [(one.wrong.value, one.row) for one in check(rows, torque, np.full(len(rows), np.nan))]

    def test_a_good_table_has_none(self):
        self.assertEqual(self.wrong(self.TORQUE), [])

    def test_one_slip_marks_one_row_wherever_it_stands(self):
        for row in range(1, 8):
            for factor in (0.8, 1.1):
                slipped = self.TORQUE.copy()
                slipped[row] *= factor
                with self.subTest(row=row, factor=factor):
                    self.assertEqual(self.wrong(slipped), [("outlier", row)])

    def test_a_load_in_spike_at_the_start_is_flagged(self):
        spiked = self.TORQUE.copy()
        spiked[0] = 431.0
        self.assertEqual(self.wrong(spiked), [("load_in", 0)])

    def test_a_speed_that_no_engine_runs_at_is_told(self):
        speed = self.SPEED.copy()
        speed[0] = 30.0
        self.assertEqual(self.wrong(self.TORQUE, speed), [("speed", 0)])


class Grid(SimpleTestCase):
    def test_figures_on_the_grid_stay_as_written_and_wide_gaps_stay_empty(self):
        grid, values, between = to_grid(np.array([3000.0, 3200, 4000, 4100]), np.array([300.0, 310, 330, 331]))
        self.assertEqual(grid.tolist(), [3000, 3100, 3200, 4000, 4100])
        self.assertEqual(values.tolist(), [300, 305, 310, 330, 331])
        self.assertEqual(between.tolist(), [False, True, False, False, False])

    def test_nothing_lies_beyond_the_figures(self):
        grid, _, _ = to_grid(np.array([3040.0, 3160, 3260]), np.array([1.0, 2, 3]))
        self.assertEqual(grid.tolist(), [3100, 3200])
        with self.assertRaisesMessage(ValueError, "three rows"):
            to_grid(np.array([3000.0, 3100]), np.array([1.0, 2]))
