"""A plan simulated before it is paid for: from typed texts to the answer."""

from typing import Any

import scenes
from django.test import TestCase

from programmes.expectations.service import expect
from programmes.models import ExpectedMeasure, Programme
from programmes.plan import saving
from shop.models import Person, Role
from shop.refusals import Invalid
from verdicts.outlook import odds


class Watching:
    def __init__(self, looks: int = 10**9):
        self.looks = looks
        self.told: list[Any] = []

    def wanted(self) -> bool:
        self.looks -= 1
        return self.looks >= 0

    def tell(self, done: int = 0, total: int = 0, told: str = "") -> None:
        self.told.append((done, total))


class Simulated(TestCase):
    person: Person
    programme: Programme
    setups: list[Any]

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.person)
        cls.setups = list(cls.programme.setups.all())

    def setUp(self):
        self.client.force_login(self.person)

    def arguments(self, *effects: str, days: str = "600", refit: str = ""):
        given = {setup.pk: text for setup, text in zip(self.setups[1:], effects, strict=False)}
        return odds.arguments(self.programme, given, days, refit)

    def test_a_clear_winner_is_nearly_always_called_and_a_wash_nearly_never_called_wrong(self):
        clear = odds.run(self.arguments("1", "4"), Watching())["with_returns"]
        self.assertGreater(clear["right_percent"], 90)
        self.assertEqual((clear["best"], clear["truth_is_equal"]), (2, False))
        close = odds.run(self.arguments("0", "0"), Watching())["with_returns"]
        self.assertTrue(close["truth_is_equal"])
        self.assertGreater(close["right_percent"], 75)
        self.assertAlmostEqual(close["right_percent"] + close["wrong_percent"], 100)

    def test_the_same_plan_gives_the_same_answer_with_and_without_returns(self):
        first, again = (odds.run(self.arguments("1", "2"), Watching()) for _ in range(2))
        self.assertEqual(first, again)
        self.assertIn("without_returns", first)

    def test_it_tells_how_far_it_is_and_stops_with_what_it_has(self):
        watch = Watching(looks=2)
        found = odds.run(self.arguments("1", "2", days="5000"), watch)
        self.assertEqual(watch.told, [(250, 10_000), (500, 10_000)])
        self.assertEqual(found["with_returns"]["days"], 500)
        self.assertNotIn("without_returns", found)

    def test_slips_are_named_at_their_fields(self):
        with self.assertRaises(Invalid) as refused:
            self.arguments("a lot", "1", days="3", refit="-1")
        self.assertEqual(set(refused.exception.fields), {f"effects.{self.setups[1].pk}", "days", "refit"})

    def test_an_engine_that_was_never_pulled_is_simulated_with_the_named_default(self):
        told = self.client.get(f"/api/programmes/{self.programme.pk}/odds").json()
        self.assertEqual((told["scatter_percent"], told["scatter_is_default"]), (0.4, True))

    def test_what_people_expect_is_what_is_assumed_at_first(self):
        for low, high in (("1", "3"), ("4", "4")):
            text = f"{low} to {high} %" if low != high else f"{low} %"
            person = self.person if low == "1" else scenes.person(Role.OWNER)
            expect(person, self.setups[1], ExpectedMeasure.AVERAGE_TORQUE, text, "", scenes.DAY)
        told = self.client.get(f"/api/programmes/{self.programme.pk}/odds").json()
        self.assertEqual(told["effects"], [{"setup_id": self.setups[1].pk, "text": "3"}])

    def test_who_may_ask(self):
        body = {"effects": [], "days": "100"}
        for role, status in ((Role.VIEWER, 403), (Role.OWNER, 200)):
            self.client.force_login(scenes.person(role))
            answer = self.client.post(f"/api/programmes/{self.programme.pk}/odds", body, "application/json")
            self.assertEqual(answer.status_code, status)

    def test_only_what_the_order_visits_is_simulated(self):
        plan = saving.plan_in_force(self.programme)
        self.programme.steps.filter(setup=self.setups[2]).delete()
        given = odds.arguments(self.programme, {}, "100", "")
        self.assertEqual(given["setups"], [setup.pk for setup in self.setups[:2]])
        self.assertEqual(len(plan.setups), 3)
        self.programme.steps.all().delete()
        with self.assertRaisesMessage(Invalid, "no running order"):
            odds.arguments(self.programme, {}, "100", "")
