"""What a plan's parts did last time, and with what else: not in the plan's own test, and never cut without a word."""

import scenes
from django.db import connection
from django.test.utils import CaptureQueriesContext
from torvix_core.engine.dimensions import Slot

from engines.parts.service import PartFacts, add_part
from verdicts.tests.overlay.test_overlay import LEVELS, Scene


class EarlierResultsOfParts(Scene):
    def planned(self, engine: str = ""):
        """A plan with the first test's two manifolds, and a spacer that it did not have then."""
        build = None if engine else self.first.build
        named = f"planned {engine}, number"
        made = scenes.programme(self.operator, build=build, engine=engine or "2.9 six", parts=named)
        spacer = add_part(self.operator, scenes.DAY, Slot.SPACER, PartFacts(f"new spacer {engine}"), {})
        for place in (0, 1):
            manifold = self.first.setups.all()[place].parts.get(slot=Slot.INTAKE_MANIFOLD)
            made.setups.all()[place].parts.set([manifold, spacer])
        return made

    def earlier(self, programme):
        answer = self.client.get(f"/api/programmes/{programme.pk}/earlier-results")
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def test_a_part_says_what_it_gained_last_time_and_on_what(self):
        planned = self.planned("another eight")
        found = self.earlier(planned)
        (one,) = [row for row in found["parts"] if row["part"] == "manifold 1"]
        (row,) = one["rows"]
        self.assertRegex(row["sentence"], r"^\+3\.\d % ± \d\.\d % torque over A on average, on 2\.9 six\.$")
        self.assertEqual(row["programme_id"], self.first.pk)
        self.assertEqual(row["overlay_key"], f"s{self.first.setups.all()[1].pk}")
        self.assertEqual(found["engine"], [])

    def test_other_parts_that_were_there_are_named(self):
        old = add_part(self.operator, scenes.DAY, Slot.SPACER, PartFacts("the old spacer"), {})
        for setup in self.first.setups.all():
            setup.parts.add(old)
        (one,) = [row for row in self.earlier(self.planned())["parts"] if row["part"] == "manifold 1"]
        self.assertIn("on average, with the old spacer.", one["rows"][0]["sentence"])

    def test_older_ones_are_counted_and_other_tests_of_the_engine_are_named(self):
        for number in range(4):
            again = scenes.programme(self.operator, build=self.first.build, parts=f"again {number}, number")
            again.setups.all()[1].parts.set(self.first.setups.all()[1].parts.all())
            self.day(again, LEVELS)
        found = self.earlier(self.planned())
        (one,) = [row for row in found["parts"] if row["part"] == "manifold 1"]
        self.assertEqual((len(one["rows"]), one["more"]), (3, 2))
        self.assertEqual((len(found["engine"]), found["engine_more"]), (3, 3))

    def test_many_parts_take_as_many_queries_as_few(self):
        planned = self.planned()

        def count() -> int:
            self.earlier(planned)
            with CaptureQueriesContext(connection) as asked:
                self.earlier(planned)
            return len(asked)

        few = count()
        for number, setup in enumerate(self.second.setups.all()[1:]):
            planned.setups.all()[2].parts.add(*setup.parts.all())
            self.assertEqual(count(), few, number)
