"""Setups in a car: times with intervals, shift speeds, what cannot be driven, and the duty that a run gives."""

from typing import Any

import numpy as np
import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from engines.builds.service import describe_engine
from programmes.models import Programme
from shop.models import Person, Role
from verdicts.comparison import aligned_pulls

CAR = {
    "vehicle_mass": "1200 kg", "gear_1": "2.85", "gear_2": "2.02", "gear_3": "1.45", "gear_4": "1.0",
    "final_drive": "3.7", "tire_radius": "300 mm", "launch_speed": "3500",
}  # fmt: skip


class Scene(TestCase):
    operator: Person
    programme: Programme
    setups: list[Any]
    SHEET = CAR
    LEVELS = (1.0, 1.03, 1.0005)

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        build = describe_engine(cls.operator, scenes.DAY, "2.9 six", {**scenes.SIX, **cls.SHEET})
        cls.programme = scenes.programme(cls.operator, build=build)
        cls.setups = list(cls.programme.setups.all())
        opened, rng = scenes.session(cls.programme, cls.operator), np.random.default_rng(4)
        for place in (0, 0, 0, 1, 1, 1, 2, 2, 2, 0, 0):
            level = cls.LEVELS[place] * float(np.exp(rng.normal(0, 0.001)))
            scenes.pull(opened, cls.setups[place], cls.operator, level=level)

    def setUp(self):
        self.client.force_login(self.operator)

    def ask(self, **query: Any):
        return self.client.get(f"/api/programmes/{self.programme.pk}/road", query)

    def road(self, **query: Any) -> dict[str, Any]:
        answer = self.ask(**query)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def measure(self, key: str, **query: Any) -> dict[str, Any]:
        return next(one for one in self.road(**query)["measures"] if one["key"] == key)


class Times(Scene):
    def test_three_per_cent_of_torque_are_about_one_of_time_with_an_interval(self):
        """Time goes with the cube root of power (5.825·(lb/hp)^(1/3) [mem]), less where the tires hold it back."""
        quarter = self.measure("quarter")
        a, b, c = quarter["times"]
        gained = (a["seconds"] - b["seconds"]) / a["seconds"]
        self.assertTrue(0.004 < gained < 0.011, gained)
        self.assertLess(b["gap"]["high"], 0)
        self.assertTrue(b["gap"]["low"] < -(a["seconds"] - b["seconds"]) < b["gap"]["high"])
        self.assertEqual([one["leads"] for one in quarter["times"]], [False, True, False])
        self.assertRegex(
            quarter["sentence"], r"^Quarter mile: B is quickest, 0\.\d\d s \(0\.\d\d to 0\.\d\d s\) before A"
        )
        self.assertIsNone(a["gap"])
        self.assertNotEqual(c["gap"]["state"], "ahead")

    def test_setups_that_the_verdict_does_not_separate_lead_together_here_too(self):
        for setup in self.setups[1:2]:
            setup.pulls.all().update(standing="excluded", excluded_reason="not asked here")
        quarter = self.measure("quarter")
        self.assertEqual([one["leads"] for one in quarter["times"]], [True, True])
        self.assertRegex(
            quarter["sentence"], r"^Quarter mile: A and C lead together, (equal|a wash|not decided), within"
        )

    def test_one_that_the_verdict_rules_out_is_not_called_quickest_and_keeps_its_times(self):
        before = self.measure("quarter")["times"][1]["seconds"]
        Programme.objects.filter(pk=self.programme.pk).update(fixed_slots=["intake_manifold"])
        found = self.road()
        quarter = found["measures"][2]
        self.assertEqual([one["leads"] for one in quarter["times"]], [True, False, False])
        self.assertEqual([one["ruled_out"] for one in found["setups"]], [False, True, True])
        self.assertEqual(quarter["times"][1]["seconds"], before)
        self.assertNotIn("B is quickest", quarter["sentence"])

    def test_eighth_and_sixty_feet_come_before_and_speeds_rise(self):
        found = self.road()
        times = {one["key"]: one["times"][0]["seconds"] for one in found["measures"]}
        self.assertTrue(1 < times["sixty"] < times["eighth"] < times["quarter"] < 25)
        self.assertLess(found["setups"][0]["eighth_speed"], found["setups"][0]["quarter_speed"])

    def test_on_the_roll_and_a_grade(self):
        found = self.road(roll_gear=3, roll_from="80 km/h", roll_to="120 km/h", grade_gear=4, grade_at="90 km/h")
        rolling = next(one for one in found["measures"] if one["key"] == "rolling")
        a, b, _ = rolling["times"]
        self.assertLess(b["seconds"], a["seconds"])
        grades = [one["grade_percent"] for one in found["setups"]]
        self.assertGreater(grades[1], grades[0])

    def test_the_day_has_its_own_air(self):
        standard, observed = (self.road(standard=one)["conventions"] for one in ("iso_1585_si", "observed"))
        self.assertNotEqual(standard, observed)

    def test_queries_do_not_grow_with_the_pulls(self):
        def count() -> int:
            aligned_pulls.forget()
            with CaptureQueriesContext(connection) as caught:
                self.ask()
            return len(caught)

        before = count()
        opened = self.programme.sessions.get()
        for _ in range(3):
            scenes.pull(opened, self.setups[2], self.operator)
        self.assertEqual(count(), before)


