"""Whether the choice would be the same by other rules."""

import scenes
from django.test import TestCase

from programmes.models import STANDARDS, Programme
from shop.models import Person, Role

SURE = ((1.0, 1.001, 0.999), (1.05, 1.051, 1.049), (0.97, 0.971, 0.969))


class Robustness(TestCase):
    operator: Person
    programme: Programme

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)

    def setUp(self):
        self.client.force_login(self.operator)

    def read(self) -> dict:
        return self.client.get(f"/api/programmes/{self.programme.pk}/robustness").json()

    def test_a_sure_winner_holds_under_every_variation(self):
        scenes.day_of_pulls(self.programme, self.operator, SURE)
        answer = self.read()
        self.assertRegex(answer["sentence"], r"^The choice of B holds under every one of \d+ variations: standards, ")
        self.assertTrue(
            answer["sentence"].endswith("This looks at the same pulls in other ways; it is no further evidence.")
        )
        kinds = [one["kind"] for one in answer["variations"]]
        self.assertEqual(kinds.count("standard"), len(STANDARDS) - 1)
        self.assertEqual((kinds.count("school"), kinds.count("measure"), kinds.count("pull")), (3, 3, 9))
        self.assertEqual(kinds.count("range"), 4)
        self.assertTrue(all(one["held"] for one in answer["variations"]))

    def test_a_choice_that_hangs_on_one_pull_says_on_which(self):
        """B is not separated from A only as its last pull reads 4 % low."""
        levels = ((1.0, 1.001, 0.999), (1.03, 1.031, 0.985), (0.9, 0.901, 0.899))
        opened = scenes.day_of_pulls(self.programme, self.operator, levels)
        scenes.pull(opened, self.programme.setups.first(), self.operator, level=1.0)
        answer = self.read()
        changed = {one["label"] for one in answer["variations"] if not one["held"] and not one["why_not"]}
        self.assertIn("without pull 6", changed)
        self.assertIn("It does not hold with:", answer["sentence"])

    def test_what_cannot_be_tried_says_why(self):
        """Pulls without weather can be looked at observed alone."""
        opened = scenes.session(self.programme, self.operator)
        self.programme.standard = "observed"
        self.programme.save()
        for setup, level in ((0, 1.0), (0, 1.001), (1, 1.1), (1, 1.101)):
            scenes.pull(opened, self.programme.setups.get(position=setup), self.operator, level=level, air=None)
        told = [one["why_not"] for one in self.read()["variations"] if one["kind"] == "standard"]
        self.assertTrue(told)
        self.assertTrue(all("has no weather" in why for why in told))

    def test_one_setup_has_nothing_to_vary(self):
        opened = scenes.session(self.programme, self.operator)
        for level in (1.0, 1.001):
            scenes.pull(opened, self.programme.setups.first(), self.operator, level=level)
        self.assertEqual(self.read()["sentence"], "")
