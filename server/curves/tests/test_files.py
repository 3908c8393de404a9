"""Readers against files that were written by other means, and against files that are wrong in every way."""

import io
import zipfile
from typing import Any

import numpy as np
import openpyxl
import pandas as pd
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose, assert_array_equal

from curves.files import mapping, write
from curves.files import text as reader
from curves.files.known_heads import KnownHeads
from curves.files.read import read_table
from curves.files.table import FileProblem

TIME = np.arange(0, 2, 0.01)
COLUMNS = {"Time": ("s", TIME), "Engine speed": ("rpm", 2000 + 400 * TIME), "Torque": ("Nm", 300 + 10 * np.sin(TIME)),
           "Lambda": ("", 0.87 + 0 * TIME), "Oil temp": ("°C", 90 + TIME)}  # fmt: skip


HEAD = b"time,rpm,torque\n0,2000,300\n1,2001,300\n2,2002,301\n"


def text(separator: str = ",", decimal: str = ".", units: str = "brackets", preamble: str = "", end: str = "\n") -> str:
    """A table as programs write it; the digits are those of Python's own repr."""
    names = list(COLUMNS)
    heads = [f"{name} [{COLUMNS[name][0]}]" if units == "brackets" and COLUMNS[name][0] else name for name in names]
    lines = [separator.join(heads)]
    if units == "row":
        lines.append(separator.join(COLUMNS[name][0] or "-" for name in names))
    for row in zip(*(values for _, values in COLUMNS.values()), strict=True):
        lines.append(separator.join(repr(float(value)).replace(".", decimal) for value in row))
    return preamble + end.join(lines) + end


def problem(content: bytes) -> str:
    try:
        table = read_table(content)
    except FileProblem as found:
        return str(found)
    raise AssertionError(f"it was read, with {table.rows} rows")


class Text(SimpleTestCase):
    def test_every_dialect_gives_the_same_numbers(self):
        dialects = {
            "comma": text(), "semicolon and decimal comma": text(";", ","), "tab": text("\t"), "bar": text("|"),
            "units in a row": text(";", ",", "row"), "preamble": text(preamble="Report of the day\nEngine; six; x\n\n"),
            "carriage returns": text(end="\r\n"), "old machines": text(end="\r"),
            "a form feed": text(preamble="Page\x0c one\n"),
        }  # fmt: skip
        encodings = {"utf-16": text().encode("utf-16"), "utf-8 with mark": text().encode("utf-8-sig"),
                     "western code page": text(";", ",").encode("cp1252")}  # fmt: skip
        for name, content in {**{key: told.encode() for key, told in dialects.items()}, **encodings}.items():
            with self.subTest(name):
                table = read_table(content)
                for column, (_, values) in zip(table.columns, COLUMNS.values(), strict=True):
                    assert_array_equal(column.values, values)
                guessed = [(one.channel, one.unit) for one in mapping.guess(table).mapped]
                self.assertEqual(guessed[:4], [("time", "s"), ("rpm", "rpm"), ("torque", "N·m"), ("lambda", "lambda")])

    def test_under_heads_that_are_known_a_table_reads_as_if_they_were_not(self):
        """Whatever was read before: what differs is found, and said in the same words."""
        plain, heads = text(";"), text(";").split("\n")[0]
        rows = plain.splitlines()[1:]
        empty = [";".join([*row.split(";")[:3], "", *row.split(";")[4:]]) for row in rows]
        variants = {
            "the same": rows, "decimal commas": [row.replace(".", ",") for row in rows], "a channel dropped out": empty,
            "cut off": [*rows[:50], "0.5;21"], "a word": [*rows[:50], "0.5;2200;off;0.8;90", *rows[51:]],
            "a line of units": ["s;rpm;Nm;-;C", *rows], "a clock": [f"10:00:{int(row[0])}0.5{row[3:]}" for row in rows],
            "no rows": [],
        }  # fmt: skip
        for name, body in variants.items():
            content = "\n".join([heads, *body, ""]).encode()
            answers: list[Any] = []
            for known in (False, True):
                reader.KNOWN = KnownHeads()
                if known:
                    read_table(plain.encode())
                    self.assertIsNotNone(reader.KNOWN.find(plain.splitlines()))
                try:
                    table = read_table(content)
                    columns = [(one.name, one.unit, one.values.tobytes()) for one in table.columns]
                    answers.append((columns, list(table.notes), table.first_line))
                except FileProblem as found:
                    answers.append(str(found))
            with self.subTest(name):
                self.assertEqual(*answers)

    def test_the_mixture_of_each_bank_is_known_by_its_side(self):
        for left, right in (("Lambda left", "Lambda right"), ("AFR L", "AFR R"), ("lambda_left", "lambda_right"),
                            ("O2 bank 1", "O2 bank 2")):  # fmt: skip
            with self.subTest(left):
                rows = "".join(f"{2000 + 50 * at},{300 + at},0.8{at % 10},0.9{at % 10}\n" for at in range(20))
                found = mapping.guess(read_table(f"rpm,torque,{left},{right}\n{rows}".encode())).mapped
                self.assertEqual([(one.channel, one.unit) for one in found[2:]],
                                 [("lambda_left", "lambda"), ("lambda_right", "lambda")])  # fmt: skip

    def test_agrees_with_pandas_to_the_last_digit(self):
        """pandas 3.1.1, round-trip parser, is the reference."""
        content = text().encode()
        reference = pd.read_csv(io.BytesIO(content))
        for column, name in zip(read_table(content).columns, reference.columns, strict=True):
            assert_array_equal(column.values, reference[name].to_numpy())

    def test_blanks_clock_times_empty_cells_and_text_columns(self):
        rows = "".join(f"0:00:{at:05.2f}  {2000 + 40 * at:.1f}  {300 + at:.1f}\n" for at in range(20))
        table = read_table(("clock  rpm  torque\n" + rows).encode())
        assert_allclose(table.columns[0].values, np.arange(20.0))
        table = read_table(b"time,rpm,torque,who\n0,2000,300,M\n0.1,2040,,M\n0.2,2080,301,M\n0.3,2120,302,M\n")
        self.assertTrue(np.isnan(table.columns[2].values[1]))
        self.assertEqual([column.name for column in table.columns], ["time", "rpm", "torque"])
        self.assertIn("who", table.notes[0])
        late = "".join(f"{at},{2000 + at},{'' if at < 300 else at}\n" for at in range(400))
        values = read_table(f"time,rpm,torque\n{late}".encode()).columns[2].values
        self.assertEqual((int(np.isnan(values).sum()), values[-1]), (300, 399.0))

    def test_what_is_wrong_is_told_with_line_and_column(self):
        good = "time,rpm,torque\n" + "".join(f"{at},{2000 + at},{300}\n" for at in range(50))
        for bad, words in (
            (good + "50,2050,30o\n", "line 52, column torque: '30o' is no number"),
            (good + "50,2050\n", "line 52: it has 2 cells where the rows before have 3"),
            ("", "it is empty"),
            ("hello\nworld\n", "table"),
            (good.encode() + b"\0\0", ""),
        ):
            content = bad if isinstance(bad, bytes) else bad.encode()
            with self.subTest(words or "zero bytes"):
                self.assertIn(words, problem(content))

    @settings(max_examples=150, deadline=None)
    @given(st.binary(max_size=400) | st.text(max_size=400).map(str.encode))
    def test_no_bytes_do_anything_but_read_or_be_refused(self, content: bytes):
        for start in (
            b"",
            b"time,rpm,torque\n0,2000,300\n1,2001,300\n2,2002,301\n",
            b"PAR1",
            b"PK\x03\x04",
            b"MDF     4.10 ",
        ):
            try:
                table = read_table(start + content)
            except FileProblem:
                continue
            self.assertGreater(table.rows, 0)
            mapping.guess(table)

    @settings(max_examples=60, deadline=None)
    @given(st.integers(1, 4000))
    def test_a_file_cut_off_anywhere_is_read_up_to_a_row_or_refused(self, end: int):
        content = text(";", ",").encode()[:end]
        try:
            table = read_table(content)
        except FileProblem:
            return
        rows = table.rows
        # The last row may have lost digits; every one before it is whole.
        assert_array_equal(table.columns[1].values[: rows - 1], COLUMNS["Engine speed"][1][: rows - 1])