class Shifts(Scene):
    def test_a_range_is_said_and_the_end_of_the_sweep_is_open_above(self):
        shifts = self.road()["setups"][0]["shifts"]
        self.assertEqual(len(shifts), 3)
        self.assertRegex(shifts[0], r"^(from )?\d{4} (to \d{4} )?rpm")

    def test_a_shift_that_is_typed_holds_for_all(self):
        found = self.road(shift_rpm="5500")
        self.assertEqual(found["setups"][0]["shifts"][0], "5500 rpm, as typed")
        searched, typed = (one["measures"][2]["times"][0]["seconds"] for one in (self.road(), found))
        self.assertGreaterEqual(typed + 1e-3, searched)

    def test_one_outside_the_sweep_is_refused_at_its_field(self):
        self.assertEqual(set(self.ask(shift_rpm="9500").json()["fields"]), {"shift_rpm"})


class Duty(Scene):
    def test_time_at_each_speed_is_a_duty_that_the_verdict_takes(self):
        points = self.road()["setups"][0]["duty"]
        verdict = self.client.get(f"/api/programmes/{self.programme.pk}/verdict", {"points": points})
        self.assertEqual(verdict.status_code, 200, verdict.content)
        self.assertEqual(verdict.json()["duty"], "drawn")


class Conventions(Scene):
    def test_each_is_a_choice_that_moves_the_time_and_is_printed(self):
        usual = self.measure("quarter")["times"][0]["seconds"]
        for choice, words in (
            ({"grip_rule": "drive", "tire_grip": "55 %"}, "Drive force is capped"),
            ({"rollout": "false"}, "first movement"),
            ({"inertia_rule": "after_loss"}, "counts after the loss"), ({"torque_rule": "cubic"}, "cubic between bins"),
        ):  # fmt: skip
            with self.subTest(words=words):
                found = self.road(**choice)
                self.assertIn(words, " ".join(found["conventions"]))
                self.assertNotEqual(found["measures"][2]["times"][0]["seconds"], usual)

    def test_what_was_assumed_is_named(self):
        found = self.road()
        sources = {one["key"]: one["source"] for one in found["vehicle"]}
        self.assertEqual((sources["vehicle_mass"], sources["drag_area"]), ("sheet", "assumed"))
        self.assertIn("drag area", " ".join(found["notes"]))
        self.assertEqual(
            next(one["source"] for one in self.road(drag_area="0.6 m²")["vehicle"] if one["key"] == "drag_area"),
            "tried",
        )


class Slips(Scene):
    def test_each_is_named_at_its_field(self):
        for query, fields in (
            ({"vehicle_mass": "12 kg"}, {"vehicle_mass"}), ({"gear_2": "3.5"}, {"gear_1"}),
            ({"converter_stall": "2500"}, {"converter_stall", "launch_speed"}),
            ({"launch_speed": "900"}, {"launch_speed"}), ({"gear_2": "none"}, {"gear_2"}),
            ({"grip_rule": "glue"}, {"grip_rule"}), ({"roll_gear": 3, "roll_from": "90", "roll_to": "60"}, {"roll_to"}),
            ({"roll_gear": 1, "roll_from": "90", "roll_to": "190"}, {"roll_from", "roll_to"}),
            ({"grade_gear": 9, "grade_at": "60"}, {"roll_gear", "grade_gear"}),
            ({"tire_radius": "a wheel"}, {"tire_radius"}),
        ):  # fmt: skip
            with self.subTest(query=query):
                answer = self.ask(**query)
                self.assertEqual(answer.status_code, 422, answer.content)
                self.assertEqual(set(answer.json()["fields"]), fields)

    def test_gears_that_drop_the_engine_below_the_sweep_say_so_and_give_no_time(self):
        found = self.road(gear_1="5.5", gear_2="1.3", gear_3="none", gear_4="none")
        self.assertIn("drops the engine below the sweep", found["setups"][0]["problem"])
        self.assertIsNone(found["measures"][2]["times"][0]["seconds"])
        self.assertEqual(found["measures"][2]["sentence"], "")
        self.assertEqual(found["setups"][0]["duty"], "")

    def test_a_clutch_in_place_of_the_converter_of_the_sheet(self):
        found = self.road(launch_speed="none", converter_stall="2600")
        self.assertTrue(found["measures"][2]["times"][0]["seconds"])


class NoVehicle(Scene):
    SHEET = {"vehicle_mass": "1200 kg"}

    def test_it_is_refused_with_what_is_missing(self):
        answer = self.ask()
        self.assertEqual((answer.status_code, answer.json()["code"]), (409, "no_vehicle"))
        self.assertIn("final drive", answer.json()["detail"])

    def test_it_can_be_tried_without_writing_anything(self):
        found = self.road(**CAR)
        self.assertTrue(found["measures"][2]["times"][0]["seconds"])
