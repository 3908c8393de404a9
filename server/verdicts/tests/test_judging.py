"""Verdicts by duty, school and measure; across days; and every edge with a worded answer and no NaN."""

import json
from typing import Any

import numpy as np
import scenes
from django.test import TestCase
from torvix_core.air.standards import Standard
from torvix_core.judging.representative_pull import School

from programmes.models import Programme, ProgrammeKind
from shop.models import Person, Role
from stand.models import Pull, Purpose, Standing
from stand.pulls import keeping
from stand.session import opening
from verdicts.comparison.aligned_pulls import NothingKept, compare
from verdicts.judging import service as judging
from verdicts.judging.choice import Choice, ScoreMeasure
from verdicts.models import Decision

CLEAR = ((1.0, 1.0002, 1.0), (1.03, 1.0302, 1.03), (0.97, 0.9702, 0.97))  # hardly a slope in a visit


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

    def read(self, what: str, **query: Any):
        answer = self.client.get(f"/api/programmes/{self.programme.pk}/{what}", query)
        self.assertNotIn("NaN", answer.content.decode())
        self.assertNotIn("Infinity", answer.content.decode())
        return answer

    def placings(self, **query: Any) -> dict[str, dict]:
        letters = {setup.pk: setup.letter for setup in self.setups}
        return {letters[one["setup_id"]]: one for one in self.read("verdict", **query).json()["placings"]}


class Tilted(Scene):
    """A is level; B has more below 4500 rpm and less above it: 2 % in a thousand rpm."""

    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        opened = scenes.session(cls.programme, cls.operator)
        for setup, tilt in ((0, 0.0), (1, -0.02), (2, 0.0), (0, 0.0)):
            for level in (1.0, 1.001, 0.999):
                scenes.pull(
                    opened, cls.setups[setup], cls.operator, level=level * (0.95 if setup == 2 else 1), tilt=tilt
                )


class Duties(Tilted):
    def test_the_winner_depends_on_the_duty_and_both_are_told(self):
        answer = self.read("verdict", duty="towing").json()
        self.assertEqual(answer["winner_id"], self.setups[1].pk)
        self.assertIn("For towing choose B", answer["headline"][1])
        self.assertEqual(self.read("verdict", duty="strip").json()["winner_id"], self.setups[0].pk)
        uses = {use["preset"]: use["setup_id"] for use in answer["uses"]}
        self.assertEqual((uses["towing"], uses["strip"]), (self.setups[1].pk, self.setups[0].pk))

    def test_a_drawn_duty_is_the_weighted_mean_of_the_table(self):
        comparison = compare(self.programme, Standard.ISO_1585_SI)
        answer = self.read("verdict", points="3000:1,4000:0,6000:0").json()
        speed = comparison.speed_rpm
        weight = np.interp(speed, [3000, 4000], [1.0, 0.0]) * (speed >= 3000)
        per_pull = comparison.torque @ (weight / weight.sum())
        self.assertEqual(answer["duty"], "drawn")
        score = next(one for one in answer["placings"] if one["setup_id"] == self.setups[2].pk)["score"]
        plain = np.exp(np.log(per_pull[comparison.setup_of == 2]).mean()) / 1.3558179483
        self.assertAlmostEqual(score, plain, delta=0.05)  # the drift of this even day is next to nothing

    def test_what_makes_no_duty_is_refused_at_its_field(self):
        for points in ("3000:1", "x", "4000:1,3000:1", "3000:0,4000:0", "1e400:1,2:1", "nan:1,4000:1", "9000:1,9500:1"):
            with self.subTest(points=points):
                answer = self.read("verdict", points=points)
                self.assertEqual((answer.status_code, list(answer.json()["fields"])), (422, ["points"]))

    def test_a_duty_that_reaches_beyond_the_pulls_says_how_much_is_left_out(self):
        notes = " ".join(self.read("verdict", points="3000:1,7000:1").json()["notes"])
        self.assertRegex(notes, r"2\d % of the duty lies at speeds that not all setups were run at; it is excluded")

    def test_gears_make_a_duty(self):
        answer = self.client.post("/api/duty-of-gears", json.dumps({"ratios": [2.8, 1.9, 1.4], "shift_rpm": 6000,
                                  "launch_rpm": 3000}), content_type="application/json")  # fmt: skip
        points = ",".join(f"{speed}:{weight}" for speed, weight in answer.json()["points"])
        self.assertEqual(self.read("verdict", points=points).json()["duty"], "drawn")

    def test_crossovers_are_thresholds_with_bounds(self):
        thresholds = self.read("verdict").json()["thresholds"]
        self.assertEqual(len(thresholds), 1)
        self.assertRegex(
            thresholds[0],
            r"^Below 4[45]\d\d ± \d+ rpm B makes more than A, above it A; seen from \d+ to 6800 rpm in "
            r"\d+ pulls and 1 session of one engine\.$",
        )


