from typing import Any

import scenes
from django.test import TestCase
from torvix_core.engine.evidence import Origin

from engines.builds import service as builds
from engines.builds.service import BuildClosed
from engines.models import Build, Engine
from engines.sheet import sheets
from engines.sheet.readings import ReadingChange
from shop.models import Person, Role
from shop.permissions import choose_units
from shop.refusals import Invalid, NotAllowed


class Sheets(TestCase):
    person: Person
    build: Build

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.build = builds.describe_engine(cls.person, scenes.DAY, "six", scenes.SIX)

    def write(self, key: str, text: str, origin: Origin = Origin.MEASURED, build: Build | None = None) -> None:
        builds.write_down(self.person, build or self.build, key, ReadingChange(text, origin), scenes.DAY)

    def refused(self, key: str, text: str) -> str:
        with self.assertRaises(Invalid) as refusal:
            self.write(key, text)
        return refusal.exception.fields[key]

    def value(self, key: str) -> float | None:
        return sheets.value(Build.objects.get(pk=self.build.pk), key)

    def test_measured_counts_above_what_was_told_and_the_told_value_stays(self):
        self.write("gasket_thickness", "1.65 mm")
        self.assertAlmostEqual(self.value("gasket_thickness"), 0.00165)
        self.assertEqual(self.build.readings.filter(dimension="gasket_thickness").count(), 2)
        self.write("gasket_thickness", "")
        self.assertAlmostEqual(self.value("gasket_thickness"), 0.0012)

    def test_an_unnamed_unit_is_the_persons_own(self):
        choose_units(self.person, {"length": "in"})
        self.write("gasket_thickness", "0.065")
        self.assertAlmostEqual(self.value("gasket_thickness"), 0.065 * 0.0254, places=12)

    def test_values_that_contradict_are_not_used_until_one_is_chosen(self):
        self.write("gasket_thickness", "1.0 mm", Origin.CATALOG)
        self.assertIsNone(self.value("gasket_thickness"))
        builds.choose(self.person, self.build, "gasket_thickness", Origin.CATALOG)
        self.assertAlmostEqual(self.value("gasket_thickness"), 0.001)
        with self.assertRaises(Invalid):
            builds.choose(self.person, self.build, "gasket_thickness", Origin.MEASURED)

    def test_a_choice_stays_when_its_value_is_written_anew(self):
        self.write("gasket_thickness", "1.0 mm", Origin.CATALOG)
        builds.choose(self.person, self.build, "gasket_thickness", Origin.CATALOG)
        self.write("gasket_thickness", "1.1 mm", Origin.CATALOG)
        self.assertAlmostEqual(self.value("gasket_thickness"), 0.0011)

    def test_bad_input_is_refused_at_its_field_and_nothing_is_kept(self):
        for key, text, message in (
            ("bore", "4", "Understood 4 mm"), ("bore", "86,6", "has a comma"), ("bore", "abc", "not a number"),
            ("cylinders", "6.5", "not a whole number"), ("cycle", "3", "Choose one of Four-stroke"),
            ("fuel_table", "x" * 10_000, "10000 characters, 200 fit"), ("bore", "9" * 10_000, "too long"),
            ("nonsense", "1", "There is no such line."),
        ):  # fmt: skip
            with self.subTest(text=text[:12]):
                self.assertIn(message, self.refused(key, text))
        self.assertAlmostEqual(self.value("bore"), 0.0866)

    def test_every_field_of_a_new_engine_is_named_at_once_and_no_engine_is_made(self):
        with self.assertRaises(Invalid) as refusal:
            builds.describe_engine(self.person, scenes.DAY, "V", {"bore": "4", "stroke": "x", "cylinders": "8"})
        self.assertEqual(set(refusal.exception.fields), {"bore", "stroke"})
        self.assertFalse(Engine.objects.filter(name="V").exists())

    def test_a_name_is_there_and_taken_once(self):
        for name, told in (("", "give it a name"), ("six", "taken"), ("x" * 300, "300 characters, 120 fit")):
            with self.subTest(name=name[:5]), self.assertRaises(Invalid) as refusal:
                builds.describe_engine(self.person, scenes.DAY, name, {})
            self.assertIn(told, refusal.exception.fields["name"])


