"""The engine on paper with each setup: figures by hand, what is asked for again, and how few questions it takes."""

import math

import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from torvix_core.engine.dimensions import Slot

from engines.models import Part
from engines.parts.service import PartFacts, add_part
from programmes.models import Programme, Setup
from programmes.plan.on_paper import of_setup
from shop.models import Person, Role


class Scene(TestCase):
    operator: Person
    programme: Programme
    a: Setup
    b: Setup
    c: Setup

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.a, cls.b, cls.c = cls.programme.setups.all()
        for setup, name, chamber in ((cls.a, "As cast", "46 cc"), (cls.b, "Milled", "40 cc"), (cls.c, "Unknown", "")):
            setup.parts.add(cls.head(name, {"chamber_volume": chamber} if chamber else {}))

    @classmethod
    def head(cls, name: str, lines: dict[str, str]) -> Part:
        return add_part(cls.operator, scenes.DAY, Slot.CYLINDER_HEAD, PartFacts(name), lines)

    def shown(self, person: Person | None = None) -> list[dict]:
        self.client.force_login(person or self.operator)
        return self.client.get(f"/api/programmes/{self.programme.pk}/setups-on-paper").json()["setups"]


class OnPaper(Scene):
    def test_a_head_with_a_smaller_chamber_raises_the_ratio_of_its_setup(self):
        """By hand: bore 86.6, stroke 82.4, 1.2 mm of gasket of 88 mm; 46 cc and 40 cc."""
        swept, gasket = math.pi / 4 * 8.66**2 * 8.24, math.pi / 4 * 8.8**2 * 0.12
        old, new = (f"{1 + swept / (chamber + gasket):.2f}" for chamber in (46, 40))
        second, third = self.shown()
        self.assertEqual((second["place"], third["place"]), (1, 2))
        self.assertIn(f"Static compression ratio {old}:1 → {new}:1", second["moved"])
        self.assertIn(f"Static compression ratio {old}:1 → not known", third["moved"])
        self.assertIn("Chamber", third["unknown"])

    def test_a_setting_of_a_setup_counts(self):
        Setup.objects.get(pk=self.b.pk).settings.create(key="setting:boost_target", text="0.8 bar", value=8e4)
        second, _ = self.shown()
        self.assertTrue(
            [line for line in second["moved"] if line.startswith("Pressure ratio at sea level not known → 1.")]
        )

    def test_whoever_may_not_see_the_test_sees_nothing(self):
        self.programme.build.engine.confidential = True
        self.programme.build.engine.save()
        self.client.force_login(scenes.person(Role.VIEWER))
        answer = self.client.get(f"/api/programmes/{self.programme.pk}/setups-on-paper")
        self.assertEqual(answer.status_code, 404)

    def test_any_two_setups_are_held_against_each_other_settings_included(self):
        Setup.objects.get(pk=self.b.pk).settings.create(key="setting:boost_target", text="0.8 bar", value=8e4)
        self.client.force_login(self.operator)
        address = f"/api/programmes/{self.programme.pk}/setups-on-paper"
        first, third = self.client.get(address, {"against": 1}).json()["setups"]
        self.assertEqual((first["place"], third["place"]), (0, 2))
        self.assertIn("Cylinder head: Milled → As cast", first["differs"])
        self.assertIn("Boost target: 0.8 bar → none", first["differs"])
        self.assertTrue([line for line in first["moved"] if line.startswith("Static compression ratio 1")])
        self.assertEqual(self.client.get(address, {"against": 3}).status_code, 422)

    def test_before_a_pull_it_says_what_must_be_checked_because_of_the_setup(self):
        self.assertEqual(of_setup(self.programme, self.a), [])
        self.assertIn("Not known with these parts, measure it: chamber.", of_setup(self.programme, self.c))
        self.b.settings.create(key="setting:fuel", text="Pump gasoline, 95 RON")
        self.assertIn("on pump gasoline", " ".join(of_setup(self.programme, self.b)))

    def test_queries_do_not_grow_with_setups(self):
        counts = []
        for number in (3, 12):
            planned = scenes.programme(self.operator, number, f"engine {number}", parts=f"of {number}")
            self.client.force_login(self.operator)
            with CaptureQueriesContext(connection) as asked:
                self.client.get(f"/api/programmes/{planned.pk}/setups-on-paper")
            counts.append(len(asked))
        self.assertEqual(len(set(counts)), 1, counts)