class FirstPulls(Scene):
    """DS2: first pulls flatter; they are left out, or compared among themselves alone, and never mixed."""

    first: dict[int, set[int]]

    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        opened = scenes.session(cls.programme, cls.operator)
        cls.first = {0: set(), 1: set()}
        for setup, true in ((0, 1.0), (1, 1.02), (0, 1.0), (1, 1.02)):
            for level in (1.009, 1.0, 1.001):
                flatters = level == 1.009
                made = scenes.pull(opened, cls.setups[setup], cls.operator, level=true * level, keep=not flatters)
                if flatters:
                    cls.first[setup].add(made.pk)
        Pull.objects.filter(pk__in=cls.first[0] | cls.first[1]).update(
            first_after_change=True, purpose=Purpose.WARM_UP, standing=Standing.EXCLUDED, excluded_reason="by itself"
        )

    def by_position(self, **query: Any) -> dict[int, dict[str, Any]]:
        keys = [setup.pk for setup in self.setups]
        return {keys.index(one["setup_id"]): one for one in self.read("verdict", **query).json()["placings"]}

    def test_they_are_a_class_of_their_own(self):
        kept, first = self.by_position(), self.by_position(counting="first")
        for setup in (0, 1):
            self.assertEqual(set(first[setup]["pull_ids"]), self.first[setup])
            self.assertFalse(set(kept[setup]["pull_ids"]) & self.first[setup])
            self.assertAlmostEqual(first[setup]["score"] / kept[setup]["score"], 1.009 / 1.0005, delta=0.0003)
        self.assertAlmostEqual(first[1]["to_baseline"]["percent"], 2.0, delta=0.03)
        answer = self.read("verdict", counting="first").json()
        self.assertIn("By first pulls after a change alone", " ".join(answer["headline"]))
        self.assertNotIn("are excluded, they read high", " ".join(answer["notes"]))
        curves = self.read("curves", counting="first").json()
        self.assertEqual(
            {pull["id"] for curve in curves["setups"] for pull in curve["pulls"]}, set().union(*self.first.values())
        )

    def test_one_that_a_person_left_out_stays_out(self):
        gone = min(self.first[0])
        Pull.objects.filter(pk=gone).update(judged_by=self.operator, excluded_reason="Slipping belt")
        self.assertEqual(set(self.by_position(counting="first")[0]["pull_ids"]), self.first[0] - {gone})

    def test_a_class_that_is_none_is_refused_at_its_field(self):
        answer = self.read("verdict", counting="both")
        self.assertEqual((answer.status_code, answer.json()["fields"]), (422, {"counting": "one of kept, first"}))


