"""Camshafts crossed with boost: ranked at each level, mapped along it, and read by both schools."""

from itertools import pairwise
from typing import Any

import numpy as np
import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from torvix_core.air.standards import Standard

from programmes.models import Candidate, Programme
from programmes.plan.grids import plan_grid
from programmes.plan.saving import plan_in_force
from shop.models import Person, Role
from stand.pulls import keeping
from verdicts.comparison.aligned_pulls import compare
from verdicts.regimes.levels import pull_levels

AMBIENT = 98_205.0
# Of the second and third camshaft over the first: the second leads at every boost, the third below about 0.8 bar alone
WORTH = {216: lambda bar: 0.0, 228: lambda bar: 0.02, 242: lambda bar: 0.02 - 0.15 * (bar - 0.8)}


class Scene(TestCase):
    operator: Person
    programme: Programme
    CAMS = scenes.CAMS
    BOOSTS: tuple[str, ...] = scenes.BOOSTS
    READ: tuple[str, ...] = ("boost", "exhaust_pressure", "turbine_speed")

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.boosted(cls.operator, cls.CAMS, cls.BOOSTS)
        opened, rng = scenes.session(cls.programme, cls.operator), np.random.default_rng(6)
        setups = list(cls.programme.setups.all())
        for setup in [*(setup for setup in setups for _ in range(2)), setups[0], setups[0]]:
            cam = cls.CAMS[setup.position // len(cls.BOOSTS)]
            bar = float(cls.BOOSTS[setup.position % len(cls.BOOSTS)].split()[0]) + rng.uniform(-0.01, 0.01)
            level = (1 + bar * 1e5 / AMBIENT) * (1 + WORTH[cam](bar)) * np.exp(rng.normal(0, 0.002))
            longer = (cam - 216) / 26
            all_read = {
                "boost": (bar, "bar"), "exhaust_pressure": (bar * (1.25 + 0.75 * longer * bar), "bar"),
                "turbine_speed": (60_000 + 40_000 * bar + 12_000 * longer * bar, "rpm"),
            }  # fmt: skip
            scenes.pull(opened, setup, cls.operator, level=level, tuned=True,
                        more={name: all_read[name] for name in cls.READ})  # fmt: skip

    def setUp(self):
        self.client.force_login(self.operator)

    def read(self, what: str, **query: Any):
        return self.client.get(f"/api/programmes/{self.programme.pk}/{what}", query)


class Grids(Scene):
    def test_parts_are_ranked_at_each_level_and_not_across(self):
        answer = self.read("regimes").json()
        self.assertEqual([part["name"] for part in answer["parts"]], ["Cam 216", "Cam 228", "Cam 242"])
        self.assertEqual(answer["levels"], list(scenes.BOOSTS))
        lowest, highest = answer["rankings"][0]["places"], answer["rankings"][2]["places"]
        self.assertEqual([place["part"] for place in lowest], [2, 1, 0])
        self.assertEqual([place["part"] for place in highest], [1, 0, 2])
        self.assertIn("At 0.5 bar Cam 242: ", answer["rankings"][0]["sentence"])
        self.assertEqual(answer["empty"], [])

    def test_the_verdict_says_the_same_and_names_no_winner_across_levels(self):
        verdict, regimes = self.read("verdict").json(), self.read("regimes").json()
        self.assertTrue(verdict["is_grid"])
        for ranking in regimes["rankings"]:
            self.assertIn(ranking["sentence"], verdict["headline"][0])
        self.assertNotRegex(" ".join(verdict["headline"]), r"choose [A-I]\b|probably the best")

    def test_what_a_part_is_worth_over_all_levels_and_that_it_depends_on_them(self):
        effects = {(one["one"], one["other"]): one for one in self.read("regimes").json()["effects"]}
        plain, crossed = effects[0, 1], effects[0, 2]
        self.assertAlmostEqual(plain["percent"], 2.0, delta=0.6)
        self.assertFalse(plain["interacts"])
        self.assertTrue(crossed["interacts"])
        self.assertIn("depends on the level", crossed["sentence"])

    def test_an_empty_cell_is_shown_and_nothing_is_said_of_it(self):
        setup = self.programme.setups.get(position=8)
        for pull in setup.pulls.all():
            keeping.exclude(self.operator, pull, scenes.DAY, "to see")
        setup.candidate, setup.candidate_reason = Candidate.SKIPPED, "not today"
        setup.save()
        answer = self.read("regimes").json()
        self.assertEqual(answer["empty"], ["Cam 242 at 1.1 bar"])
        self.assertEqual(answer["parts"][2]["setup_ids"][2], None)
        self.assertNotIn(2, [place["part"] for place in answer["rankings"][2]["places"]])
        self.assertTrue(all(value is None for value in answer["curves"][2]["score"]))
        self.assertIn("Cam 242 was run at fewer than three levels", " ".join(answer["notes"]))

    def test_queries_do_not_grow_with_the_pulls(self):
        def count() -> dict[str, int]:
            found = {}
            for what in ("regimes", "boosted"):
                self.read(what)
                with CaptureQueriesContext(
                    connection,
                ) as caught:
                    self.read(what)
                found[what] = len(caught)
            return found

        before = count()
        opened = self.programme.sessions.get()
        for setup in self.programme.setups.all():
            scenes.pull(opened, setup, self.operator, level=1.5, tuned=True, more={"boost": (0.8, "bar")})
        self.assertEqual(count(), before)


class NoGrid(TestCase):
    def test_it_is_refused_with_what_to_do(self):
        operator = scenes.person(Role.OPERATOR)
        plain = scenes.programme(operator)
        scenes.day_of_pulls(plain, operator, ((1.0, 1.001), (1.02, 1.021), (0.98, 0.981)))
        self.client.force_login(operator)
        answer = self.client.get(f"/api/programmes/{plain.pk}/regimes")
        self.assertEqual((answer.status_code, answer.json()["code"]), (409, "no_grid"))
        self.assertIn("Add setups in the plan", answer.json()["detail"])
        self.assertFalse(self.client.get(f"/api/programmes/{plain.pk}/verdict").json()["is_grid"])


class Regimes(Scene):
    def test_where_one_overtakes_another_with_its_interval(self):
        answer = self.read("regimes").json()
        self.assertEqual((answer["level_unit"], answer["measured"]), ("bar", True))
        crossing = next(one for one in answer["crossings"] if (one["before"], one["after"]) == (2, 1))
        self.assertLess(crossing["low"], 0.8)
        self.assertGreater(crossing["high"], 0.8)
        self.assertRegex(crossing["sentence"], r"Cam 228 over Cam 242 from 0\.\d+ bar on \(95 %: .+\), about \d+ hp")
        self.assertIn("pulls in 1 session on one engine", crossing["sentence"])
        together = " ".join(answer["sentences"])
        self.assertRegex(together, "Cam 228 leads Cam 216 at every level from .+ no change-over there")

    def test_the_map_covers_what_was_tested_and_nothing_beyond(self):
        answer = self.read("regimes").json()
        levels = [row["level"] for row in answer["map"]]
        self.assertEqual(levels, sorted(levels))
        self.assertGreaterEqual(levels[0], 0.48)
        self.assertLessEqual(levels[-1], 1.12)
        for row in answer["map"]:
            self.assertEqual((row["stretches"][0]["low_rpm"], row["stretches"][-1]["high_rpm"]), (3000, 6000))
            for one, other in pairwise(row["stretches"]):
                self.assertEqual(one["high_rpm"], other["low_rpm"])
        self.assertEqual(answer["map"][0]["stretches"][0]["parts"][0], 2)
        self.assertIn(1, answer["map"][-1]["stretches"][0]["parts"])
        self.assertEqual({one["duty"] for one in answer["duties"]} >= {"strip", "street"}, True)

    def test_levels_follow_the_unit_of_the_reader(self):
        self.operator.units = {**self.operator.units, "boost": "psi"}
        self.operator.save()
        answer = self.read("regimes").json()
        self.assertEqual(answer["level_unit"], "psi")
        self.assertAlmostEqual(answer["along"][0], 0.5 * 14.504, delta=0.3)
        self.assertRegex(answer["crossings"][0]["sentence"], r"from \d+(\.\d)? psi on")

    def test_zones_touch_and_name_all_levels(self):
        zones = self.read("regimes").json()["zones"]
        for one, other in pairwise(zones):
            self.assertAlmostEqual(one["high"], other["low"])
        self.assertIn([2], [zone["parts"] for zone in zones])
        self.assertIn([1], [zone["parts"] for zone in zones])


class TwoLevels(Scene):
    BOOSTS: tuple[str, ...] = ("0.5 bar", "1.1 bar")

    def test_no_curve_between_two_levels(self):
        answer = self.read("regimes").json()
        self.assertEqual((answer["along"], answer["map"], answer["crossings"]), ([], [], []))
        self.assertEqual(len(answer["rankings"]), 2)
        self.assertIn("Two levels have no curve between them", " ".join(answer["notes"]))


class BoostNotRecorded(Scene):
    READ: tuple[str, ...] = ()

    def test_pulls_stand_at_their_target_and_boost_is_not_read(self):
        answer = self.read("regimes").json()
        self.assertFalse(answer["measured"])
        self.assertIn("all stand at their target", " ".join(answer["notes"]))
        refused = self.read("boosted")
        self.assertEqual((refused.status_code, refused.json()["code"]), (409, "no_boost"))
        self.assertFalse(self.read("verdict").json()["is_boosted"])

    def test_levels_rise_whichever_was_planned_first(self):
        plan = plan_in_force(self.programme)
        found = plan_grid(plan)
        np.testing.assert_allclose(found.level_values, (50_000.0, 80_000.0, 110_000.0))
        levels = pull_levels(compare(self.programme, Standard.ISO_1585_SI), found)
        self.assertAlmostEqual(float(levels.shown(levels.x[0])), 50_000.0, delta=1)


class Boosted(Scene):
    def test_an_allowance_stands_beside_each_pull_and_never_in_the_ranking(self):
        answer = self.read("boosted").json()
        self.assertEqual(len(answer["pulls"]), 20)
        for pull in answer["pulls"]:
            self.assertTrue(pull["learned"])
            miss = (pull["reached"] - pull["target"]) / (pull["target"] + 0.98205)
            self.assertAlmostEqual(pull["worth"]["percent"], 100 * miss, delta=0.4)
        ranked = self.read("regimes").json()["rankings"][0]["places"]
        scores = {one["setup_id"]: one["score"] for one in self.read("verdict").json()["placings"]}
        for place in ranked:
            self.assertAlmostEqual(place["score"], scores[place["setup_id"]], places=9)

    def test_boost_and_breathing_add_up_to_power(self):
        for one in self.read("boosted").json()["setups"][1:]:
            power, pressure, breathing = (1 + one[key]["percent"] / 100 for key in ("power", "pressure", "breathing"))
            self.assertAlmostEqual(power, pressure * breathing, places=6)

    def test_too_much_overlap_is_named_where_only_the_camshaft_differs(self):
        pairs = self.read("boosted").json()["pairs"]
        last = self.programme.setups.get(position=8).pk
        worst = next(one for one in pairs if one["other_id"] == last)
        self.assertEqual(worst["cost"], "dearer")
        self.assertRegex(
            worst["words"], r"I against C: same boost .+, back pressure \+0\.\d+ ± 0\.\d+ bar, turbine \+\d+"
        )
        self.assertIn("too much overlap for this turbo", worst["words"])

    def test_ratios_by_speed_and_turbine_in_the_overlays(self):
        ratios = self.read("boosted").json()["ratios"]
        self.assertAlmostEqual(ratios[0]["ratio"][5], 1.25, delta=0.05)
        keys = {one["key"] for one in self.read("overlays").json()["overlays"]}
        self.assertGreaterEqual(keys, {"boost", "exhaust_pressure", "back_pressure_ratio", "turbine_speed"})

    def test_both_schools_are_there_whichever_was_agreed(self):
        self.programme.boost_policy = "equal_drive"
        self.programme.save()
        answer = self.read("boosted").json()
        self.assertEqual(answer["policy"], "equal_drive")
        self.assertTrue(answer["pulls"][0]["worth"])
        self.assertTrue(answer["setups"][3]["breathing"])
