"""Criteria that exclude, cost, and what decides between setups that are equal."""

from decimal import Decimal
from typing import Any

import scenes
from django.test import TestCase
from torvix_core.engine.dimensions import Slot
from torvix_core.engine.evidence import Origin

from engines.builds import service as builds
from engines.models import PartReading
from engines.parts.service import PartFacts, add_part, write_down
from engines.sheet.readings import ReadingChange
from programmes.models import Programme
from shop.models import Person, Role
from stand.notes import service as notes

LEVEL = ((1.0, 1.003, 0.998), (1.001, 0.999, 1.002), (0.999, 1.001, 1.0))
CLEAR = ((1.0, 1.001, 0.999), (1.05, 1.051, 1.049), (1.02, 1.021, 1.019))


class Scene(TestCase):
    operator: Person
    programme: Programme
    setups: list[Any]

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.setups = list(cls.programme.setups.all())

    def setUp(self):
        self.client.force_login(self.operator)

    def clear_day(self) -> None:
        """Three setups that differ, and a return, so that drift does not hide it."""
        opened = scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        for level in (1.0, 1.001):
            scenes.pull(opened, self.setups[0], self.operator, level=level)

    def price(self, *prices: str | None) -> None:
        for setup, price in zip(self.setups, prices, strict=True):
            setup.parts.update(price=None if price is None else Decimal(price))

    def height(self, *heights: str) -> None:
        for setup, text in zip(self.setups, heights, strict=True):
            write_down(self.operator, setup.parts.get(), "height", ReadingChange(text, Origin.MEASURED), scenes.DAY)

    def sheet(self, **lines: str) -> None:
        for key, text in lines.items():
            builds.write_down(
                self.operator, self.programme.build, key, ReadingChange(text, Origin.MEASURED), scenes.DAY
            )

    def verdict(self, **query: Any) -> dict:
        return self.client.get(f"/api/programmes/{self.programme.pk}/verdict", query).json()

    def placing(self, letter: str) -> dict:
        setup = next(one for one in self.setups if one.letter == letter)
        return next(one for one in self.verdict()["placings"] if one["setup_id"] == setup.pk)


class Excluding(Scene):
    def test_a_setup_that_is_too_tall_may_not_win_and_keeps_its_numbers(self):
        self.clear_day()
        before = self.placing("B")["score"]
        self.height("180 mm", "290 mm", "200 mm")
        self.programme.height_limit = 0.25
        self.programme.save()
        answer = self.verdict()
        self.assertEqual(answer["winner_id"], self.setups[2].pk)
        self.assertIn("B is ruled out: 290 mm high, 40 mm over the limit of 250 mm.", answer["headline"])
        self.assertEqual(self.placing("B")["score"], before)
        self.assertEqual(self.placing("B")["chance_percent"], 0.0)
        self.assertEqual(PartReading.objects.filter(dimension="height").count(), 3)

    def test_a_part_that_the_customer_keeps_rules_out_what_changes_it(self):
        self.clear_day()
        self.programme.fixed_slots = ["intake_manifold", "cylinder_head"]
        self.programme.save()
        answer = self.verdict()
        self.assertEqual(answer["winner_id"], self.setups[0].pk)
        self.assertIn("B is ruled out: Changes the intake manifold, which the customer keeps.", answer["headline"])
        self.assertEqual(self.placing("A")["fails"], [])

    def test_a_measured_clearance_below_the_least_rules_out_every_setup_that_has_it(self):
        self.sheet(intake_lift="10 mm", intake_clearance="1.2 mm", exhaust_clearance="2.5 mm")
        self.clear_day()
        for letter in "ABC":
            self.assertEqual(
                self.placing(letter)["fails"],
                ["Piston to intake valve is closer than the least that is common practice. Do not turn it over."],
            )

    def test_a_pulley_that_turns_the_blower_too_fast_rules_its_setup_out(self):
        self.sheet(crank_pulley="180 mm", blower_pulley="90 mm", blower_limit="15000")
        small = add_part(self.operator, scenes.DAY, Slot.PULLEY, PartFacts("70 mm pulley"),
                         {"crank_pulley": "180 mm", "blower_pulley": "70 mm"})  # fmt: skip
        self.setups[1].parts.add(small)
        self.clear_day()
        self.assertEqual([bool(self.placing(letter)["fails"]) for letter in "ABC"], [False, True, False])
        self.assertIn("The blower turns faster than its limit", self.placing("B")["fails"][0])

    def test_the_budget_of_the_build_sheet_is_the_ceiling_of_a_plan_without_one(self):
        self.price("100", "500", "300")
        self.sheet(budget="400")
        self.clear_day()
        self.assertEqual(self.placing("B")["fails"], ["Its parts cost 500 USD, above the ceiling of 400 USD."])
        self.programme.cost_ceiling = Decimal(600)
        self.programme.save()
        self.assertEqual(self.placing("B")["fails"], [])