class Schools(Scene):
    def test_each_school_is_that_of_the_core_and_told(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        comparison = compare(self.programme, Standard.ISO_1585_SI)
        for school in School:
            with self.subTest(school=school):
                wanted = judging.judge(comparison, Choice(Standard.ISO_1585_SI, school)).placings[0].score
                answer = self.read("verdict", school=school).json()
                self.assertAlmostEqual(answer["placings"][0]["score"], wanted / 1.3558179483, places=6)
                self.assertEqual(answer["school"], school)

    def test_unequal_numbers_of_pulls_are_told_where_the_best_stands(self):
        scenes.day_of_pulls(self.programme, self.operator, ((1.0, 1.001, 0.999, 1.002), (1.01, 1.011), (0.99, 0.991)))
        self.assertFalse([note for note in self.read("verdict").json()["notes"] if "unequal" in note])
        notes = " ".join(self.read("verdict", school="best").json()["notes"])
        self.assertIn("unequal numbers of pulls (A 4, B 2, C 2): the best of more pulls reads higher", notes)

    def test_peaks_power_and_gains_three_ways(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        for measure in ScoreMeasure:
            self.assertAlmostEqual(self.placings(measure=measure)["B"]["to_baseline"]["percent"], 2.99, delta=0.04)
        gains = self.placings()["B"]["gains"]
        for key in ("peak_torque", "peak_power", "most", "average"):
            self.assertAlmostEqual(gains[key]["percent"], 2.99, delta=0.04)
            self.assertTrue(gains[key]["low"] < gains[key]["percent"] < gains[key]["high"])

    def test_unknown_choices_are_refused_by_field(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        for query, field in (({"school": "luck"}, "school"), ({"duty": "moon"}, "duty"), ({"measure": "x"}, "measure"),
                             ({"account_for": "luck"}, "account_for"), ({"standard": "x"}, "standard")):  # fmt: skip
            answer = self.read("verdict", **query)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(field, answer.json()["fields"])


class Readings(Scene):
    def test_oil_that_moves_the_reading_is_accounted_for(self):
        """0.1 % a kelvin, put into the pulls, comes back; and the difference with it."""
        opened = scenes.session(self.programme, self.operator)
        dice = np.random.default_rng(5)
        for number in range(16):
            setup, celsius = number % 2, 90 + float(dice.uniform(-3, 3))
            rows = np.array(scenes.samples((1.0 + 0.01 * setup) * (1 + 0.001 * (celsius - 90))))
            rows[:, 4] = celsius
            scenes.pull(opened, self.setups[setup], self.operator, rows=rows.tolist())
        answer = self.read("verdict", account_for="oil_temperature").json()
        told = next(note for note in answer["notes"] if "accounted for" in note)
        self.assertRegex(told, r"Oil temperature is accounted for: \+0\.(09|10) % a kelvin\.")
        gap = next(one for one in answer["placings"] if one["setup_id"] == self.setups[1].pk)["to_baseline"]
        self.assertAlmostEqual(gap["percent"], 1.0, delta=0.03)
        plain = next(one for one in self.read("verdict").json()["placings"] if one["to_baseline"])["to_baseline"]
        self.assertGreater(plain["high"] - plain["low"], 1.3 * (gap["high"] - gap["low"]))

    def test_too_few_pulls_are_told(self):
        scenes.day_of_pulls(self.programme, self.operator, ((1.0, 1.001), (1.01, 1.011), (0.99, 0.991)))
        notes = " ".join(self.read("verdict", account_for="oil_temperature").json()["notes"])
        self.assertIn("too few pulls to account for temperatures", notes)


class AcrossDays(Scene):
    def second_day(self, first):
        opening.close_session(self.operator, first, scenes.DAY)
        return scenes.session(self.programme, self.operator, first.stand, scenes.DAY)

    def test_a_setup_run_on_both_days_links_them_and_says_what_that_costs(self):
        first = scenes.session(self.programme, self.operator)
        for setup in (0, 0, 1, 1):
            scenes.pull(first, self.setups[setup], self.operator, level=(1.0, 1.02)[setup])
        second = self.second_day(first)
        for setup in (0, 0, 2, 2):  # a day that reads 3 % low
            scenes.pull(second, self.setups[setup], self.operator, level=0.97 * (1.0, 1.02, 1.04)[setup])
        answer = self.read("verdict").json()
        found = {one["setup_id"]: one["to_baseline"] for one in answer["placings"] if one["to_baseline"]}
        self.assertAlmostEqual(found[self.setups[2].pk]["percent"], 4.0, delta=0.05)
        self.assertAlmostEqual(found[self.setups[1].pk]["percent"], 2.0, delta=0.05)
        self.assertFalse(any(one["across_days"] for one in answer["placings"]))  # each shares a day with A
        notes = " ".join(answer["notes"])
        self.assertIn("come from 2 sessions, linked through A", notes)
        self.assertRegex(notes, r"That costs: the interval of [BC] against A is \d\.\d times as wide")

    def test_a_setup_that_never_met_the_baseline_is_labelled(self):
        first = scenes.session(self.programme, self.operator)
        for setup in (0, 0, 1, 1):
            scenes.pull(first, self.setups[setup], self.operator, level=(1.0, 1.02)[setup])
        second = self.second_day(first)
        for setup in (1, 1, 2, 2):
            scenes.pull(second, self.setups[setup], self.operator, level=0.97 * (1.0, 1.02, 1.04)[setup])
        told = {one["setup_id"]: one for one in self.read("verdict").json()["placings"]}
        self.assertEqual([told[setup.pk]["across_days"] for setup in self.setups], [False, False, True])
        self.assertAlmostEqual(told[self.setups[2].pk]["to_baseline"]["percent"], 4.0, delta=0.05)

    def test_without_a_link_it_is_shown_as_not_comparable(self):
        first = scenes.session(self.programme, self.operator)
        for setup in (0, 0, 1, 1):
            scenes.pull(first, self.setups[setup], self.operator, level=(1.0, 1.02)[setup])
        second = self.second_day(first)
        for level in (1.10, 1.101):
            scenes.pull(second, self.setups[2], self.operator, level=level)
        answer = self.read("verdict").json()
        last = answer["placings"][-1]
        self.assertEqual((last["setup_id"], last["supported"], last["to_baseline"]), (self.setups[2].pk, False, None))
        self.assertIn("C and A are not comparable: they were never run on one day", answer["headline"][1])
        self.assertIn("C and A were never run on one day", " ".join(answer["notes"]))
        curves = {one["setup_id"]: one for one in self.read("curves").json()["setups"]}
        self.assertEqual(
            (curves[self.setups[2].pk]["supported"], curves[self.setups[2].pk]["difference"]), (False, None)
        )


class Edges(Scene):
    """Each of the edges has an answer in words; `read` refuses NaN and infinity."""

    EVERY = ("curves", "verdict", "robustness", "steps", "overlays")

    def every(self) -> list[int]:
        return [self.read(what).status_code for what in self.EVERY]

    def test_no_pull_at_all(self):
        for what in self.EVERY:
            answer = self.read(what)
            self.assertEqual((answer.status_code, answer.json()["code"]), (409, "nothing_kept"))

    def test_one_pull_only(self):
        scenes.pull(scenes.session(self.programme, self.operator), self.setups[0], self.operator)
        self.assertEqual(self.read("curves").status_code, 200)
        answer = self.read("verdict")
        self.assertEqual((answer.status_code, answer.json()["code"]), (409, "not_enough_pulls"))
        self.assertIn("repeat one of them", answer.json()["detail"])

    def test_one_setup_only(self):
        opened = scenes.session(self.programme, self.operator)
        for level in (1.0, 1.001):
            scenes.pull(opened, self.setups[1], self.operator, level=level)
        self.assertEqual(self.every(), [200] * 5)
        answer = self.read("verdict").json()
        self.assertIn("nothing to compare", answer["headline"][0])
        self.assertIsNone(answer["winner_id"])
        self.assertIn("The baseline has no accepted pull: everything is held against B.", answer["notes"])

    def test_all_excluded(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        for pull in Pull.objects.all():
            keeping.exclude(self.operator, pull, scenes.DAY, "all of them")
        self.assertIn("Every pull is excluded.", self.read("verdict").json()["detail"])

    def test_equal_pulls_without_any_scatter(self):
        scenes.day_of_pulls(self.programme, self.operator, ((1.0, 1.0), (1.0, 1.0), (1.004, 1.004)))
        self.assertEqual(self.every(), [200] * 5)
        answer = self.read("verdict").json()
        self.assertIsNone(answer["winner_id"])
        self.assertTrue(all(one["chance_percent"] < 99 for one in answer["placings"]))

    def test_setups_run_over_other_speeds_are_compared_where_both_were(self):
        opened = scenes.session(self.programme, self.operator)
        for setup, upto in ((0, 6900), (0, 6900), (1, 5600), (1, 5600)):
            rows = np.array(scenes.samples(1.0 + 0.01 * setup))
            rows[rows[:, 1] > upto, 3] = 5  # the throttle closes
            scenes.pull(opened, self.setups[setup], self.operator, rows=rows.tolist())
        answer = self.read("verdict").json()
        self.assertLess(answer["run_high_rpm"], 5700)
        curves = {one["setup_id"]: one for one in self.read("curves").json()["setups"]}
        self.assertTrue(curves[self.setups[0].pk]["runs_longer"])
        self.assertFalse(curves[self.setups[1].pk]["runs_longer"])
        self.assertLessEqual(curves[self.setups[0].pk]["peak_power"]["speed_rpm"], answer["run_high_rpm"])
        gap = self.placings(measure="peak_power")["B"]["to_baseline"]
        self.assertAlmostEqual(gap["percent"], 1.0, delta=0.3)  # 20 % were A's sweep to count that went on

    def test_pulls_that_share_no_speeds_say_what_to_do(self):
        opened = scenes.session(self.programme, self.operator)
        for setup, keep in ((1, slice(0, 350)), (2, slice(450, 800))):
            rows = np.array(scenes.samples(1.0))[keep]
            rows[:, 0] -= rows[0, 0]
            scenes.pull(opened, self.setups[setup], self.operator, rows=rows.tolist())
        with self.assertRaisesMessage(NothingKept, "share fewer than three bins of speed"):
            compare(self.programme, Standard.OBSERVED)

    def test_another_reference_than_the_baseline(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        answer = self.read("curves", reference=self.setups[1].pk).json()
        self.assertEqual(answer["reference_id"], self.setups[1].pk)
        found = {one["setup_id"]: one["difference"] for one in answer["setups"]}
        self.assertIsNone(found[self.setups[1].pk])
        self.assertLess(max(found[self.setups[0].pk]["value"]), 0)
        self.assertEqual(self.read("curves", reference=987).json()["fields"], {"reference": "has no accepted pull"})


class Stepwise(Scene):
    def test_steps_follow_what_each_setup_is_based_on(self):
        self.programme.kind = ProgrammeKind.STEPWISE
        self.programme.save()
        self.setups[2].based_on = self.setups[0]
        self.setups[2].save()
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        answer = self.read("steps").json()
        steps = {one["setup_id"]: one for one in answer["rungs"]}
        self.assertTrue(answer["stepwise"])
        self.assertEqual(steps[self.setups[1].pk]["before_id"], self.setups[0].pk)
        self.assertEqual(steps[self.setups[2].pk]["before_id"], self.setups[0].pk)
        self.assertAlmostEqual(steps[self.setups[2].pk]["gain"]["percent"], -3.0, delta=0.04)
        self.assertIn("Intake manifold", steps[self.setups[1].pk]["changes"][0])
        self.assertEqual([one["slot"] for one in answer["slots"]], ["Intake manifold"] * 3)


class Deciding(Scene):
    def decide(self, **body: Any):
        return self.client.post(f"/api/programmes/{self.programme.pk}/decisions", json.dumps(body),
                                content_type="application/json")  # fmt: skip

    def test_a_decision_keeps_the_verdict_as_it_stood(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        made = self.decide(setup_id=self.setups[1].pk, reason="Most torque", duty="towing").json()
        self.assertIn("For towing choose B", made["evidence"][1])
        self.decide(reason="Customer changed his mind")
        told = self.client.get(f"/api/programmes/{self.programme.pk}/decisions").json()
        self.assertEqual([one["setup_id"] for one in told], [None, self.setups[1].pk])
        self.assertEqual(told[0]["by"], str(self.operator))

    def test_without_a_verdict_the_refusal_is_the_evidence(self):
        self.assertIn("No pull is accepted yet", self.decide(reason="Time is up").json()["evidence"][0])

    def test_a_decision_says_why_and_is_of_this_programme(self):
        self.assertEqual(
            self.decide(reason="  ").json()["fields"], {"reason": "what spoke for it, also where it is a wash"}
        )
        other = scenes.programme(self.operator, engine="3.2 six", parts="inlet").setups.first()
        self.assertEqual(self.decide(setup_id=other.pk, reason="x").status_code, 404)
        self.assertEqual(Decision.objects.count(), 0)
