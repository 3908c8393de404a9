"""Claims in words against recorded pulls of one made-up curve, scaled. The horsepower is that of NIST SP 811 [mem]."""

from typing import Any

import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from programmes.models import Programme
from shop.models import Person, Role

HP = 745.69987


class Case(TestCase):
    person: Person
    programme: Programme
    baseline: Any
    second: Any
    third: Any

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.person)
        cls.baseline, cls.second, cls.third = cls.programme.setups.all()
        opened = scenes.session(cls.programme, cls.person)
        for setup, level in ((cls.baseline, 1.0), (cls.second, 1.03), (cls.third, 1.0), (cls.baseline, 1.0)):
            for scatter in (1.0, 1.001, 0.999):
                scenes.pull(opened, setup, cls.person, level=level * scatter)

    def setUp(self):
        self.client.force_login(self.person)

    def ask(self, text: str, setup=None, **more: Any):
        asked = {"text": text, "standard": "observed", **({"setup_id": setup.pk} if setup else {}), **more}
        return self.client.get(f"/api/programmes/{self.programme.pk}/claim", asked)

    def read(self, text: str, setup=None, **more: Any) -> dict:
        answer = self.ask(text, setup, **more)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def refused(self, text: str, field: str, setup=None) -> str:
        answer = self.ask(text, setup)
        self.assertEqual(answer.status_code, 422, answer.content)
        return answer.json()["fields"][field]


class Gains(Case):
    def test_a_gain_at_one_speed(self):
        """By hand: 280 − 15·((5000 − 4200)/1500)² = 275.73 N·m at 5000 rpm; 3 % of it is 8.27 N·m or 5.81 hp."""
        found = self.read("picked up 6 hp at 5000", self.second)
        self.assertAlmostEqual(found["value"], 275.733 * 0.03 * 5000 * 3.14159265 / 30 / HP, delta=0.05)
        self.assertEqual((found["state"], found["unit"], found["where"]), ("agrees", "hp", "at 5000 rpm"))
        self.assertIn("The claim of +6.0 hp agrees with these pulls.", found["sentences"])
        self.assertEqual(len(found["pulls"]), 9)  # six of the baseline and three of B

    def test_more_than_was_found_is_said_to_be_more_and_where_most_was_found(self):
        found = self.read("20 hp from manifold 1")
        self.assertEqual((found["state"], found["setup_id"]), ("too_high", self.second.pk))
        said = " ".join(found["sentences"])
        self.assertIn("The claim of +20.0 hp is more than these pulls allow.", said)
        self.assertRegex(said, r"Of that sign the pulls show most at \d+ rpm: \+\d\.\d hp ± \d\.\d hp\.")

    def test_what_is_not_separated_from_none_is_not_shown(self):
        found = self.read("0.2 % more torque on average", self.third)
        self.assertEqual(found["state"], "not_shown")
        self.assertIn("so does no difference at all", found["sentences"][1])

    def test_a_loss_is_a_gain_below_nought(self):
        found = self.read("lost 3 % below 4500", self.second)
        self.assertEqual((found["claimed"], found["state"]), (-3.0, "too_low"))
        self.assertAlmostEqual(found["value"], 3.0, delta=0.1)

    def test_against_another_setup_than_the_baseline(self):
        found = self.read("B makes 3 % more than C")
        self.assertEqual((found["setup_id"], found["against_id"]), (self.second.pk, self.third.pk))
        self.assertEqual(found["state"], "agrees")


class Readings(Case):
    def test_a_bare_number_is_what_it_lies_nearer_to(self):
        """The baseline makes 275.7 N·m at 5000 rpm, by hand 203.4 lb-ft and 193.6 hp."""
        for text, unit, thing in (("203 at 5000", "lb-ft", "torque"), ("194 at 5000", "hp", "power")):
            with self.subTest(text=text):
                found = self.read(text, self.baseline)
                self.assertEqual((found["unit"], found["thing"], found["state"]), (unit, thing, "agrees"))
                self.assertIn(f"Read as {unit}, as it fits better so.", found["sentences"][-1])

    def test_a_reading_under_another_standard_says_which(self):
        plain = self.read("made 280 N·m", self.baseline)
        self.assertEqual((plain["state"], plain["where"]), ("agrees", "at the peak"))
        other = self.read("made 280 N·m", self.baseline, standard="sae_j1349")
        self.assertEqual(other["state"], "too_low")
        self.assertIn("Observed", " ".join(other["sentences"]))

    def test_the_verdict_and_the_claim_agree(self):
        verdict = self.client.get(f"/api/programmes/{self.programme.pk}/verdict?measure=peak_power").json()
        unit, score = verdict["score_unit"], {one["setup_id"]: one["score"] for one in verdict["placings"]}
        found = self.read(f"made {score[self.second.pk]:.1f} {unit}", self.second, standard="")
        self.assertAlmostEqual(found["value"], score[self.second.pk], places=6)
        self.assertEqual(found["state"], "agrees")


class Unclear(Case):
    def test_every_slip_is_named_at_its_field(self):
        for text, setup, field, message in (
            ("it runs better", None, "text", "a figure, such as"),
            ("12 hp and 15 lb-ft", None, "text", "one figure at a time"),
            ("up 12 at 5000", self.second, "text", "write the unit"),
            ("12 hp more", None, "setup_id", "choose whose it is"),
            ("12 hp from the manifold", None, "setup_id", "the words fit B, C: choose one"),
            ("12 hp more", self.baseline, "setup_id", "choose the setup that is to gain"),
            ("12 hp", self.second, "text", "a gain is written “12 hp more”"),
            ("280 N·m more", self.second, "text", "a reading is written “made 430 hp”"),
            ("12 hp more at 8500", self.second, "text", "8500 rpm is not covered"),
        ):
            with self.subTest(text=text):
                self.assertIn(message, self.refused(text, field, setup))

    def test_without_a_pull_there_is_nothing_to_check_against(self):
        empty = scenes.programme(self.person, engine="another", parts="other")
        answer = self.client.get(f"/api/programmes/{empty.pk}/claim", {"text": "12 hp more"})
        self.assertEqual(answer.status_code, 409)

    def test_the_questions_asked_of_the_database_are_bounded(self):
        """A claim that agrees asks for one comparison; a reading that does not asks for one by each standard."""
        for text, most in (("made 280 N·m", 30), ("made 300 N·m", 100)):
            with self.subTest(text=text), CaptureQueriesContext(connection) as asked:
                self.read(text, self.baseline)
            self.assertLessEqual(len(asked), most)
