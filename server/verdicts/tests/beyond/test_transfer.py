"""A gain carried to another engine, and replaced by what was measured there."""

from datetime import timedelta
from typing import Any
from unittest import mock

import numpy as np
import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from engines.builds.service import describe_engine
from engines.models import Build
from programmes.models import Programme
from programmes.plan.plans import Plan, PlannedSetup, PlannedVisit, Sweep
from programmes.plan.saving import plan_in_force, plan_programme
from programmes.settings.service import read_setting
from shop.models import Person, Role, Stand
from verdicts.comparison import aligned_pulls
from verdicts.models import Estimate

SPARK = "setting:spark_advance"
SMALL = {**scenes.SIX, "bore": "80 mm", "stroke": "70 mm"}


class Scene(TestCase):
    operator: Person
    programme: Programme
    setups: list[Any]
    small: Build

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator, setups=2)
        cls.setups = list(cls.programme.setups.all())
        cls.small = describe_engine(cls.operator, scenes.DAY, "2.1 six", SMALL)
        cls.pull_all(cls.programme, 0.03)

    @classmethod
    def pull_all(cls, planned: Programme, tilt: float) -> None:
        """The second setup loses below 4500 and gains above."""
        opened = scenes.session(planned, cls.operator, Stand.objects.create(name=f"Stand of {planned.pk}"))
        rng = np.random.default_rng(planned.pk)
        first, second = planned.setups.all()
        for setup in (first, first, first, second, second, second, first, first):
            level = float(np.exp(rng.normal(0, 0.001)))
            scenes.pull(opened, setup, cls.operator, level=level, tilt=tilt if setup == second else 0.0)

    def there(self, build: Build, tilt: float, spark: tuple[str, str] = ("", "")) -> Programme:
        """The same parts on another engine."""
        plan = Plan(
            question="The same there?", order=[PlannedVisit(0, 2), PlannedVisit(1, 2)], sweep=Sweep(2000, 6900, 350),
            setups=[
                PlannedSetup(one.name, one.parts, {SPARK: read_setting(SPARK, text, {})} if text else {})
                for one, text in zip(plan_in_force(self.programme).setups, spark, strict=True)
            ],
            range_rpm=(3000, 6000),
        )  # fmt: skip
        made = plan_programme(self.operator, scenes.DAY, build, plan)
        self.pull_all(made, tilt)
        return made

    def setUp(self):
        self.client.force_login(self.operator)

    def ask(self, **query: Any):
        return self.client.get(f"/api/programmes/{self.programme.pk}/transfer", query)

    def carried(self, **query: Any) -> dict[str, Any]:
        answer = self.ask(**query)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()


class ByTheRule(Scene):
    def test_speeds_scale_by_the_air_of_a_cylinder_and_the_crossing_rises(self):
        found = self.carried(build_id=self.small.pk)
        own, there = found["gains"]
        self.assertEqual((own["nature"], there["nature"], there["label"]), ("measured", "transferred", "2.1 six"))
        scale = (86.6**2 * 82.4) / (80**2 * 70)
        self.assertAlmostEqual(there["speed_rpm"][0] / own["speed_rpm"][0], scale, places=3)
        self.assertEqual(there["percent"][:9], own["percent"][:9])
        self.assertGreater(
            there["high_percent"][9] - there["low_percent"][9], own["high_percent"][9] - own["low_percent"][9]
        )
        self.assertRegex(
            found["sentence"], r"^Transferred, not measured: B over A .+ moves from 4[45]\d\d to about 6\d\d\d rpm"
        )
        self.assertIn("common practice, no source", found["rule"])
        self.assertIn("our own assumption", found["spread"])

    def test_nothing_is_drawn_above_the_redline_there(self):
        there = self.carried(build_id=self.small.pk)["gains"][1]
        self.assertLessEqual(there["speed_rpm"][-1], 7200)

    def test_an_engine_can_be_typed(self):
        there = self.carried(displacement="2.9 L", cylinders=6)["gains"][1]
        self.assertAlmostEqual(there["speed_rpm"][0], 2400 * 2.912 / 2.9, delta=20)

    def test_without_an_engine_only_what_was_measured_stands_there(self):
        found = self.carried()
        self.assertEqual([one["nature"] for one in found["gains"]], ["measured"])
        self.assertEqual([one["label"] for one in found["engines"]], ["2.1 six"])
        self.assertEqual(found["sentence"], "")

    def test_a_verdict_never_ranks_it(self):
        before = self.client.get(f"/api/programmes/{self.programme.pk}/verdict").json()
        self.carried(build_id=self.small.pk)
        self.assertEqual(self.client.get(f"/api/programmes/{self.programme.pk}/verdict").json(), before)

    def test_each_slip_is_named_at_its_field(self):
        for query, fields in (
            ({"displacement": "much", "cylinders": 6}, {"displacement"}), ({"displacement": "2 L"}, {"cylinders"}),
            ({"displacement": "2 L", "cylinders": 6, "strokes": 3}, {"strokes"}), ({"other": 987654}, {"other"}),
            ({"build_id": self.small.pk, "demand": "joy"}, {"demand"}),
            ({"build_id": self.small.pk, "by_port": "true"}, {"port_area"}),
        ):  # fmt: skip
            with self.subTest(query=query):
                answer = self.ask(**query)
                self.assertEqual((answer.status_code, set(answer.json()["fields"])), (422, fields))

    def test_queries_do_not_grow_with_the_pulls(self):
        def count() -> int:
            aligned_pulls.forget()
            with CaptureQueriesContext(connection) as caught:
                self.ask(build_id=self.small.pk)
            return len(caught)

        before = count()
        opened = self.programme.sessions.get()
        for _ in range(3):
            scenes.pull(opened, self.setups[1], self.operator, tilt=0.03)
        self.assertEqual(count(), before)


