"""What the database itself refuses, whatever program writes to it."""

import scenes
from django.db import IntegrityError, transaction
from django.test import TestCase

from engines.builds.service import describe_engine, displacement, mark_used
from engines.models import Build, BuildReading, FlowTable, Installation, Part
from shop.models import Person, Role


class Promises(TestCase):
    person: Person
    build: Build
    part: Part

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.build = describe_engine(cls.person, scenes.DAY, "six", scenes.SIX)
        cls.part = scenes.manifold(cls.person, "stub", 300)

    def refused(self, constraint: str):
        return self.assertRaisesMessage(IntegrityError, constraint)

    def reading(self, **fields):
        reading = {"dimension": "plenum_volume", "origin": "reported", "value": 0.004, "written_at": scenes.DAY}
        return BuildReading(build=self.build, written_by=self.person, **{**reading, **fields})

    def test_displacement_comes_from_the_dimensions(self):
        self.assertAlmostEqual(displacement(self.build) * 1000, 2.912, places=3)

    def test_a_reading_is_a_finite_number_or_words(self):
        for fields in ({"value": float("nan")}, {"value": float("inf")}, {"value": None}, {"words": "four"}):
            with self.subTest(fields=fields), self.refused("build_reading_is_a_number_or_words"), transaction.atomic():
                self.reading(**fields).save()

    def test_one_value_of_each_origin_and_one_choice(self):
        self.reading(chosen=True).save()
        with self.refused("build_reading_once_per_origin"), transaction.atomic():
            self.reading().save()
        with self.refused("build_reading_one_is_chosen"), transaction.atomic():
            self.reading(origin="catalog", chosen=True).save()
        with self.refused("build_reading_origin_is_known"), transaction.atomic():
            self.reading(origin="dreamt").save()

    def test_a_revision_is_given_once(self):
        self.build.pk = None
        with self.refused("build_revision_once_per_engine"), transaction.atomic():
            self.build.save()

    def test_a_used_revision_cannot_be_changed_nor_opened_again(self):
        reading = self.build.readings.get(dimension="bore")
        mark_used(self.build, scenes.DAY)
        for change in (
            lambda: BuildReading.objects.filter(pk=reading.pk).update(value=0.09),
            lambda: BuildReading.objects.filter(pk=reading.pk).delete(),
            lambda: self.reading().save(),
            lambda: Build.objects.filter(pk=self.build.pk).update(used_at=None),
        ):
            with self.refused("build_used_is_closed"), transaction.atomic():
                change()

    def test_a_flow_table_has_as_many_flows_as_lifts(self):
        table = FlowTable(build=self.build, side="intake", depression=6974.0, lifts=[0.002, 0.004], flows=[0.03],
                          origin="measured", written_at=scenes.DAY, written_by=self.person)  # fmt: skip
        with self.refused("flow_table_rows_are_whole"), transaction.atomic():
            table.save()

    def test_an_allowance_that_is_applied_is_there(self):
        with self.refused("installation_applies_an_allowance"), transaction.atomic():
            Installation.objects.create(build=self.build, item="water_pump", applied=True)

    def test_parts_and_their_relations(self):
        parts = Part.objects.filter(pk=self.part.pk)
        for constraint, fields in (
            ("part_slot_is_known", {"slot": "flux"}),
            ("part_price_is_not_negative", {"price": -1}),
            ("part_is_not_its_own_relative", {"same_as": self.part.pk}),
        ):
            with self.subTest(constraint=constraint), self.refused(constraint), transaction.atomic():
                parts.update(**fields)
        other = scenes.manifold(self.person, "child", 300)
        with self.refused("part_modification_says_what_and_why"), transaction.atomic():
            Part.objects.filter(pk=other.pk).update(parent=self.part.pk)
