"""Files that a careful person reads: each was refused or misread, and holds the numbers that stand here."""

import io

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from openpyxl import Workbook
from torvix_core.units.checked import Array

from curves.files import mapping, segments
from curves.files.read import read_table
from curves.files.table import FileProblem, FileTable

ROWS = [(0.02 * at, 2400 + 35 * at, 300 + 0.25 * at) for at in range(60)]


def table_of(lines: list[str]) -> FileTable:
    return read_table(("\n".join(lines) + "\n").encode())


def rows(form: str = "{:.2f};{:.0f};{:.2f}") -> list[str]:
    return [form.format(*row) for row in ROWS]


class Read(SimpleTestCase):
    def holds(self, table: FileTable, speed: float = 1.0) -> None:
        guess = mapping.guess(table)
        columns = {one.channel: column.values for one, column in zip(guess.mapped, table.columns, strict=True)}
        assert_allclose(columns["rpm"] * speed, [row[1] for row in ROWS])
        assert_allclose(columns["torque"], [row[2] for row in ROWS])

    def test_marks_for_thousands(self):
        for form, head in (
            ("{:.2f};{:,.1f};{:.2f}", "s;rpm;torque [Nm]"),
            ("{:.2f}\t{:,.0f}\t{:.2f}", "s\trpm\ttorque [Nm]"),
        ):
            with self.subTest(form=form):
                self.holds(table_of([head, *rows(form)]))
        european = [
            line.replace(",", "x").replace(".", ",").replace("x", ".") for line in rows("{:.2f};{:,.1f};{:.2f}")
        ]
        self.holds(table_of(["t [s];n [rpm];M [Nm]", *european]))
        self.holds(table_of(["t [s],n [rpm],M [Nm]", *rows('{:.2f},"{:,.1f}",{:.2f}')]))

    def test_page_heads_that_come_again_and_a_summary_at_the_end(self):
        head = "time [s];rpm;torque [Nm]"
        lines = [head, *rows()]
        lines[31:31] = ["Page 2", "", head]
        lines += ["", "Maximum;4465;314.75", "Average;3432;307.4", "End of report"]
        table = table_of(lines)
        self.holds(table)
        self.assertIn("3 lines at the end left out: a summary, no samples.", table.notes)
        self.assertIn("2 lines that are no row of the table", " ".join(table.notes))

    def test_dashes_for_what_is_missing(self):
        lines = rows()
        lines[5] = "0.10;–;—"
        table = table_of(["time [s];rpm;torque [Nm]", *lines])
        self.assertTrue(np.isnan(table.columns[1].values[5]))

    def test_heads_over_two_lines_in_quotes_and_units_in_words(self):
        self.holds(table_of(['"Time\n(s)";"Engine speed\n(rpm)";"Torque\n(Nm)"', *rows()]))
        self.holds(table_of(["Elapsed;Engine;Brake", "time;speed;torque", "s;rpm;Nm", *rows()]))
        table = table_of(["Time in seconds;Engine speed in revolutions per minute;Torque in newton metres", *rows()])
        self.holds(table)
        self.assertEqual([one.unit for one in mapping.guess(table).mapped][2], "newton metres")

    def test_a_line_above_the_table_gives_the_unit(self):
        table = table_of(["Torque unit: Nm", "Operator: somebody", "time;rpm;torque", *rows()])
        self.holds(table)
        self.assertEqual(mapping.guess(table).mapped[2].unit, "N·m")

    def test_speed_in_thousands(self):
        lines = [f"{time:.2f};{speed / 1000:.3f};{torque:.2f}" for time, speed, torque in ROWS]
        table = table_of(["time [s];rpm x1000;torque [Nm]", *lines])
        self.holds(table, 1000.0)
        self.assertEqual(mapping.guess(table).mapped[1].unit, "krpm")

    def test_numbers_kept_as_text_in_a_workbook(self):
        book, out = Workbook(), io.BytesIO()
        book.active.append(["time [s]", "rpm", "torque [Nm]"])
        for time, speed, torque in ROWS:
            book.active.append([time, f"{speed:,.0f}", f"{torque:.2f}"])
        book.save(out)
        self.holds(read_table(out.getvalue()))

    def test_heads_of_the_trade_with_their_units(self):
        for head, channel, unit in (
            ("inlet_temp_c", "inlet_temperature", "°C"), ("oil_temp_f", "oil_temperature", "°F"),
            ("fuel_lb_hr", "fuel_flow", "lb/h"), ("airflow_cfm", "air_volume_flow", "CFM"),
            ("T_Oel [C]", "oil_temperature", "°C"), ("p_amb [mbar]", "barometer", "mbar"),
            ("Air T (F)", "air_temperature", "°F"), ("phi [%]", "relative_humidity", "%"),
        ):  # fmt: skip
            lines = [f"{time:.2f};{speed};{torque};{50 + at % 7}" for at, (time, speed, torque) in enumerate(ROWS)]
            found = mapping.guess(table_of([f"time [s];rpm;torque [Nm];{head}", *lines])).mapped[3]
            with self.subTest(head=head):
                self.assertEqual((found.channel, found.unit), (channel, unit))

    def test_a_word_among_the_numbers_is_still_refused_with_its_place(self):
        lines = rows()
        lines[7] = "0.14;abc;301.75"
        with self.assertRaisesMessage(FileProblem, "line 9, column rpm: 'abc' is no number"):
            table_of(["time [s];rpm;torque [Nm]", *lines])


class Runs(SimpleTestCase):
    def sweep(self) -> tuple[Array, Array]:
        speed = np.concatenate([np.full(20, 2400.0), np.linspace(2400, 6500, 200), np.linspace(6500, 2500, 30)])
        return np.linspace(0, 0.05 * (len(speed) - 1), len(speed)), speed + np.random.default_rng(1).normal(
            0, 10, len(speed)
        )

    def test_one_sweep_is_one_run(self):
        self.assertEqual(len(segments.runs_of(*self.sweep())), 1)
        self.assertEqual(len(segments.runs_of(None, np.full(300, 3500.0))), 1)

    def test_time_that_begins_anew_and_a_second_sweep_are_two(self):
        time, speed = self.sweep()
        again = segments.runs_of(np.tile(time, 2), np.tile(speed, 2))
        self.assertEqual(again, [(0, 250), (250, 500)])
        on = segments.runs_of(np.arange(500.0) * 0.05, np.tile(speed, 2))
        self.assertEqual(len(on), 2)
        self.assertAlmostEqual(on[1][0], 250, delta=25)