class Revisions(TestCase):
    person: Person
    build: Build

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.build = builds.describe_engine(cls.person, scenes.DAY, "six", scenes.SIX)
        rows = [("2 mm", "60"), ("4 mm", "110"), ("8 mm", "190")]
        builds.write_flow_table(cls.person, cls.build, "intake", "10 inH2O", rows, scenes.DAY)
        builds.describe_installation(cls.person, cls.build, "water_pump", tested="Electric", installed="Belt",
                                       allowance="5 hp", basis="", applied=True)  # fmt: skip

    def succeed(self, **texts: str) -> Build:
        changes = {key: ReadingChange(text) for key, text in texts.items()}
        return builds.succeed(self.person, self.build, changes, "measured on removal", scenes.DAY)

    def test_a_used_revision_is_closed_and_can_be_succeeded(self):
        builds.mark_used(self.build, scenes.DAY)
        self.build.refresh_from_db()
        for act in (
            lambda: builds.write_down(self.person, self.build, "bore", ReadingChange("87 mm"), scenes.DAY),
            lambda: builds.choose(self.person, self.build, "bore", Origin.REPORTED),
            lambda: builds.write_flow_table(self.person, self.build, "intake", "", [], scenes.DAY),
        ):
            with self.assertRaisesMessage(BuildClosed, "Change it as a new revision."):
                act()
        made = self.succeed(gasket_thickness="1.65 mm")
        self.assertEqual((made.revision, made.used_at, made.reason), (2, None, "measured on removal"))
        self.assertAlmostEqual(sheets.value(made, "gasket_thickness"), 0.00165)
        self.assertAlmostEqual(sheets.value(self.build, "gasket_thickness"), 0.0012)

    def test_a_successor_has_everything_that_was_not_changed(self):
        made = self.succeed(gasket_thickness="1.65 mm")
        self.assertEqual(made.readings.count(), self.build.readings.count() + 1)
        self.assertEqual(made.flow_tables.get().flows, self.build.flow_tables.get().flows)
        self.assertEqual(builds.applied_allowance(made), builds.applied_allowance(self.build))

    def test_a_revision_needs_a_reason_and_takes_nothing_half(self):
        with self.assertRaises(Invalid) as refusal:
            builds.succeed(self.person, self.build, {}, " ", scenes.DAY)
        self.assertIn("reason", refusal.exception.fields)
        with self.assertRaises(Invalid) as refusal:
            self.succeed(bore="4", stroke="83 mm")
        self.assertEqual(set(refusal.exception.fields), {"bore"})
        self.assertEqual(Build.objects.count(), 1)

    def test_what_was_tested_is_closed_and_the_allowance_is_not(self):
        builds.mark_used(self.build, scenes.DAY)
        self.build.refresh_from_db()
        told: Any = {
            "tested": "Electric",
            "installed": "Belt",
            "allowance": "6 hp",
            "basis": "measured",
            "applied": False,
        }
        builds.describe_installation(self.person, self.build, "water_pump", **told)
        self.assertIsNone(builds.applied_allowance(Build.objects.get(pk=self.build.pk)))
        with self.assertRaises(BuildClosed):
            builds.describe_installation(self.person, self.build, "water_pump", **{**told, "tested": "Belt"})

    def test_a_flow_table_names_each_wrong_cell(self):
        rows = [("2 mm", "60"), ("1 mm", "70"), ("x", "80"), ("5 mm", "90 lb")]
        with self.assertRaises(Invalid) as refusal:
            builds.write_flow_table(self.person, self.build, "intake", "28", rows, scenes.DAY)
        self.assertEqual(set(refusal.exception.fields), {"rows.1.lift", "rows.2.lift", "rows.3.flow"})
        self.assertEqual(len(self.build.flow_tables.get().lifts), 3)


class Roles(TestCase):
    def test_a_viewer_writes_nothing_and_does_not_see_what_is_confidential(self):
        operator, viewer = scenes.person(Role.OPERATOR), scenes.person(Role.VIEWER)
        build = builds.describe_engine(operator, scenes.DAY, "secret", scenes.SIX, confidential=True)
        for act in (
            lambda: builds.describe_engine(viewer, scenes.DAY, "mine", {}),
            lambda: builds.write_down(viewer, build, "bore", ReadingChange("87 mm"), scenes.DAY),
            lambda: builds.succeed(viewer, build, {}, "because", scenes.DAY),
            lambda: builds.describe_owner(viewer, build.engine, owner="me", confidential=False),
        ):
            with self.assertRaises(NotAllowed):
                act()
        self.assertEqual(list(Engine.objects.visible_to(viewer)), [])
        self.assertEqual(list(Engine.objects.visible_to(operator)), [build.engine])