class ByData(Scene):
    def test_where_both_were_tested_the_data_replace_the_rule(self):
        self.there(self.small, 0.02)
        found = self.carried(build_id=self.small.pk)
        self.assertEqual([one["nature"] for one in found["gains"]], ["measured", "measured"])
        self.assertIn("Measured there: B over A", found["sentence"])
        self.assertIn('"The same there?"', found["sentence"])

    def test_setups_that_differ_in_a_setting_too_are_not_the_same_change(self):
        self.there(self.small, 0.02, ("28", "34"))
        self.assertEqual([one["nature"] for one in self.carried(build_id=self.small.pk)["gains"]],
                         ["measured", "transferred"])  # fmt: skip

    def test_what_was_measured_there_is_found_however_old_and_what_is_not_read_is_counted(self):
        old = self.there(self.small, 0.02)
        Programme.objects.filter(pk=old.pk).update(created_at=scenes.DAY - timedelta(days=400))
        for number in range(3):
            self.there(describe_engine(self.operator, scenes.DAY, f"six number {number}", SMALL), 0.02)
        with mock.patch("verdicts.transfer.service.MOST_TESTS", 3):
            found = self.carried(build_id=self.small.pk)
            self.assertEqual(found["gains"][-1]["nature"], "measured")
            found = self.carried(displacement="2.1 L", cylinders=6)
        self.assertIn("Not read: 1 older test with these parts.", str(found))

    def test_three_engines_with_the_same_parts_teach_how_engines_differ(self):
        for number in range(3):
            build = describe_engine(
                self.operator, scenes.DAY, f"Six {number}", {**SMALL, "stroke": f"{70 + number} mm"}
            )
            self.there(build, 0.025 + 0.005 * number)
        found = self.carried(build_id=self.small.pk)
        self.assertIn("learned from 3 tests of the same parts on other engines", found["spread"])


class Kept(Scene):
    def keep(self, **given: Any):
        url = f"/api/programmes/{self.programme.pk}/transfer"
        return self.client.post(url, given, "application/json")

    def listed(self) -> list[dict[str, Any]]:
        return self.client.get(f"/api/programmes/{self.programme.pk}/estimates").json()

    def test_it_is_kept_with_its_rule_and_held_against_the_test_over_there(self):
        answer = self.keep(build_id=self.small.pk)
        self.assertEqual(answer.status_code, 201, answer.content)
        held = answer.json()
        self.assertEqual((held["nature"], held["inside"]), ("transferred", None))
        self.assertEqual(held["made_from"][0], "Carried to 2.1 six.")
        self.assertIn("common practice, no source", held["made_from"][1])
        Estimate.objects.update(at=scenes.DAY - timedelta(days=1))
        later = self.there(self.small, 0.03)
        (found,) = self.listed()
        self.assertEqual(found["test_id"], later.pk)
        self.assertRegex(found["outcome"], r"^Tested since, in \"The same there\?\": ")
        self.assertLess(found["inside"], 0.5)  # there it gains at its old speeds, not where the same air comes

    def test_what_was_measured_there_is_not_kept_as_an_estimate(self):
        self.there(self.small, 0.03)
        answer = self.keep(build_id=self.small.pk)
        self.assertEqual((answer.status_code, set(answer.json()["fields"])), (422, {"build_id"}))
        self.assertEqual(self.keep().status_code, 422)

    def test_one_of_a_typed_engine_waits_for_no_test(self):
        self.assertEqual(self.keep(displacement="2.5 L", cylinders=6).status_code, 201)
        self.assertEqual(self.listed()[0]["outcome"], "")
