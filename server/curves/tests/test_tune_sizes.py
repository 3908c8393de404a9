"""The shop's tables from a stamped number to a size: typed, refused by line, used where they are whole."""

import math

import scenes
from django.test import TestCase

from curves.mixture import jet_cases
from programmes.models import TuneSize
from programmes.settings import tune_sizes
from programmes.settings.tune_words import tune_words
from shop.models import Person, Role
from shop.refusals import Invalid, NotAllowed


class Words(TestCase):
    def test_a_number_is_said_with_its_size_where_the_shop_has_one(self):
        person = scenes.person(Role.OPERATOR)
        tune_sizes.write(person, "main_jet", "72 1.83 mm\n80 2.03 mm")
        settings = {"setting:main_jet_primary": "72", "setting:main_jet_secondary": "80",
                    "setting:rod_hanger_primary": "55", "setting:idle_screws": "1.5"}  # fmt: skip
        with self.assertNumQueries(1):
            sizes = tune_sizes.tables({"length": "mm"})
        self.assertEqual(
            tune_words(settings, sizes),
            ["Main jet 72 (1.83 mm) primary and 80 (2.03 mm) secondary", "Rod hanger 55 primary",
             "Idle mixture screws 1.5"],
        )  # fmt: skip
        inches = tune_sizes.tables({"length": "in"})
        self.assertEqual(inches.size_of("main_jet", "72"), "0.0720 in")
        for text in ("PV 6.5", "73", ""):
            self.assertEqual(inches.size_of("main_jet", text), "")


class Tables(TestCase):
    person: Person

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.person.units |= {"length": "mm"}
        cls.person.save()

    def test_a_row_is_a_number_and_a_diameter_or_an_area(self):
        tune_sizes.write(self.person, "main_jet", "72 1.83 mm\n\n73;0.073 in\n74\t2.80 mm²\n75 1.93")
        found = tune_sizes.areas("main_jet")
        self.assertAlmostEqual(found[72.0] * 1e6, math.pi / 4 * 1.83**2)
        self.assertAlmostEqual(found[73.0] * 1e6, math.pi / 4 * (0.073 * 25.4) ** 2)
        self.assertAlmostEqual(found[74.0] * 1e6, 2.80)
        self.assertAlmostEqual(found[75.0] * 1e6, math.pi / 4 * 1.93**2)
        again = tune_sizes.text_of("main_jet", "mm")
        self.assertEqual(again.splitlines()[0], "72 1.830 mm")
        tune_sizes.write(self.person, "main_jet", again)
        self.assertAlmostEqual(tune_sizes.areas("main_jet")[74.0] * 1e6, 2.80, places=2)
        tune_sizes.write(self.person, "main_jet", "")
        self.assertEqual(tune_sizes.areas("main_jet"), {})

    def test_what_cannot_be_read_is_refused_with_its_line_and_the_table_stays(self):
        tune_sizes.write(self.person, "main_jet", "72 1.83 mm")
        for text, words in (
            ("72", "line 1: Write the size"),
            ("72 1.83\nPV 6.5", "line 2: "),
            ("72 1.83 kg", "line 1: "),
            ("72 1.83\n72 1.84", "line 2: 72 has a size already"),
            ("72 1.83\n73 1.80", "look for a slip"),
            ("72 400 mm", "line 1: "),
            ("1e9 1.83", "line 1: "),
            ("\n".join(f"{number} 1.8" for number in range(401)), "at most 400"),
        ):
            with self.subTest(text=text[:20]), self.assertRaises(Invalid) as refused:
                tune_sizes.write(self.person, "main_jet", text)
            self.assertIn(words, refused.exception.fields["text"])
        self.assertEqual(TuneSize.objects.count(), 1)
        for kind in ("power_valve", "rod_hanger", "song"):
            with self.assertRaises(Invalid) as refused:
                tune_sizes.write(self.person, kind, "6.5 1 mm")
            self.assertIn("kind", refused.exception.fields)
        with self.assertRaises(NotAllowed):
            tune_sizes.write(scenes.person(Role.VIEWER), "main_jet", "72 1.83 mm")

    def test_areas_of_a_change_are_of_one_kind_the_tables_or_the_numbers(self):
        """Numbers that are not diameters: 82 to 80 is 4.9 % of area by the number squared, 3 % by this table."""
        sizes = {82.0: 2.00e-6, 80.0: 1.94e-6}
        one, other = jet_cases.areas_of({"primary": 82.0}, {"primary": 80.0}, sizes)
        self.assertAlmostEqual(other["primary"] / one["primary"], 0.97)
        one, other = jet_cases.areas_of({"primary": 82.0}, {"primary": 79.0}, sizes)
        self.assertAlmostEqual(other["primary"] / one["primary"], (79 / 82) ** 2)