class Written(SimpleTestCase):
    RAW = {"time": ("s", TIME), "rpm": ("rpm", 2000 + 400 * TIME / 3), "torque": ("lb-ft", np.sin(TIME) * 100 + 200),
           "lambda": ("lambda", np.where(TIME < 0.5, np.nan, 0.87))}  # fmt: skip

    def test_raw_samples_come_back_bit_for_bit_from_every_kind_of_file(self):
        files = {"csv": write.csv_bytes(self.RAW), "mdf": write.mdf_bytes(self.RAW, "a pull"),
                 "parquet": write.parquet_bytes(self.RAW, "measured")}  # fmt: skip
        for kind, content in files.items():
            with self.subTest(kind):
                table = read_table(content)
                heads = [(name, unit) for name, (unit, _) in self.RAW.items()]
                self.assertEqual([(one.name, one.unit) for one in table.columns], heads)
                for column, (_, values) in zip(table.columns, self.RAW.values(), strict=True):
                    assert_array_equal(column.values, values)

    def test_other_programs_read_them(self):
        """pandas and pyarrow read CSV and Parquet, asammdf the MDF file, openpyxl the workbook."""
        from asammdf import MDF
        from pyarrow import parquet

        frame = pd.read_parquet(io.BytesIO(write.parquet_bytes(self.RAW, "measured")))
        assert_array_equal(frame["torque"], self.RAW["torque"][1])
        schema = parquet.read_schema(io.BytesIO(write.parquet_bytes(self.RAW, "simulated")))
        self.assertEqual(schema.metadata[b"nature"], b"simulated")
        frame = pd.read_csv(io.BytesIO(write.csv_bytes(self.RAW)))
        assert_array_equal(frame["torque [lb-ft]"], self.RAW["torque"][1])
        with MDF(io.BytesIO(write.mdf_bytes(self.RAW, "a pull"))) as mdf:
            assert_array_equal(mdf.get("torque").samples, self.RAW["torque"][1])
            self.assertEqual(mdf.get("torque").unit, "lb-ft")

    def test_no_text_becomes_a_formula_in_a_spreadsheet(self):
        sheet = write.TableSheet("Curves", ["=HYPERLINK(1)"], ["rpm", "@cmd"], [[3000.0, "=1+1"], [3100.0, None]])
        self.assertIn(b"'@cmd", write.sheet_csv(sheet))
        book = openpyxl.load_workbook(io.BytesIO(write.sheet_xlsx(sheet)))
        self.assertEqual([cell.value for cell in book.active[2]], [3000.0, "'=1+1"])
        self.assertEqual(book["About"]["A1"].value, "'=HYPERLINK(1)")


