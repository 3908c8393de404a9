"""What is undecided over all open tests, what would decide it as the verdict says, and the action that plans it."""

from datetime import timedelta
from decimal import Decimal
from typing import Any

import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from torvix_core.air.standards import Standard

from programmes.models import DayRules, Programme, SlotWork
from programmes.plan import saving
from shop.models import Person, Role, Stand
from stand.models import Pull
from stand.session import opening
from verdicts.decisions import service as decisions
from verdicts.judging.choice import Choice

CLOSE = ((1.0, 1.002, 0.999), (1.006, 1.0045, 1.008), (0.95, 0.951, 0.949))


class NextPulls(TestCase):
    operator: Person

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)

    def setUp(self):
        self.client.force_login(self.operator)

    def ran(self, name: str, levels=CLOSE) -> Programme:
        programme = scenes.programme(self.operator, engine=f"engine {name}", parts=f"manifold of {name}, number")
        stand = Stand.objects.create(name=f"Stand {name}")
        opened = scenes.session(programme, self.operator, stand)
        for setup, of_setup in zip(programme.setups.all(), levels, strict=True):
            for level in of_setup:
                scenes.pull(opened, setup, self.operator, level=level)
        opening.close_session(self.operator, opened, scenes.DAY + timedelta(hours=3))
        return programme

    def rows(self) -> list[dict[str, Any]]:
        return self.client.get("/api/next-pulls").json()["rows"]

    def test_it_says_what_the_verdict_says(self):
        programme = self.ran("one")
        (row,) = self.rows()
        verdict = self.client.get(f"/api/programmes/{programme.pk}/verdict").json()
        words = " ".join(verdict["headline"])
        self.assertIn("would decide between B and A", words)
        for line in ("more pull", " of A", " of B"):
            self.assertIn(line, row["sentence"])
        planned = row["sentence"].split("undecided. ")[1].split(" in one session")[0]
        self.assertIn(planned.lower(), words.lower())
        self.assertTrue(row["sentence"].startswith("B over A: +"), row["sentence"])

    def test_what_is_decided_by_the_pulls_or_by_somebody_is_not_there(self):
        self.ran("clear", ((1.0, 1.001, 0.999), (1.05, 1.051, 1.049), (0.95, 0.951, 0.949)))
        programme = self.ran("close")
        self.assertEqual([row["programme_id"] for row in self.rows()], [programme.pk])
        decisions.decide(
            self.operator, programme, Choice(Standard.ISO_1585_SI), None, "it stays", scenes.DAY + timedelta(days=1)
        )
        self.assertEqual(self.rows(), [])

    def test_minutes_and_cost_are_those_of_a_session_of_its_own(self):
        programme = self.ran("one")
        DayRules.objects.filter(programme=programme).update(hour_price=Decimal(120), warm_up_min=20, pull_min=2,
                                                            cool_down_min=2, conditioning_pulls=1)  # fmt: skip
        SlotWork.objects.create(
            programme=programme, key="intake_manifold", label="Intake manifold", remove_min=10, install_min=15
        )
        (row,) = self.rows()
        pulls = sum(int(word) for word in row["sentence"].split("undecided.")[1].split() if word.isdigit())
        # Warm-up; the manifold of B in place of the baseline's, and back; each visit with a pull that conditions.
        self.assertAlmostEqual(row["minutes"], 20 + 2 * (10 + 15) + 4 * (pulls + 2))
        self.assertAlmostEqual(row["price"], 2 * row["minutes"])

    def test_one_action_puts_them_into_the_plan_and_a_viewer_may_not(self):
        programme = self.ran("one")
        before = saving.plan_in_force(programme).order
        self.assertTrue(self.rows()[0]["may_plan"])
        answer = self.client.post(f"/api/programmes/{programme.pk}/next-pulls")
        self.assertEqual(answer.status_code, 200, answer.content)
        order = saving.plan_in_force(programme).order
        self.assertEqual([visit.pk for visit in order[: len(before)]], [visit.pk for visit in before])
        self.assertEqual({visit.setup for visit in order[len(before) :]}, {0, 1})
        (row,) = self.rows()
        self.assertEqual((row["planned"], row["may_plan"]), (True, False))
        self.assertEqual(self.client.post(f"/api/programmes/{programme.pk}/next-pulls").status_code, 409)
        self.client.force_login(scenes.person(Role.VIEWER))
        self.assertEqual(self.client.post(f"/api/programmes/{programme.pk}/next-pulls").status_code, 403)
        self.assertFalse(self.rows()[0]["may_plan"])

    def test_visits_that_were_made_are_not_planned(self):
        programme = self.ran("one")
        self.client.post(f"/api/programmes/{programme.pk}/next-pulls")
        self.assertTrue(self.rows()[0]["planned"])
        last = programme.steps.order_by("position").last()
        # A pull that does not count was made for one of them: what is undecided stays so, and is offered again.
        pull = Pull.objects.filter(session__programme=programme, setup=last.setup).last()
        Pull.objects.filter(pk=pull.pk).update(step=last)
        self.assertFalse(self.rows()[0]["planned"])

    def test_a_setup_that_may_not_be_chosen_is_not_proposed(self):
        programme = self.ran("one")
        second = programme.setups.all()[1].parts.get()
        height = f"/api/parts/{second.pk}/readings/height/measured"
        self.client.put(height, {"text": "300 mm"}, content_type="application/json")
        Programme.objects.filter(pk=programme.pk).update(height_limit=0.2)
        self.assertEqual(self.rows(), [])
        self.client.put(height, {"text": "150 mm"}, content_type="application/json")  # a reading alone, and it is seen
        self.assertEqual(len(self.rows()), 1)

    def test_many_tests_take_as_many_queries_as_few(self):
        def count() -> int:
            self.rows()
            with CaptureQueriesContext(connection) as asked:
                self.rows()
            return len(asked)

        self.ran("one")
        few = count()
        for name in ("two", "three", "four"):
            self.ran(name)
        self.assertEqual(count(), few)
        self.assertEqual(len(self.rows()), 4)
