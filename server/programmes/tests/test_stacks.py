"""Setups as stacks of parts, and a programme that goes on with another revision of its engine."""

from typing import Any

import scenes
from django.test import TestCase
from torvix_core.engine.dimensions import Slot

from engines.builds.service import describe_engine, succeed
from engines.parts.service import PartFacts, add_part
from engines.sheet.readings import ReadingChange
from programmes.models import Programme
from programmes.plan import saving
from shop.models import Person, Role
from shop.permissions import choose_units
from shop.refusals import Invalid, NotAllowed


class Stacks(TestCase):
    person: Person
    programme: Programme

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.person)

    def setUp(self):
        self.client.force_login(self.person)

    def read(self, **query: Any) -> dict:
        return self.client.get(f"/api/programmes/{self.programme.pk}/stacks", query).json()

    def test_each_setup_is_held_against_the_baseline(self):
        found = self.read()
        self.assertEqual([row["changes"] for row in found["setups"]], [0, 1, 1])
        self.assertEqual(
            found["setups"][1]["differences"],
            ["Intake manifold: manifold 0 gives way to manifold 1 (runner length 420 mm to 330 mm)."],
        )
        self.assertEqual(found["slots"], [{"slot": "intake_manifold", "label": "Intake manifold", "varies": True}])

    def test_or_against_any_other_setup_in_the_persons_units(self):
        choose_units(self.person, {"length": "in"})
        last = self.programme.setups.last()
        found = self.read(baseline=last.pk)
        self.assertEqual(found["baseline_id"], last.pk)
        self.assertIn("runner length 9.4488 in to 16.5354 in", found["setups"][0]["differences"][0])

    def test_a_setup_of_another_programme_is_refused(self):
        answer = self.client.get(f"/api/programmes/{self.programme.pk}/stacks", {"baseline": 987_654})
        self.assertEqual((answer.status_code, list(answer.json()["fields"])), (422, ["baseline"]))

    def test_a_slot_that_does_not_vary_is_told_as_such(self):
        head = add_part(self.person, scenes.DAY, Slot.CYLINDER_HEAD, PartFacts("head"), {})
        for setup in self.programme.setups.all():
            setup.parts.add(head)
        self.assertEqual([(slot["slot"], slot["varies"]) for slot in self.read()["slots"]],
                         [("cylinder_head", False), ("intake_manifold", True)])  # fmt: skip

    def test_the_number_of_queries_does_not_grow_with_parts(self):
        address = f"/api/programmes/{self.programme.pk}/stacks"
        with self.assertNumQueries(11):
            self.client.get(address)
        for number, setup in enumerate(self.programme.setups.all()):
            for slot in (Slot.SPACER, Slot.HEADER, Slot.CAMSHAFT):
                setup.parts.add(add_part(self.person, scenes.DAY, slot, PartFacts(f"{slot} {number}"), {}))
        with self.assertNumQueries(11):
            self.client.get(address)


class AnotherRevision(TestCase):
    person: Person
    programme: Programme

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.person)

    def succeed(self, **texts: str):
        changes = {key: ReadingChange(text) for key, text in texts.items()}
        return succeed(self.person, self.programme.build, changes, "found", scenes.DAY)

    def test_later_pulls_are_of_the_new_revision_and_earlier_ones_stay(self):
        opened = scenes.session(self.programme, self.person)
        first = scenes.pull(opened, self.programme.setups.first(), self.person)
        saving.choose_build(self.person, self.programme, self.succeed(gasket_thickness="1.6 mm"))
        opened.programme.refresh_from_db()
        second = scenes.pull(opened, self.programme.setups.first(), self.person)
        first.refresh_from_db()
        self.assertEqual([first.build.revision, second.build.revision], [1, 2])
        self.assertIsNotNone(first.build.used_at)

    def test_another_engine_is_refused(self):
        other = describe_engine(self.person, scenes.DAY, "other", scenes.SIX)
        with self.assertRaises(Invalid) as refusal:
            saving.choose_build(self.person, self.programme, other)
        self.assertIn("build_id", refusal.exception.fields)

    def test_a_revision_whose_redline_the_sweep_passes_is_refused(self):
        with self.assertRaises(Invalid) as refusal:
            saving.choose_build(self.person, self.programme, self.succeed(redline="6500"))
        self.assertIn("above the redline of 6500", str(refusal.exception))

    def test_a_viewer_does_not_choose(self):
        with self.assertRaises(NotAllowed):
            saving.choose_build(scenes.person(Role.VIEWER), self.programme, self.succeed())