class Workbook(SimpleTestCase):
    def book(self, rows: list[list[Any]]) -> bytes:
        book = openpyxl.Workbook()
        for row in rows:
            book.active.append(row)
        out = io.BytesIO()
        book.save(out)
        return out.getvalue()

    def test_a_sheet_with_a_title_and_a_row_of_units(self):
        rows = [
            ["Spring"],
            [],
            ["Speed", "Torque", "By"],
            ["rpm", "Nm", None],
            *[[3000 + 100 * at, 300 + at, "M"] for at in range(9)],
        ]
        table = read_table(self.book(rows))  # type: ignore[arg-type]
        self.assertEqual([(column.name, column.unit) for column in table.columns], [("Speed", "rpm"), ("Torque", "Nm")])
        self.assertTrue(mapping.guess(table).is_table)

    def test_a_formula_and_a_word_among_numbers_are_told_by_their_cell(self):
        rows: list[list[Any]] = [["rpm", "torque"], *[[3000 + 100 * at, 300] for at in range(9)]]
        self.assertIn(
            "line 11, column B (torque): the cell holds a formula", problem(self.book([*rows, [3900, "=B2*2"]]))
        )
        self.assertIn(
            "line 11, column B (torque): 'about 300' is no number", problem(self.book([*rows, [3900, "about 300"]]))
        )

    def test_a_bomb_and_an_entity_are_not_unpacked(self):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("xl/worksheets/sheet1.xml", b"0" * 40_000_000)
        self.assertIn("may be made to fill the memory", problem(out.getvalue()))
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            archive.writestr("xl/workbook.xml", b'<!DOCTYPE x [<!ENTITY a "b">]><x>&a;</x>')
        self.assertIn("entities", problem(out.getvalue()))
        whole = self.book([["rpm", "torque"], *[[3000 + 100 * at, 300] for at in range(9)]])
        self.assertIn("damaged or cut off", problem(whole[: len(whole) // 2]))


class Mapping(SimpleTestCase):
    def table(self, content: str):
        return read_table(content.encode())

    def test_units_alone_heads_alone_and_mixture_by_mass(self):
        table = self.table(
            "a (rpm),b (hp),AFR,oil\n" + "".join(f"{3000 + 100 * at},{200 + at},12.6,190\n" for at in range(9))
        )
        guess = mapping.guess(table)
        self.assertEqual([(one.channel, one.unit) for one in guess.mapped],
                         [("rpm", "rpm"), ("power", "hp"), ("lambda", "afr"), ("oil_temperature", "")])  # fmt: skip
        self.assertEqual(guess.doubts, ["The unit of 'oil' is not given."])
        found = mapping.apply(table, guess.mapped[:3], True, None, 14.7)
        assert_allclose(found.values["lambda"][1], 12.6 / 14.7)

    def test_what_stands_in_the_way_is_said(self):
        table = self.table("rpm,torque\n3000,300\n3100,301\n3200,302\n")
        both = [mapping.Mapped("rpm", "rpm", "rpm"), mapping.Mapped("torque", "rpm", "N·m")]
        problems = mapping.checked(both, table, False, None)
        told = " ".join(problems)
        for words in ("more than one column", "torque or power", "samples per second", "cannot be in N·m"):
            self.assertIn(words, told)

    def test_values_that_cannot_be_what_they_are_said_to_be_are_refused(self):
        table = self.table("time,rpm,torque\n" + "".join(f"{at / 10},{200 + at},{3000 + at}\n" for at in range(30)))
        swapped = [
            mapping.Mapped("time", "time", "s"),
            mapping.Mapped("torque", "rpm", "rpm"),
            mapping.Mapped("rpm", "torque", "kNm"),
        ]
        with self.assertRaisesMessage(FileProblem, "cannot be torque. Is it another column, or another unit?"):
            mapping.apply(table, swapped, False, None, 14.7)

    def test_torque_from_power_where_only_power_was_recorded(self):
        """P = T·ω [phys]: 100 N·m at 3000 rpm are 31.416 kW."""
        table = self.table("time,rpm,power kW\n" + "".join(f"{at / 10},3000,31.41593\n" for at in range(30)))
        found = mapping.apply(table, mapping.guess(table).mapped, False, None, 14.7)
        assert_allclose(found.values["torque"][1], 100.0, rtol=1e-6)
