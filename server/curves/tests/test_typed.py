"""Figures by hand: understood as they are written, checked, kept with their resolution."""

from typing import Any

import scenes
from django.test import TestCase
from torvix_core.air.standards import Standard

from curves.intake.filing import FilingPlace
from curves.manual_entry import service as manual_entry
from curves.reduction import correct
from programmes.models import Programme
from shop.models import Person, Role
from shop.refusals import Invalid, NotAllowed, Refusal
from stand.models import Pull, PullOrigin
from stand.pulls.samples import read_raw

SHEET = "rpm torque power\n3000 393 224.5\n3100 395 233.1\n3200 400 243.7\n3300 402 252.6\n3400 404 261.5\n"
WHERE = FilingPlace(scenes.DAY.date(), figures_standard="observed", keep=True)


class Understood(TestCase):
    def test_with_heads_without_and_with_decimal_commas(self):
        for text in (
            SHEET,
            SHEET.split("\n", 1)[1],
            SHEET.replace(".", ",").replace(" ", ";"),
            SHEET.replace(" ", "\t"),
            SHEET.replace(".", ",").split("\n", 1)[1],
        ):
            figures = manual_entry.read(text, "lb-ft", "hp")
            self.assertEqual(figures.columns["rpm"].tolist(), [3000, 3100, 3200, 3300, 3400])
            self.assertEqual(figures.columns["power"].tolist()[-1], 261.5)
            self.assertEqual((figures.steps["torque"], figures.steps["power"]), (1.0, 0.1))
            self.assertEqual(manual_entry.check(figures, manual_entry.QuotedFigures()), [])

    def test_units_in_the_heads_and_power_alone(self):
        figures = manual_entry.read("power kW;rpm\n100;3000\n105;3100\n110;3200", "lb-ft", "hp")
        self.assertEqual(figures.units["power"], "kW")
        self.assertNotIn("torque", figures.columns)

    def test_what_is_no_number_is_told_with_its_line(self):
        wrong = (("3000 39x 224", "line 1, torque: '39x'"), ("", "one row for each"), ("3000\n3100", "add torque"))
        for text, words in wrong:
            with self.assertRaises(Invalid) as caught:
                manual_entry.read(text, "lb-ft", "hp")
            self.assertIn(words, caught.exception.fields["text"])

    def test_a_unit_that_is_none_of_its_column_is_refused_where_it_stands(self):
        for text, torque_unit, power_unit, field, words in (
            (SHEET, "x", "hp", "torque_unit", "torque cannot be in 'x'"),
            (SHEET, "lb-ft", "N·m", "power_unit", "power cannot be in 'N·m'"),
            ("rpm;torque (kgm)\n3000;393\n3100;395", "lb-ft", "hp", "text", "torque cannot be in 'kgm'"),
            ("speed krpm;torque\n3.0;393\n3.1;395", "lb-ft", "hp", "text", "rpm cannot be in 'krpm'"),
            ("rpm;torque kNm\n3000;0.393\n3100;0.395", "lb-ft", "hp", "text", "torque cannot be in 'kNm'"),
        ):
            with self.subTest(words=words), self.assertRaises(Invalid) as caught:
                manual_entry.read(text, torque_unit, power_unit)
            self.assertIn(words, caught.exception.fields[field])

    def test_a_unit_spelled_out_is_read(self):
        figures = manual_entry.read("speed (rev/min);torque (foot pounds)\n3000;393\n3100;395", "N·m", "kW")
        self.assertEqual(figures.units["torque"], "lb-ft")
        self.assertAlmostEqual(figures.si("torque")[0], 532.84, places=2)  # 393 · 1.3558179

    def test_no_speed_and_no_size_of_an_engine_are_refused_with_their_line(self):
        for text, words in (
            ("rpm power\n0 224\n3000 226", "line 2, rpm: '0'"),
            ("rpm power\n3000 224\n-3100 226", "line 3, rpm: '-3100'"),
            ("3000 393\n3100 1e999", "line 2, torque: '1e999'"),
            ("3000 393\n3100 1e308", "line 2, torque: '1e308'"),
        ):
            with self.subTest(words=words), self.assertRaises(Invalid) as caught:
                manual_entry.read(text, "lb-ft", "hp")
            self.assertIn(words, caught.exception.fields["text"])

    def test_what_does_not_fit_is_said_in_words(self):
        figures = manual_entry.read(SHEET.replace("243.7", "263.7"), "lb-ft", "hp")
        told = manual_entry.QuotedFigures(torque=431, torque_rpm=3400, gain=20, gain_before=393, gain_after=404)
        self.assertEqual(manual_entry.check(figures, told), [
            "Line 4: 400.0 lb-ft at 3200 rpm is 243.7 hp; the table says 263.7 hp.",
            "The quoted peak torque of 431.0 lb-ft is not in the table, which has 404.0 lb-ft.",
            "The quoted gain of 20 is not the difference of the quoted figures, 404 less 393, which is 11.",
        ])  # fmt: skip


