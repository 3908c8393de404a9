"""Figures off paper against the physics: what is marked, what is offered, what a second reading mends.

The figures are power = torque · 5252 / rpm in lb-ft, hp and rpm (domain.md), worked by hand to the digit printed.
"""

from django.test import SimpleTestCase
from torvix_core.paper.cross_check import Columns, Doubt, cross_check

SPEEDS = ["3000", "3100", "3200", "3300", "3400", "3500", "3600", "3700"]
TORQUES = ["393.0", "395.0", "398.0", "402.0", "404.0", "405.5", "406.0", "405.8"]
POWERS = ["224.5", "233.1", "242.5", "252.6", "261.5", "270.2", "278.3", "285.9"]


def sure(column):
    return [{text: 0.95} if text else {} for text in column]


def table(speed=None, torque=None, power=None, **kinds):
    """The sheet with some cells read otherwise: {row: readings}."""
    columns = []
    for texts, other in ((SPEEDS, speed), (TORQUES, torque), (POWERS, power)):
        column = sure(texts)
        for row, readings in (other or {}).items():
            column[row] = readings
        columns.append(column)
    return cross_check(Columns(*columns, **kinds))


class Fits(SimpleTestCase):
    def test_a_sheet_that_fits_has_no_marks(self):
        rows = table()
        self.assertEqual([row["power"].text for row in rows], POWERS)
        self.assertEqual({cell.doubt for row in rows for cell in row.values()}, {None})

    def test_of_two_readings_the_one_that_fits_is_taken_though_it_was_less_often_read(self):
        rows = table(torque={2: {"396.0": 0.6, "398.0": 0.3}}, power={4: {"281.5": 0.7, "261.5": 0.2}})
        self.assertEqual((rows[2]["torque"].text, rows[2]["torque"].doubt), ("398.0", None))
        self.assertEqual((rows[4]["power"].text, rows[4]["power"].doubt), ("261.5", None))

    def test_a_point_that_was_not_seen_is_set_where_the_column_has_it(self):
        rows = table(torque={3: {"4020": 0.9}})
        self.assertEqual((rows[3]["torque"].text, rows[3]["torque"].doubt), ("402.0", None))

    def test_a_factor_that_a_printer_rounded_is_no_fault(self):
        """5250 in place of 5252 on every row: 0.04 %, more than the rounding of one figure."""
        powers = [f"{float(torque) * float(speed) / 5240:.1f}" for speed, torque in zip(SPEEDS, TORQUES, strict=True)]
        rows = cross_check(Columns(sure(SPEEDS), sure(TORQUES), sure(powers)))
        self.assertEqual({cell.doubt for row in rows for cell in row.values()}, {None})

    def test_metric_units(self):
        """Power = torque · rpm / 9549 in N·m and kW."""
        powers = [f"{float(torque) * float(speed) / 9549.3:.1f}" for speed, torque in zip(SPEEDS, TORQUES, strict=True)]
        rows = cross_check(Columns(sure(SPEEDS), sure(TORQUES), sure(powers), "N·m", "kW"))
        self.assertEqual({cell.doubt for row in rows for cell in row.values()}, {None})