class WhileItIsWritten(Scene):
    """The draft on the screen, not the plan that was saved."""

    def draft(self) -> dict:
        self.client.force_login(self.operator)
        return self.client.get(f"/api/plans/{self.programme.pk}").json()["draft"]

    def sent(self, draft: dict) -> dict:
        return self.client.post("/api/plans/on-paper", draft, content_type="application/json").json()

    def test_rows_hold_what_differs_and_only_that(self):
        found = self.sent(self.draft())
        rows = {row["label"]: row["texts"] for row in found["rows"]}
        self.assertEqual(len(rows["Static compression ratio"]), 3)
        self.assertEqual(rows["Static compression ratio"][2], "")
        self.assertNotIn("Mean piston speed at redline", rows)
        self.assertEqual([one["place"] for one in found["setups"]], [1, 2])

    def test_a_fuel_that_does_not_suit_the_ratio_is_a_caution_of_its_setup(self):
        draft = self.draft()
        draft["setups"][1]["settings"]["setting:boost_target"] = "1.1 bar"
        draft["setups"][1]["settings"]["setting:fuel"] = "Pump gasoline, 95 RON"
        found = self.sent(draft)["setups"]
        self.assertIn("on pump gasoline", " ".join(found[0]["cautions"]))
        self.assertEqual(found[1]["cautions"], [])

    def test_what_cannot_be_read_yet_leaves_the_rest(self):
        draft = self.draft()
        draft["setups"][1]["settings"]["setting:boost_target"] = "much"
        self.assertEqual(len(self.sent(draft)["setups"]), 2)
        draft["build_id"] = 10**6
        answer = self.client.post("/api/plans/on-paper", draft, content_type="application/json")
        self.assertEqual(answer.status_code, 404)


class WhatAPartChangesBeside(Scene):
    def test_the_plan_says_what_other_heads_do_to_the_ratio_and_what_that_alone_is_worth(self):
        self.client.force_login(self.operator)
        derived = self.client.get(f"/api/plans/{self.programme.pk}").json()["summary"]["derived"]
        self.assertEqual(len(derived), 1)  # of the third the chamber is not known
        self.assertRegex(derived[0], r"^B also raises the static ratio, 10\.1:1 to 11\.3:1\. .+ \+2\.\d to \+3\.\d %")

    def test_the_verdict_sets_it_beside_the_gain(self):
        scenes.day_of_pulls(self.programme, self.operator, ((1.0, 1.002), (1.05, 1.052), (1.0, 1.001)))
        self.client.force_login(self.operator)
        notes = " ".join(self.client.get(f"/api/programmes/{self.programme.pk}/verdict").json()["notes"])
        self.assertRegex(
            notes, r"B also raises the static ratio by 1\.\d \(10\.1:1 to 11\.3:1\), worth about \+2\.\d to "
        )
        self.assertIn("that much may be the ratio, not the flow", notes)


class CrossedSetups(TestCase):
    def test_a_grid_is_known_as_such_and_its_empty_cell_is_offered(self):
        operator = scenes.person(Role.OPERATOR)
        programme = scenes.boosted(operator)
        self.client.force_login(operator)
        draft = self.client.get(f"/api/plans/{programme.pk}").json()["draft"]
        whole = self.client.post("/api/plans/check", draft, content_type="application/json").json()["grid"]
        self.assertEqual(whole["empty"], [])
        self.assertIn("crosses camshaft with boost target: 3 by 3", whole["sentence"])
        draft["setups"].pop()
        draft["order"] = []
        grid = self.client.post("/api/plans/check", draft, content_type="application/json").json()["grid"]
        (empty,) = grid["empty"]
        self.assertEqual(empty["name"], "Cam 242 at 1.1 bar")
        self.assertEqual(empty["levels"]["setting:boost_target"], "1.1 bar")
        self.assertEqual(empty["levels"]["camshaft"], "Cam 242")
