"""Two tests of one engine that ran one setup in common stand on one regime map."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from torvix_core.engine.dimensions import Slot

from engines.models import Part
from engines.parts.service import PartFacts, add_part
from programmes.models import Programme
from programmes.plan.plans import PlannedSetup
from programmes.plan.saving import plan_in_force, plan_programme
from shop.models import Person, Role, Stand
from verdicts.comparison import aligned_pulls

AMBIENT = 98_205.0
DAY_OFF = 1.04  # of every pull of the second test: another day, and nothing that its parts are worth
THIRD_CAM, WORTH = 254, 0.03  # over cam 216, at every boost


class Scene(TestCase):
    operator: Person
    programme: Programme
    other: Programme
    rng: np.random.Generator

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.boosted(cls.operator, cams=(216, 228))
        cls.rng = np.random.default_rng(8)
        cls.pull_all(cls.programme, {})
        cls.other = cls.second_test()

    @classmethod
    def second_test(cls, shared: int = 1, cam: int = THIRD_CAM, beside: Sequence[Part] = ()) -> Programme:
        """Another camshaft at the three boosts, and the first setup or setups of the first test again."""
        of_first = plan_in_force(cls.programme)
        new = Part.objects.filter(name=f"Cam {cam}").first() or add_part(
            cls.operator, scenes.DAY, Slot.CAMSHAFT, PartFacts(f"Cam {cam}"), {"intake_duration_050": f"{cam}"}
        )
        boosts = [of_first.setups[place].settings for place in range(3)]
        setups = [
            *(PlannedSetup(f"Again {place}", of_first.setups[place].parts, boosts[place]) for place in range(shared)),
            *(PlannedSetup(f"{cam} {place}", [new, *beside], boost) for place, boost in enumerate(boosts)),
        ]
        plan = replace(of_first, question="And the long one?", setups=setups, order=[])
        made = plan_programme(cls.operator, scenes.DAY, cls.programme.build, plan)
        cls.pull_all(made, {cam: WORTH})
        return made

    @classmethod
    def pull_all(cls, planned: Programme, worth: dict[int, float]) -> None:
        stand = Stand.objects.create(name=f"Stand of {planned.pk}")
        opened = scenes.session(planned, cls.operator, stand)
        day = DAY_OFF if planned != cls.programme else 1.0
        setups = list(planned.setups.all())
        for setup in [*(setup for setup in setups for _ in range(2)), setups[0], setups[0]]:
            cam = int(setup.parts.get(slot=Slot.CAMSHAFT).name.split()[1])
            bar = (setup.settings.get(key="setting:boost_target").value or 0.0) / 1e5
            gain = {216: 0.0, 228: 0.02 - 0.15 * (bar - 0.8)}.get(cam, worth.get(cam, 0.0))
            level = day * (1 + bar * 1e5 / AMBIENT) * (1 + gain) * np.exp(cls.rng.normal(0, 0.002))
            scenes.pull(opened, setup, cls.operator, level=level, tuned=True, more={"boost": (bar, "bar")})

    def setUp(self):
        self.client.force_login(self.operator)

    def regimes(self, programme: Programme | None = None) -> dict[str, Any]:
        return self.client.get(f"/api/programmes/{(programme or self.programme).pk}/regimes").json()


class Linked(Scene):
    def test_the_part_of_the_other_test_stands_on_the_map_free_of_its_day(self):
        answer = self.regimes()
        self.assertEqual(answer["along_parts"], ["Cam 216", "Cam 228", "Cam 254"])
        curve = answer["curves"][2]
        for low, high in zip(curve["low_percent"], curve["high_percent"], strict=True):
            self.assertLess(low, WORTH * 100)
            self.assertGreater(high, WORTH * 100)
        notes = " ".join(answer["linked"])
        self.assertIn('10 pulls of "And the long one?" stand here too: the same engine, linked through a setup', notes)
        self.assertIn("of 2 tests on one engine", " ".join(answer["sentences"]))

    def test_rankings_at_a_level_stay_with_the_test_and_its_verdict(self):
        answer = self.regimes()
        self.assertEqual([part["name"] for part in answer["parts"]], ["Cam 216", "Cam 228"])
        self.assertTrue(all(len(one["places"]) == 2 for one in answer["rankings"]))
        verdict = self.client.get(f"/api/programmes/{self.programme.pk}/verdict").json()
        for ranking in answer["rankings"]:
            self.assertIn(ranking["sentence"], verdict["headline"][0])

    def test_both_tests_tell_the_same_gap_between_the_same_parts(self):
        """The test that came later is no grid by itself unless two parts share two levels; then the map is the same."""
        grown = self.second_test(shared=3, cam=260)
        here, there = self.regimes(), self.regimes(grown)
        names = [one["along_parts"] for one in (here, there)]
        self.assertEqual(*(sorted(one) for one in names))
        gaps = []
        for answer, parts in zip((here, there), names, strict=True):
            score = {part: answer["curves"][parts.index(part)]["score"] for part in parts}
            gaps.append(np.array(score["Cam 228"], dtype=float) / np.array(score["Cam 216"], dtype=float))
        np.testing.assert_allclose(gaps[0][0], gaps[1][0], rtol=2e-3)

    def test_a_customer_sees_no_test_that_was_not_given_to_them(self):
        customer = scenes.person(Role.CUSTOMER)
        self.programme.given_to.add(customer)
        self.client.force_login(customer)
        answer = self.client.get(f"/api/programmes/{self.programme.pk}/regimes")
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(answer.json()["along_parts"], ["Cam 216", "Cam 228"])
        self.assertNotIn("And the long one?", answer.content.decode())

    def test_queries_do_not_grow_with_tests_that_share_nothing(self):
        self.regimes()
        aligned_pulls.forget()
        with CaptureQueriesContext(connection) as before:
            self.regimes()
        self.second_test(shared=0, cam=270)
        aligned_pulls.forget()
        with CaptureQueriesContext(connection) as after:
            self.regimes()
        self.assertLessEqual(len(after), len(before) + 1)


class NotLinked(Scene):
    @classmethod
    def second_test(cls, shared: int = 0, cam: int = THIRD_CAM, beside: Sequence[Part] = ()) -> Programme:
        return super().second_test(shared, cam, beside)

    def test_a_test_without_a_shared_setup_stays_by_itself(self):
        answer = self.regimes()
        self.assertEqual(answer["along_parts"], ["Cam 216", "Cam 228"])
        self.assertEqual(answer["linked"], [])


class OtherThanTheGrid(Scene):
    @classmethod
    def second_test(cls, shared: int = 1, cam: int = THIRD_CAM, beside: Sequence[Part] = ()) -> Programme:
        header = add_part(cls.operator, scenes.DAY, Slot.HEADER, PartFacts("Stepped header"), {})
        return super().second_test(shared, cam, [header])

    def test_setups_with_another_header_do_not_stand_on_this_map(self):
        answer = self.regimes()
        self.assertEqual(answer["along_parts"], ["Cam 216", "Cam 228"])
