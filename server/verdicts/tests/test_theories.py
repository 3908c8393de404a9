"""Theories that compete: typed, held against each other, and the swap that tells them apart."""

from typing import Any

import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from torvix_core.engine.dimensions import Slot

from engines.models import Part
from engines.parts.service import PartFacts, add_part
from programmes.expectations import theories
from programmes.expectations.theories import TheoryCase, TheoryText
from programmes.models import Programme
from shop.models import Person, Role
from shop.refusals import Invalid, NotAllowed
from verdicts.prior.measure_scatter import MEASURES


class Scene(TestCase):
    person: Person
    programme: Programme
    setups: list[Any]
    spacer: Part

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.person)
        cls.setups = list(cls.programme.setups.all())
        cls.spacer = add_part(cls.person, scenes.DAY, Slot.SPACER, PartFacts("Open spacer 25 mm"), {"height": "25 mm"})

    def setUp(self):
        self.client.force_login(self.person)

    def put(self, cases: list[dict[str, Any]], *explained: tuple[str, ...]):
        body = {"cases": cases, "theories": [{"name": name, "texts": texts} for name, *texts in explained]}
        return self.client.put(f"/api/programmes/{self.programme.pk}/theories", body, "application/json")

    def of_setups(self, *explained: tuple[str, ...]):
        return self.put([{"setup_id": setup.pk} for setup in self.setups[1:]], *explained)


class OfSetups(Scene):
    def test_the_setup_on_which_two_theories_differ_most_separates_them(self):
        answer = self.of_setups(("Runner length", "1 to 2 %", "0"), ("Plenum volume", "1.5 to 2.5", "2 %")).json()
        self.assertEqual([(one["case"], one["pulls"]) for one in answer["separations"]], [(1, 2), (0, None)])
        self.assertEqual(answer["theories"][0]["texts"], ["1 to 2", "0"])
        self.assertEqual(answer["swap"]["case"], 1)
        self.assertIn("run C and look at average torque (Runner length: 0 %; Plenum volume: 2 %). 2 pulls per setup",
                      answer["swap"]["sentence"])  # fmt: skip
        self.assertEqual(self.client.get(f"/api/programmes/{self.programme.pk}/theories").json(), answer)

    def test_slips_are_named_and_nothing_is_lost(self):
        self.of_setups(("One", "1", "2"), ("Other", "2", "1"))
        answer = self.of_setups(("", "1", "2"), ("Other", "much", "3 to 1"))
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(set(answer.json()["fields"]), {"theories.0.name", "theories.1.0", "theories.1.1"})
        self.assertEqual([theory.name for theory in self.programme.theories.all()], ["One", "Other"])

    def test_a_viewer_writes_none_and_the_baseline_has_none(self):
        baseline = [TheoryCase(self.setups[0].pk, None, "average_torque")]
        with self.assertRaises(NotAllowed):
            theories.write(scenes.person(Role.VIEWER), self.programme, [], [], MEASURES, scenes.DAY)
        with self.assertRaises(Invalid) as caught:
            theories.write(self.person, self.programme, baseline, [TheoryText("x", ["1"])], MEASURES, scenes.DAY)
        self.assertEqual(set(caught.exception.fields), {"cases.0.subject"})