class Cost(Scene):
    def test_cost_per_gain_where_there_is_a_gain(self):
        self.clear_day()
        self.price("100", "500", None)
        b, c = self.placing("B"), self.placing("C")
        gained = b["power"] - self.placing("A")["power"]
        self.assertAlmostEqual(b["cost_per_power"], 500 / gained, places=6)
        self.assertEqual((c["cost_per_power"], len(c["unknown_prices"])), (None, 1))
        self.assertIsNone(self.placing("A")["cost_per_power"])

    def equal_day(self) -> None:
        """Three setups whose whole difference lies inside what matters to this test."""
        scenes.day_of_pulls(self.programme, self.operator, LEVEL)
        self.programme.smallest_difference = 0.05
        self.programme.save()

    def test_equal_setups_keep_the_cheaper_part(self):
        self.equal_day()
        self.price("100", "500", "300")
        headline = "Choose A on cost: setup B costs 500 USD more and setup C costs 300 USD more."
        self.assertIn(headline, self.verdict()["headline"])
        self.assertIsNone(self.placing("B")["cost_per_power"])

    def test_an_unknown_price_is_told_not_guessed(self):
        self.equal_day()
        self.price("100", "500", None)
        self.assertTrue(
            [headline for headline in self.verdict()["headline"] if "The cost of C is not known" in headline]
        )

    def test_the_lower_one_is_told_where_all_heights_are_known(self):
        self.equal_day()
        self.assertFalse([headline for headline in self.verdict()["headline"] if "lowest" in headline])
        self.height("180 mm", "190 mm", "212 mm")
        self.assertIn("A is the lowest, by up to 32 mm.", self.verdict()["headline"])

    def test_undecided_setups_give_no_advice_on_cost_but_the_fact(self):
        scenes.day_of_pulls(self.programme, self.operator, LEVEL)
        self.price("100", "500", "300")
        answer = self.verdict()
        self.assertEqual(answer["level_state"], "undecided")
        headline = " ".join(answer["headline"])
        self.assertNotIn("on cost", headline)
        self.assertRegex(headline, r"[ABC] costs \d+ USD (more|less) than [ABC]\.")
        self.assertRegex(headline, r"would (be needed to )?decide between")

    def test_a_private_price_is_hidden_from_readers_and_changes_no_choice(self):
        self.equal_day()
        self.price("100", "500", "300")
        for setup in self.setups:
            setup.parts.update(price_is_private=True)
        self.programme.cost_ceiling = Decimal(400)
        self.programme.save()
        owner = self.verdict()
        self.assertEqual(self.placing("B")["cost"], 500.0)
        self.client.force_login(scenes.person(Role.VIEWER))
        viewer = self.verdict()
        for key in ("winner_id", "level_ids", "level_state", "ahead"):
            self.assertEqual(viewer[key], owner[key])
        self.assertEqual([one["chance_percent"] for one in viewer["placings"]],
                         [one["chance_percent"] for one in owner["placings"]])  # fmt: skip
        b = self.placing("B")
        self.assertEqual((b["cost"], len(b["hidden_prices"]), b["unknown_prices"]), (None, 1, []))
        self.assertEqual(b["fails"], ["Its parts cost more than the ceiling of 400 USD."])
        headline = " ".join(viewer["headline"])
        self.assertIn("Choose A on cost.", headline)
        self.assertNotIn("500", headline)

    def test_an_unknown_price_neither_keeps_the_ceiling_nor_breaks_it(self):
        self.clear_day()
        self.price("100", None, "300")
        self.programme.cost_ceiling = Decimal(400)
        self.programme.save()
        answer = self.verdict()
        self.assertEqual(answer["winner_id"], self.setups[1].pk)
        self.assertIn("Whether B keeps the cost ceiling is not known: a price is missing.", answer["headline"])


class Manners(Scene):
    def test_what_was_heard_and_seen_stands_beside_the_setup(self):
        opened = scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        pull = opened.pulls.get(number=4)
        notes.write(self.operator, opened, "felt", "Soft below 2800", scenes.DAY, pull=pull)
        self.assertEqual(self.placing("B")["manners"], ["Feel: Soft below 2800"])
        self.assertEqual(self.placing("A")["manners"], [])


class Dominance(Scene):
    def test_a_winner_that_is_nowhere_worse_is_said_to_be(self):
        self.clear_day()
        self.assertIn(
            "B is nowhere worse than A and C by more than 0.3 %, at any speed that all were run at.",
            self.verdict()["headline"],
        )