class Marked(SimpleTestCase):
    def test_a_wrong_torque_is_marked_and_what_power_says_is_offered(self):
        rows = table(torque={4: {"494.0": 0.95}})
        self.assertEqual((rows[4]["torque"].text, rows[4]["torque"].doubt), ("494.0", Doubt.POWER))
        self.assertEqual((rows[4]["torque"].likely, rows[4]["power"].likely), ("404.0", ""))
        self.assertIsNone(rows[3]["torque"].doubt)

    def test_a_wrong_power_is_marked_and_what_torque_says_is_offered(self):
        rows = table(power={5: {"210.2": 0.95}})
        self.assertEqual((rows[5]["power"].doubt, rows[5]["power"].likely), (Doubt.POWER, "270.2"))

    def test_of_the_figures_that_rounding_allows_the_one_with_the_fewest_other_digits_is_offered(self):
        """181 and 180 lb-ft are both 123 hp at 3580 rpm; 120 was read."""
        torques = ["178", "179", "180", "180", "179"]
        speeds = range(3400, 3900, 100)
        powers = [f"{float(torque) * rpm / 5252:.0f}" for rpm, torque in zip(speeds, torques, strict=True)]
        read = sure(torques)
        read[2] = {"120": 0.9}
        rows = cross_check(Columns(sure([str(rpm) for rpm in speeds]), read, sure(powers)))
        self.assertEqual((rows[2]["torque"].doubt, rows[2]["torque"].likely), (Doubt.POWER, "180"))

    def test_a_speed_off_the_even_step_is_marked_and_does_not_mark_its_row(self):
        rows = table(speed={2: {"8200": 0.95}})
        self.assertEqual((rows[2]["speed"].doubt, rows[2]["speed"].likely), (Doubt.STEP, "3200"))
        self.assertIsNone(rows[2]["torque"].doubt)

    def test_below_a_line_that_was_not_seen_the_steps_go_on_and_the_jump_is_marked(self):
        keep = [0, 1, 2, 4, 5, 6, 7]  # the line of 3300 is missing
        columns = [sure([texts[row] for row in keep]) for texts in (SPEEDS, TORQUES, POWERS)]
        rows = cross_check(Columns(*columns))
        self.assertEqual([row["speed"].doubt for row in rows], [None, None, None, Doubt.STEP, None, None, None])
        self.assertEqual([row["speed"].likely for row in rows], [""] * 7)

    def test_a_table_that_begins_between_its_steps(self):
        """From 2400 rpm by 250: no speed is a multiple of the step."""
        speeds = [str(2400 + 250 * row) for row in range(8)]
        powers = [f"{float(torque) * float(rpm) / 5252.11:.1f}" for rpm, torque in zip(speeds, TORQUES, strict=True)]
        read = sure(speeds)
        read[6] = {"900": 0.9}
        rows = cross_check(Columns(read, sure(TORQUES), sure(powers)))
        self.assertEqual((rows[6]["speed"].doubt, rows[6]["speed"].likely), (Doubt.STEP, "3900"))
        self.assertEqual({row["torque"].doubt for row in rows}, {None})

    def test_two_speeds_that_lost_the_same_digit_are_no_missing_lines(self):
        rows = table(speed={0: {"300": 0.9}, 1: {"400": 0.9}})
        self.assertEqual([row["speed"].likely for row in rows][:3], ["3000", "3100", ""])
        self.assertEqual([row["speed"].doubt for row in rows][:3], [Doubt.STEP, Doubt.STEP, None])

    def test_speeds_that_fall_step_evenly_as_well(self):
        columns = [sure(texts[::-1]) for texts in (SPEEDS, TORQUES, POWERS)]
        columns[0][3] = {"8400": 0.9}
        rows = cross_check(Columns(*columns))
        self.assertEqual((rows[3]["speed"].doubt, rows[3]["speed"].likely), (Doubt.STEP, "3400"))
        self.assertEqual({row["speed"].doubt for row in rows}, {None, Doubt.STEP})

    def test_nothing_read_is_said(self):
        rows = table(power={1: {}})
        self.assertEqual((rows[1]["power"].text, rows[1]["power"].doubt), ("", Doubt.NOTHING))
        self.assertEqual(rows[1]["power"].likely, "233.1")

    def test_a_last_digit_that_rounding_hides_shows_on_the_curve(self):
        """At 2700 rpm 178 and 176 lb-ft are both within rounding of 91 hp."""
        speeds = [str(rpm) for rpm in range(2300, 3200, 100)]
        torques = ["169", "172", "175", "177", "178", "179", "180", "180", "180"]
        powers = [f"{float(torque) * float(rpm) / 5252:.0f}" for rpm, torque in zip(speeds, torques, strict=True)]
        read = sure(torques)
        read[4] = {"176": 0.95}
        powers[4] = "91"
        rows = cross_check(Columns(sure(speeds), read, sure(powers)))
        self.assertEqual([at for at, row in enumerate(rows) if row["torque"].doubt], [4])
        self.assertEqual(rows[4]["torque"].doubt, Doubt.CURVE)

    def test_two_readings_that_both_fit_are_a_doubt(self):
        torques = [text.split(".")[0] for text in TORQUES]
        read = sure(torques)
        read[3] = {"402": 0.5, "401": 0.45}
        powers = [text.split(".")[0] for text in POWERS]
        rows = cross_check(Columns(sure(SPEEDS), read, sure(powers)))
        self.assertEqual((rows[3]["torque"].doubt, rows[3]["torque"].likely), (Doubt.READINGS, "401"))