class OfSpeedsAndReadings(Scene):
    def test_a_stumble_that_one_expects_at_one_speed_of_a_part_on_the_shelf(self):
        stumble = {"part_id": self.spacer.pk, "measure": "average_torque", "speeds": "at 3100"}
        answer = self.put(
            [stumble, {"setup_id": self.setups[1].pk}],
            ("Weak signal at the booster", "at most -3", "1"), ("Wet runner floor", "0 to 1", "1"),
        ).json()  # fmt: skip
        self.assertEqual(answer["labels"][0], "Open spacer 25 mm in the baseline, average torque at 3100 rpm")
        self.assertEqual(answer["cases"][0]["speeds"], "at 3100")
        self.assertEqual(answer["swap"]["part_id"], self.spacer.pk)
        self.assertIn("run Open spacer 25 mm on the baseline and look at average torque at 3100 rpm "
                      "(Weak signal at the booster: at most −3 %; Wet runner floor: 0 to 1 %)",
                      answer["swap"]["sentence"])  # fmt: skip

    def test_the_work_of_the_change_decides_between_two_that_separate_alike(self):
        """A spacer is minutes, a camshaft hours [prac]: the quick one is proposed."""
        cam = add_part(self.person, scenes.DAY, Slot.CAMSHAFT, PartFacts("Long cam"), {})
        answer = self.put(
            [{"part_id": cam.pk}, {"part_id": self.spacer.pk}], ("One", "3", "3"), ("Other", "0", "0"),
        ).json()  # fmt: skip
        self.assertEqual(answer["swap"]["part_id"], self.spacer.pk)
        minutes = {one["case"]: one["minutes"] for one in answer["separations"]}
        self.assertGreater(minutes[0], minutes[1] + 60)

    def test_a_part_that_the_test_does_not_allow_is_named_and_not_proposed(self):
        self.programme.height_limit = 0.01
        self.programme.save()
        answer = self.put([{"part_id": self.spacer.pk}], ("One", "3"), ("Other", "0")).json()
        self.assertIsNone(answer["swap"])
        self.assertIn("over the limit", answer["separations"][0]["fails"][0])
        self.assertEqual(answer["nothing"], "What would tell them apart does not keep the limits of the test.")

    def test_a_reading_takes_its_own_scatter_and_none_before_pulls_repeat(self):
        boost = [{"setup_id": self.setups[1].pk, "measure": "boost", "speeds": ""}]
        rivals = ("Less restriction", "at least 4"), ("More restriction", "less")
        before = self.put(boost, *rivals).json()
        self.assertIsNone(before["separations"][0]["pulls"])
        self.assertAlmostEqual(before["separations"][0]["apart_percent"], 4.0)
        self.assertIn("nobody knows how much the figure scatters", before["nothing"])
        opened = scenes.session(self.programme, self.person)
        for number in range(5):
            more = {"boost": (0.8 + 0.001 * (number % 2), "bar")}
            scenes.pull(opened, self.setups[0], self.person, more=more)
        after = self.client.get(f"/api/programmes/{self.programme.pk}/theories").json()
        self.assertEqual(after["separations"][0]["pulls"], 2)

    def test_each_slip_of_a_line_is_named_at_its_field(self):
        answer = self.put(
            [
                {"setup_id": self.setups[1].pk, "part_id": self.spacer.pk},
                {"setup_id": self.setups[1].pk, "measure": "joy"},
                {"setup_id": self.setups[1].pk, "measure": "peak_power", "speeds": "at 4000"},
                {"setup_id": self.setups[1].pk, "speeds": "at 9000"},
                {"setup_id": self.setups[1].pk, "speeds": "in the middle"},
                {"part_id": 987654},
                {"setup_id": self.setups[2].pk},
                {"setup_id": self.setups[2].pk},
            ],
            ("One", "", "", "", "", "", "", "2 % above 4000", ""),
        )  # fmt: skip
        self.assertEqual(set(answer.json()["fields"]), {
            "cases.0.subject", "cases.1.measure", "cases.2.speeds", "cases.3.speeds", "cases.4.speeds",
            "cases.5.subject", "cases.7.subject", "theories.0.6",
        })  # fmt: skip

    def test_queries_do_not_grow_with_the_pulls(self):
        figures = [{"setup_id": self.setups[1].pk, "speeds": "below 4000"},
                   {"setup_id": self.setups[1].pk, "measure": "volumetric_efficiency"}]  # fmt: skip
        self.put(figures, ("One", "3", "3"), ("Other", "0", "0"))
        opened = scenes.session(self.programme, self.person)

        def count() -> int:
            with CaptureQueriesContext(connection) as caught:
                self.client.get(f"/api/programmes/{self.programme.pk}/theories")
            return len(caught)

        for setup in (0, 0, 1, 1):
            scenes.pull(opened, self.setups[setup], self.person)
        count()  # from here on a stored result of the test is replaced by a newer one
        scenes.pull(opened, self.setups[1], self.person)
        before = count()
        for _ in range(4):
            scenes.pull(opened, self.setups[1], self.person)
        self.assertEqual(count(), before)
