"""Guidelines gather their tests by themselves: by engine, each recording once, nulls counted, and never too sure."""

from typing import Any

import numpy as np
import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from torvix_core.guidelines.pooling import pool

from engines.builds.service import describe_owner
from programmes.models import Programme, SetupSetting
from shop.models import Person, Role, Stand
from stand.models import Pull, PullOrigin
from stand.session import opening
from verdicts.access import programme_with_parts
from verdicts.guidelines.evidence import gather
from verdicts.guidelines.predictions import of_test
from verdicts.models import Explanation, Guideline

LENGTHS = np.array([420.0, 330.0, 240.0])  # mm, of the manifolds of a scene


class Scene(TestCase):
    operator: Person

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)

    def setUp(self):
        self.client.force_login(self.operator)

    def engine(self, number: int, share: float, *, test: int = 1, build=None, tilt: float = 0.0) -> Programme:
        """A test in which 100 mm more of runner are worth `share` of torque; two pulls each, in one session."""
        dice = np.random.default_rng(100 * number + test)
        programme = scenes.programme(
            self.operator, engine=f"engine {number}", build=build, parts=f"manifold of {number}, test {test}, number"
        )
        stand = Stand.objects.create(name=f"Stand {number}, {test}")
        opened = scenes.session(programme, self.operator, stand)
        for _ in range(2):
            for setup, length in zip(programme.setups.all(), LENGTHS, strict=True):
                level = (1 + 0.05 * number) * np.exp(share * (length - 330) / 100 + dice.normal(0, 0.0008))
                scenes.pull(opened, setup, self.operator, level=level, tilt=tilt * (length - 330) / 100)
        opening.close_session(self.operator, opened, scenes.DAY)
        return programme

    def guideline(self, **changed: Any) -> Guideline:
        given = {"statement": "Longer runners make more torque", "slot": "intake_manifold", "variable": "runner_length",
                 "step": "100 mm", "measure": "torque", "claimed": "more"}  # fmt: skip
        answer = self.client.post("/api/guidelines", {**given, **changed}, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        return Guideline.objects.get(pk=answer.json()["said"]["id"])

    def read(self, guideline: Guideline) -> dict[str, Any]:
        answer = self.client.get(f"/api/guidelines/{guideline.pk}")
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()


class Gathering(Scene):
    def test_one_engine_never_generalizes(self):
        guideline = self.guideline()
        self.assertEqual(self.read(guideline)["said"]["state"], "untested")
        self.engine(1, 0.02)
        found = self.read(guideline)
        self.assertEqual((found["said"]["state"], found["said"]["engines"]), ("one_engine", 1))
        self.assertIn("One engine says nothing of another.", found["said"]["summary"])
        (test,) = found["by_test"]
        self.assertAlmostEqual(test["effect"]["mean"], 2.0, delta=0.15)
        self.assertEqual([row["amount"] for row in test["setups"]], ["240 mm", "330 mm", "420 mm"])
        self.assertEqual((test["bearing"], test["counts"]), ("for", True))

    def test_engines_are_pooled_and_the_next_may_differ(self):
        guideline = self.guideline(smallest="1 %")
        for number, share in enumerate((0.022, 0.012, 0.030, 0.001), 1):
            self.engine(number, share)
        (gathered,) = gather(self.operator, [guideline])
        again = pool(np.array([one.effect for one in gathered.tests]), np.array([one.error for one in gathered.tests]))
        self.assertAlmostEqual(gathered.pooled.mean, again.mean)
        self.assertAlmostEqual(gathered.pooled.mean, 0.0163, delta=0.002)
        self.assertLess(gathered.pooled.next_low, 0)
        found = self.read(guideline)
        self.assertEqual(found["said"]["state"], "open")  # four engines that differ so much leave even the mean open
        self.assertEqual(found["said"]["counts"], "3 for, 1 against, 0 undecided")  # the null counts against it
        self.assertIn("It can go either way there.", found["said"]["summary"])
        self.assertIn("Engines differ", found["said"]["summary"])

    def test_engines_that_agree_hold_for_the_next(self):
        for number in range(1, 5):
            self.engine(number, 0.02)
        found = self.read(self.guideline())
        self.assertEqual(found["said"]["state"], "holds")
        self.assertGreater(found["said"]["pooled"]["next_low"], 0.3)
        against = self.read(self.guideline(claimed="nothing"))
        self.assertEqual((against["said"]["state"], against["said"]["tests_against"]), ("refuted", 4))

    def test_two_tests_of_one_engine_are_one_engine(self):
        first = self.engine(1, 0.02)
        self.engine(1, 0.024, test=2, build=first.build)
        self.engine(2, 0.02)
        found = self.read(self.guideline())
        self.assertEqual((found["said"]["engines"], found["said"]["tests"]), (2, 3))
        self.assertIn("Two engines do not say how far engines differ", found["said"]["summary"])
        self.assertEqual(sorted(row["tests"] for row in found["by_engine"]), [1, 2])

    def test_the_same_recordings_count_once_also_where_they_were_cut(self):
        first = self.engine(1, 0.02)
        copy = scenes.programme(self.operator, build=first.build, parts="the same again, number")
        for mine, theirs in zip(first.setups.all(), copy.setups.all(), strict=True):
            theirs.parts.set(mine.parts.all())
        opened = scenes.session(copy, self.operator, Stand.objects.create(name="files"))
        for pull in Pull.objects.filter(session__programme=first).order_by("pk"):
            place = list(first.setups.all()).index(pull.setup)
            made = scenes.pull(opened, copy.setups.all()[place], self.operator)
            reduced, whole = made.reduced, pull.reduced
            reduced.speed_rpm, reduced.torque = whole.speed_rpm[4:], whole.torque[4:]
            reduced.torque_scatter, reduced.samples = whole.torque_scatter[4:], whole.samples[4:]
            reduced.save()
            reduced.channel_means.all().delete()
        found = self.read(self.guideline())
        self.assertEqual((found["said"]["tests"], len(found["by_test"])), (1, 2))
        copied = next(row for row in found["by_test"] if row["programme_id"] == copy.pk)
        self.assertFalse(copied["counts"])
        self.assertIn("Holds the same recordings", copied["notes"][0])

    def test_simulated_pulls_stand_apart(self):
        self.engine(1, 0.02)
        made_up = self.engine(2, 0.05)
        Pull.objects.filter(session__programme=made_up).update(origin=PullOrigin.SIMULATED)
        found = self.read(self.guideline())
        self.assertEqual((found["said"]["engines"], found["said"]["state"]), (1, "one_engine"))
        (apart,) = found["apart"]
        self.assertEqual((apart["nature"], apart["engines"]), ("simulated", 1))
        self.assertAlmostEqual(apart["effect"]["mean"], 5.1, delta=0.3)

    def test_what_differs_beside_is_said_and_setups_that_differ_elsewhere_are_not_compared(self):
        programme = self.engine(1, 0.02)
        SetupSetting.objects.bulk_create(
            SetupSetting(setup=setup, key="setting:timing", text=f"{30 + place}", value=30 + place)
            for place, setup in enumerate(programme.setups.all())
        )  # fmt: skip
        self.assertEqual(self.read(self.guideline())["by_test"], [])
        SetupSetting.objects.all().delete()
        ends = (programme.setups.all()[place].parts.get() for place in (0, 2))
        for one, volume in zip(ends, ("2 L", "3 L"), strict=True):
            path = f"/api/parts/{one.pk}/readings/plenum_volume/measured"
            self.assertEqual(
                self.client.put(path, {"text": volume}, content_type="application/json").status_code, 200
            )  # fmt: skip
        (test,) = self.read(self.guideline())["by_test"]
        self.assertIn("These parts differ in plenum, too.", test["notes"])

    def test_a_range_that_a_test_does_not_cover_is_not_stretched(self):
        self.engine(1, 0.02)
        found = self.read(self.guideline(low_rpm="3000", high_rpm="4500"))
        self.assertAlmostEqual(found["by_test"][0]["effect"]["mean"], 2.0, delta=0.2)
        found = self.read(self.guideline(low_rpm="3000", high_rpm="6800"))
        self.assertEqual(found["by_test"], [])
        self.assertIn("It was judged from 3000 to 6000 rpm alone.", found["unused"][0]["why"])

    def test_the_speed_of_the_peak_moves(self):
        for number in range(1, 4):
            self.engine(number, 0.0, tilt=-0.02)
        found = self.read(self.guideline(measure="peak_speed", claimed="less", statement="Longer runners peak lower"))
        self.assertEqual(found["said"]["unit"], "rpm")
        self.assertLess(found["said"]["pooled"]["high"], 0)
        # By hand: the peak of (280 - 15 ((n - 4200) / 1500)²) (1 + 0.02 (n - 4500) / 1000) lies about 430 rpm higher.
        speed = np.arange(3000, 6000, 1.0)
        peaks = [speed[scenes.torque_curve(speed, tilt=tilt).argmax()] for tilt in (-0.018, 0.018)]
        self.assertAlmostEqual(found["said"]["pooled"]["mean"], (peaks[0] - peaks[1]) / 1.8, delta=40)


class Reading(Scene):
    def test_many_guidelines_and_tests_are_read_in_as_many_queries_as_few(self):
        def asked() -> int:
            self.client.get("/api/guidelines")
            with CaptureQueriesContext(connection) as queries:
                self.assertEqual(self.client.get("/api/guidelines").status_code, 200)
            return len(queries)

        self.engine(1, 0.02)
        self.guideline()
        few = asked()
        for number in range(2, 5):
            self.engine(number, 0.02)
            self.guideline(statement=f"Said {number} times")
        self.assertEqual(asked(), few)

    def test_who_may_see_an_engine_sees_what_it_says(self):
        viewer = scenes.person(Role.VIEWER)
        programme = self.engine(1, 0.02)
        guideline = self.guideline()
        describe_owner(self.operator, programme.build.engine, owner="somebody", confidential=True)
        self.assertEqual(gather(viewer, [guideline])[0].tests, [])
        self.assertEqual(len(gather(self.operator, [guideline])[0].tests), 1)
        self.client.force_login(scenes.person(Role.CUSTOMER))
        for path in ("guidelines", f"guidelines/{guideline.pk}"):
            self.assertEqual(self.client.get(f"/api/{path}").status_code, 403)

    def test_what_is_typed_wrong_is_said_at_its_field(self):
        given = {"statement": "", "slot": "intake_manifold", "variable": "runner_length", "step": "0 mm",
                 "measure": "torque", "claimed": "more", "smallest": "x", "low_rpm": "5000",
                 "high_rpm": "4000"}  # fmt: skip
        answer = self.client.post("/api/guidelines", given, content_type="application/json")
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(set(answer.json()["fields"]), {"statement", "step", "smallest", "high_rpm"})
        answer = self.client.post("/api/guidelines", {**given, "variable": "color"}, content_type="application/json")
        self.assertIn("variable", answer.json()["fields"])
        self.assertFalse(Guideline.objects.exists())

    def test_explanations_carry_a_grade_stand_beside_each_other_and_are_withdrawn(self):
        programme, guideline = self.engine(1, 0.02), self.guideline()
        path = f"/api/guidelines/{guideline.pk}/explanations"

        def explain(**given: Any):
            return self.client.post(path, given, content_type="application/json")

        self.assertIn("programme_id", explain(text="Port pressure says so", grade="measured").json()["fields"])
        explain(text="The wave arrives later", grade="measured", programme_id=programme.pk)
        found = explain(text="The plenum is larger", grade="opinion").json()
        self.assertIn("nothing says what would separate them", found["rivals"])
        found = explain(text="Less heat", grade="inferred", separated_by="Swap the plenum alone").json()
        self.assertEqual(found["rivals"], "To separate them: Swap the plenum alone.")
        self.assertEqual([row["grade_label"] for row in found["explanations"]], ["Measured", "Opinion", "Inferred"])
        self.assertEqual(found["explanations"][0]["question"], programme.question)
        for one in Explanation.objects.exclude(grade="opinion"):
            found = self.client.put(f"/api/explanations/{one.pk}/withdrawn", {"withdrawn": True},
                                    content_type="application/json").json()  # fmt: skip
        self.assertEqual(found["rivals"], "")
        self.assertEqual(len(found["explanations"]), 3)
        found = explain(text="Only heard of", grade="opinion", programme_id=programme.pk).json()
        self.assertEqual(found["explanations"][-1]["question"], "")  # nothing was measured

    def test_it_leaves_the_list_and_comes_back(self):
        guideline = self.guideline()
        path = f"/api/guidelines/{guideline.pk}/archived"
        self.client.put(path, {"archived": True}, content_type="application/json")
        self.assertEqual(self.client.get("/api/guidelines").json(), [])
        self.assertEqual(len(self.client.get("/api/guidelines?archived=true").json()), 1)
        self.client.put(path, {"archived": False}, content_type="application/json")
        self.assertEqual(len(self.client.get("/api/guidelines").json()), 1)


class Expecting(Scene):
    def test_a_plan_begins_with_what_the_guideline_expects_of_the_next_engine(self):
        for number in range(1, 4):
            self.engine(number, 0.02)
        guideline = self.guideline()
        planned = scenes.programme(self.operator, engine="engine 9", parts="to come, number")
        asked = self.client.get(f"/api/programmes/{planned.pk}/guideline-predictions").json()
        self.assertEqual([row["setup_id"] for row in asked], [setup.pk for setup in planned.setups.all()[1:]])
        (gathered,) = gather(self.operator, [guideline])
        low = np.expm1(-0.9 * gathered.pooled.next_high) * 100  # 90 mm shorter than the baseline
        self.assertTrue(asked[0]["text"].startswith(f"{np.floor(low * 10) / 10:.1f} to "), asked[0]["text"])
        self.assertIn("over 3 engines", asked[0]["sentence"])
        answer = self.client.post(f"/api/programmes/{planned.pk}/expectations", {
            "setup_id": asked[0]["setup_id"], "measure": "average_torque", "text": asked[0]["text"], "sentence": ""},
            content_type="application/json")  # fmt: skip
        self.assertEqual(answer.status_code, 204, answer.content)

    def test_nothing_is_expected_of_two_engines_or_beyond_what_was_tested(self):
        for number in range(1, 3):
            self.engine(number, 0.02)
        self.guideline()
        planned = scenes.programme(self.operator, engine="engine 9", parts="to come, number")

        def why() -> set[str]:
            return {row.why_not for row in of_test(self.operator, programme_with_parts(self.operator, planned.pk))}

        self.assertEqual(why(), {"Measured on 2 engines: three are needed to expect something of another."})
        self.engine(3, 0.02)
        part = planned.setups.all()[2].parts.get()
        part.readings.filter(dimension="runner_length").update(value=0.15)
        self.assertEqual(why(), {"", "Tested from 240 mm to 420 mm alone."})