class Alone(SimpleTestCase):
    def test_a_line_that_runs_out_to_nothing_expects_nothing(self):
        """20 and 10 lb-ft before the last row make 0 there: no share of it can be taken."""
        torques, speeds = ["40.0", "30.0", "20.0", "10.0", "9.0"], ["3000", "3100", "3200", "3300", "3400"]
        powers = [f"{float(torque) * float(rpm) / 5252.11:.1f}" for rpm, torque in zip(speeds, torques, strict=True)]
        rows = cross_check(Columns(sure(speeds), sure(torques), None))
        self.assertEqual(rows[-1]["torque"].text, "9.0")
        rows = cross_check(Columns(sure(speeds), sure(torques), sure(powers)))
        self.assertEqual((rows[-1]["torque"].text, rows[-1]["power"].text), ("9.0", powers[-1]))

    def test_one_column_is_checked_by_its_curve_and_by_how_it_was_read(self):
        column = sure(TORQUES)
        column[3] = {"902.0": 0.9, "402.0": 0.1}
        column[6] = {"406.0": 0.4}
        rows = cross_check(Columns(sure(SPEEDS), column, None))
        self.assertEqual((rows[3]["torque"].doubt, rows[3]["torque"].likely), (Doubt.CURVE, "402.0"))
        self.assertEqual(rows[6]["torque"].doubt, Doubt.READINGS)
        self.assertIsNone(rows[1]["torque"].doubt)
        self.assertNotIn("power", rows[0])

    def test_nothing_to_check_is_refused(self):
        with self.assertRaisesRegex(ValueError, "neither torque nor power"):
            cross_check(Columns(sure(SPEEDS), None, None))


class LookAlikes(SimpleTestCase):
    """Whole numbers: at 2700 rpm 176 and 178 lb-ft both are 91 hp within the rounding of the two."""

    TORQUES = (160, 164, 167, 169, 172, 175, 177, 178, 179, 180, 180, 180, 179, 179, 177, 176, 173, 172, 169, 166, 162)

    def rows(self, torques):
        speeds = [2000 + 100 * row for row in range(len(torques))]
        powers = [f"{torque * rpm / 5252:.0f}" for torque, rpm in zip(self.TORQUES, speeds, strict=True)]
        powers[7] = "91"  # 177.6 lb-ft before it was rounded
        return cross_check(Columns(sure(map(str, speeds)), sure(map(str, torques)), sure(powers)))

    def test_a_digit_that_was_taken_for_another_that_looks_like_it_shows_on_the_curve(self):
        read = self.rows([*self.TORQUES[:7], 176, *self.TORQUES[8:]])
        self.assertEqual((read[7]["torque"].doubt, read[7]["torque"].likely), (Doubt.CURVE, "178"))
        self.assertEqual([row for row, cells in enumerate(read) if cells["torque"].doubt], [7])

    def test_what_was_printed_so_is_left_in_peace(self):
        self.assertIsNone(self.rows(self.TORQUES)[7]["torque"].doubt)