class Kept(TestCase):
    operator: Person
    programme: Programme
    setup: Any

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.setup = cls.programme.setups.first()

    def write(self, text: str = SHEET, where: FilingPlace = WHERE, **how) -> Pull:
        written = manual_entry.Written(
            manual_entry.read(text, "lb-ft", "hp"), source=how.pop("source", "Printed sheet, page 2"), **how
        )
        manual_entry.write(how.get("person", self.operator), self.programme, self.setup, written, where, scenes.DAY)
        return correct.pulls_of(self.programme)[-1]

    def test_a_table_is_a_pull_with_its_origin_resolution_and_the_figures_as_written(self):
        pull = self.write()
        self.assertEqual(
            (pull.origin, pull.source, pull.standing), (PullOrigin.TYPED, "Printed sheet, page 2", "accepted")
        )
        self.assertAlmostEqual(pull.torque_step, 1.35582, places=4)  # one lb-ft
        self.assertEqual(read_raw(pull)["torque"][0], "lb-ft")
        self.assertEqual(read_raw(pull)["torque"][1].tolist(), [393, 395, 400, 402, 404])
        found = correct.corrected(pull, Standard.OBSERVED)
        self.assertAlmostEqual(found.torque[0] / 1.3558179, 393.0, places=4)

    def test_what_does_not_fit_is_kept_only_when_somebody_says_so_be_it(self):
        wrong = SHEET.replace("243.7", "263.7")
        with self.assertRaises(Refusal) as caught:
            self.write(wrong)
        self.assertEqual(caught.exception.code, "does_not_fit")
        self.assertEqual(self.write(wrong, confirmed=True).number, 1)

    def test_the_same_figures_are_not_kept_twice(self):
        self.write()
        with self.assertRaisesMessage(Refusal, "kept already, as pull 1"):
            self.write()

    def test_origin_and_standard_must_be_said_and_a_viewer_writes_nothing(self):
        with self.assertRaises(Invalid) as caught:
            self.write(where=FilingPlace(scenes.DAY.date()), source="")
        self.assertEqual(set(caught.exception.fields), {"source", "figures_standard"})
        written = manual_entry.Written(manual_entry.read(SHEET, "lb-ft", "hp"), source="x")
        with self.assertRaises(NotAllowed):
            manual_entry.write(scenes.person(Role.VIEWER), self.programme, self.setup, written, WHERE, scenes.DAY)

    def test_nobody_knows_the_standard_so_no_standard_is_offered(self):
        pull = self.write(where=FilingPlace(scenes.DAY.date(), figures_standard="unknown"))
        for standard in (Standard.OBSERVED, Standard.ISO_1585_SI):
            with self.assertRaisesMessage(correct.NoAir, "nobody says whether they are corrected"):
                correct.corrected(pull, standard)

    def test_figures_corrected_to_one_standard_go_to_another_by_their_air(self):
        """98.205 kPa, 29.44 °C, 50 %: J607 1.0789 and ISO 1585 1.0449 (domain.md 4, worked from the formulas)."""
        where = FilingPlace(scenes.DAY.date(), figures_standard="sae_j607", barometer=98_205.0, air_temperature=302.59,
                      relative_humidity=0.5)  # fmt: skip
        pull = self.write(where=where)
        self.assertAlmostEqual(correct.correction_of(pull, Standard.ISO_1585_SI)[0], 1.0449 / 1.0789, places=4)
        self.assertAlmostEqual(correct.correction_of(pull, Standard.OBSERVED)[0], 1 / 1.0789, places=4)
