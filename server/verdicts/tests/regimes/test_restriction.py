"""Where the restriction is: swaps of one slot, the vacuum of a carburetor, the head on paper; and the next swap."""

from typing import Any

import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from torvix_core.engine.dimensions import Slot

from engines.parts.service import PartFacts, add_part
from programmes.models import Programme
from shop.models import Person, Role


class Scene(TestCase):
    operator: Person
    programme: Programme

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)

    def setUp(self):
        self.client.force_login(self.operator)

    def day(self, *levels: tuple[float, ...], **more: tuple[float, str]) -> None:
        opened = scenes.session(self.programme, self.operator)
        for visit in zip(*levels, strict=True):  # by turns, so that drift takes nothing away
            for setup, level in zip(self.programme.setups.all(), visit, strict=True):
                scenes.pull(opened, setup, self.operator, level=level, more=more)

    def read(self, **query: Any) -> dict:
        return self.client.get(f"/api/programmes/{self.programme.pk}/restriction", query).json()

    def place(self, key: str) -> dict:
        return next(one for one in self.read()["places"] if one["place"] == key)


class Swaps(Scene):
    def test_a_swap_that_gives_names_its_place_and_what_would_contradict_it(self):
        self.day((1.0, 1.001, 1.0), (1.04, 1.041, 1.04), (1.001, 1.0, 1.0))
        answer = self.read()
        self.assertTrue(self.place("manifold")["named"])
        self.assertIn("Intake manifold: the evidence points there. By its swap", answer["sentences"][0])
        self.assertIn("would contradict it", answer["sentences"][1])
        text = " ".join(one["sentence"] for one in self.place("manifold")["evidence"])
        self.assertRegex(text, r"manifold 1 for manifold 0: \+[34]\.\d % \(.+\) at the top, at \d+ hp")
        self.assertEqual(self.place("head")["evidence"], [])

    def test_a_null_counts_with_its_bound_and_its_power(self):
        self.day((1.0, 1.001, 1.0, 1.0), (1.001, 1.0, 1.001, 1.0), (1.0, 1.001, 1.001, 1.0))
        answer = self.place("manifold")
        self.assertFalse(answer["named"])
        self.assertEqual({one["side"] for one in answer["evidence"]}, {"against"})
        self.assertRegex(answer["evidence"][0]["sentence"], r"at most 0\.\d+ % at \d+ hp, so it is not there")
        self.assertIn("Nothing here points at one place beyond doubt.", self.read()["sentences"])

    def test_the_next_swap_is_proposed_from_the_parts_at_hand(self):
        add_part(self.operator, scenes.DAY, Slot.HEADER, PartFacts("Four-into-one"), {})
        for slot, name in ((Slot.CARBURETOR, "650"), (Slot.CYLINDER_HEAD, "Opened"), (Slot.CAMSHAFT, "Longer")):
            add_part(self.operator, scenes.DAY, slot, PartFacts(name), {})
        self.day((1.0, 1.001, 1.0), (1.001, 1.0, 1.0), (1.0, 1.001, 1.0))
        self.assertRegex(" ".join(self.read()["sentences"]), r"The next swap would tell most here: .+\. At hand: \w+")

    def test_nothing_is_said_without_scatter(self):
        self.day((1.0,), (1.02,), (0.99,))
        answer = self.client.get(f"/api/programmes/{self.programme.pk}/restriction")
        self.assertEqual((answer.status_code, answer.json()["code"]), (409, "not_enough_pulls"))


class Channels(Scene):
    def test_vacuum_at_full_throttle_counts_for_what_is_before_the_manifold(self):
        self.day((1.0, 1.001), (1.0, 1.001), (1.0, 1.001), manifold_pressure=(90.0, "kPa"))
        answer = self.place("intake")
        self.assertEqual(answer["evidence"][0]["kind"], "channel")
        self.assertRegex(answer["evidence"][0]["sentence"], r"At full throttle 8\.\d+ kPa are lost")
        self.assertGreater(answer["percent"], 2)

    def test_queries_do_not_grow_with_pulls(self):
        self.day((1.0, 1.001), (1.0, 1.001), (1.0, 1.001))

        def count() -> int:
            self.read()
            with CaptureQueriesContext(connection) as caught:
                self.read()
            return len(caught)

        before = count()
        opened = self.programme.sessions.get()
        for setup in self.programme.setups.all():
            scenes.pull(opened, setup, self.operator)
        self.assertEqual(count(), before)
