from typing import Any

import numpy as np
import scenes
from django.test import TestCase
from torvix_core.air.standards import Standard
from torvix_core.engine.dimensions import Slot
from torvix_core.judging import effects
from torvix_core.judging.design_matrix import Layout
from torvix_core.units import quantities

from engines.builds.service import describe_installation, succeed
from engines.parts.service import PartFacts, add_part
from programmes.models import Programme
from programmes.plan.saving import choose_build
from shop.models import Person, Role
from shop.refusals import Invalid
from stand.models import Pull, PullOrigin
from stand.pulls import keeping
from stand.session import opening
from stand.worker import pull_records as stand_records
from verdicts.comparison import aligned_pulls
from verdicts.comparison.aligned_pulls import NothingKept, compare
from verdicts.judging import service as judging
from verdicts.judging.choice import Choice

CLEAR = ((1.0, 1.0002, 1.0), (1.03, 1.0302, 1.03), (0.97, 0.9702, 0.97))  # hardly a slope in a visit
EQUAL = ((1.000, 1.004, 0.997), (1.001, 0.998, 1.003), (1.000, 1.003, 0.998))


class Scene(TestCase):
    operator: Person
    programme: Programme

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)

    def setUp(self):
        self.client.force_login(self.operator)

    def read(self, what: str, **query: Any):
        return self.client.get(f"/api/programmes/{self.programme.pk}/{what}", query)


class Agreed(Scene):
    def test_what_the_plan_agreed_on_limits_what_a_difference_means(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        self.programme.stand_in = "unboosted run of an engine that will be boosted"
        self.programme.mixture_policy, self.programme.boost_policy = "delivered", "equal_drive"
        self.programme.boost_school = "temperature"
        self.programme.save()
        notes = " ".join(self.read("verdict").json()["notes"])
        for told in ("A stand-in test: unboosted run", "the part's together with its tune",
                     "school: correct the temperature only. Equal drive"):  # fmt: skip
            self.assertIn(told, notes)


class Judging(Scene):
    def test_the_ratios_put_into_the_pulls_come_back_as_differences(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        answer = self.read("verdict").json()
        placings = {placing["setup_id"]: placing for placing in answer["placings"]}
        a, b, c = (setup.pk for setup in self.programme.setups.all())
        self.assertEqual([placing["setup_id"] for placing in answer["placings"]], [b, a, c])
        self.assertAlmostEqual(placings[b]["to_baseline"]["percent"], 100 * (3.0902 / 3.0002 - 1), delta=0.02)
        self.assertEqual(placings[b]["to_baseline"]["state"], "ahead")
        self.assertIsNone(placings[a]["to_baseline"])
        self.assertIn("From 3000 to 6000 rpm choose B: it makes", answer["headline"][1])

    def test_the_interval_is_that_of_the_core(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        comparison = compare(self.programme, Standard.ISO_1585_SI)
        within = (comparison.speed_rpm >= 3000) & (comparison.speed_rpm <= 6000)
        fitted = effects.fit(comparison.torque[:, within].mean(axis=1), Layout.of(np.repeat([0, 1, 2], 3)))
        wanted = quantities.from_si(fitted.difference(1, 0).low * fitted.mean[0], "lb-ft")
        b = self.programme.setups.get(position=1).pk
        found = next(p for p in self.read("verdict").json()["placings"] if p["setup_id"] == b)
        self.assertAlmostEqual(found["to_baseline"]["low"], float(wanted), places=9)

    def test_setups_that_are_not_separated_lead_together_and_nobody_wins(self):
        scenes.day_of_pulls(self.programme, self.operator, EQUAL)
        answer = self.read("verdict").json()
        self.assertTrue(all(placing["with_the_best"] for placing in answer["placings"]))
        self.assertIn("it is undecided between A, B and C", answer["headline"][1])
        self.assertEqual((answer["winner_id"], answer["level_state"]), (None, "undecided"))
        everyone = {setup.pk for setup in self.programme.setups.all()}
        for lead in self.read("curves").json()["leads"]:
            self.assertEqual(set(lead["setup_ids"]), everyone)
        self.programme.smallest_difference = 0.05
        self.programme.save()
        answer = self.read("verdict").json()
        self.assertIn("A, B and C are equal: they differ by less than 5.0 %", answer["headline"][1])
        self.assertEqual(answer["level_state"], "equal")

    def test_the_standard_scales_both_sides_alike(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        corrected, observed = (self.read("verdict", standard=standard).json() for standard in ("", "observed"))
        first, second = (answer["placings"][0] for answer in (corrected, observed))
        self.assertAlmostEqual(first["torque"] / second["torque"], 1.0449, delta=0.0005)
        self.assertAlmostEqual(first["to_baseline"]["percent"], second["to_baseline"]["percent"], places=6)

    def test_a_range_beyond_the_pulls_is_refused_at_its_fields(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        answer = self.read("verdict", low=1000, high=6000)
        self.assertEqual(answer.status_code, 422)
        self.assertRegex(
            answer.json()["detail"], r"All setups were run from \d+ to 6800 rpm. Choose a range inside it."
        )
        self.assertEqual(
            self.read("verdict", low=6000, high=3000).json()["fields"]["low"], "must be below the upper end"
        )

    def test_a_return_to_the_baseline_takes_the_drift_out(self):
        """Levels that fall by 0.05 % a pull in a straight line: with the return the core finds just that."""
        levels = ((1.0, 0.9995, 0.9990), (1.0285, 1.0280, 1.0275), (0.9670, 0.9665, 0.9660))
        opened = scenes.day_of_pulls(self.programme, self.operator, levels)
        before = self.read("verdict").json()
        self.assertTrue(any("No return to a setup: the drift shows only in" in note for note in before["notes"]))
        self.assertTrue(any("One more pull of A now would narrow the interval of" in note for note in before["notes"]))
        scenes.pull(opened, self.programme.setups.first(), self.operator, level=0.9955)
        after = self.read("verdict").json()
        (drift,) = after["drifts"]
        self.assertAlmostEqual(drift["percent"], -0.45, delta=0.03)
        self.assertLess(drift["low"], -0.05)
        self.assertGreater(drift["high"], -0.05)
        b = self.programme.setups.get(position=1).pk
        found = next(placing for placing in after["placings"] if placing["setup_id"] == b)["to_baseline"]
        self.assertAlmostEqual(found["percent"], 3.0, delta=0.03)
        self.assertFalse(any("No return to a setup" in note for note in after["notes"]))
        wide = next(placing for placing in before["placings"] if placing["setup_id"] == b)["to_baseline"]
        self.assertGreater(wide["high"] - wide["low"], 1.2 * (found["high"] - found["low"]))


class NotYet(Scene):
    def test_no_kept_pull_says_what_to_do(self):
        answer = self.read("curves")
        self.assertEqual((answer.status_code, answer.json()["code"]), (409, "nothing_kept"))
        self.assertIn("Make a pull at the stand, and accept it.", answer.json()["detail"])

    def test_one_pull_each_gives_curves_without_intervals_and_no_verdict(self):
        scenes.day_of_pulls(self.programme, self.operator, ((1.0,), (1.01,), (1.02,)))
        curves = self.read("curves").json()
        self.assertEqual((curves["leads"], curves["setups"][1]["difference"]), ([], None))
        self.assertIn("No intervals: no setup has two accepted pulls", curves["notes"][0])
        verdict = self.read("verdict")
        self.assertEqual((verdict.status_code, verdict.json()["code"]), (409, "not_enough_pulls"))

    def test_pulls_without_weather_can_be_read_observed(self):
        opened = scenes.session(self.programme, self.operator)
        for level in (1.0, 1.002):
            scenes.pull(opened, self.programme.setups.first(), self.operator, level=level, air=None)
        self.assertIn("has no weather", self.read("curves").json()["detail"])
        self.assertEqual(self.read("curves", standard="observed").status_code, 200)


class Notes(Scene):
    def notes(self) -> str:
        return " ".join(compare(self.programme, Standard.ISO_1585_SI).notes)

    def test_what_a_reader_must_know_is_told(self):
        opened = scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        setup = self.programme.setups.first()
        out = scenes.pull(opened, setup, self.operator, keep=False)
        keeping.exclude(self.operator, out, scenes.DAY, "hose off")
        scenes.pull(opened, setup, self.operator, keep=False)
        scenes.pull(opened, setup, self.operator, inertia_in_torque="unknown")
        scenes.pull(opened, setup, self.operator, air=stand_records.MeanAir(83_000.0, 306.15, 0.2))
        Pull.objects.filter(number=1).update(samples_lost=4, override_reason="in a hurry")
        told = self.notes()
        for words in (
            "Excluded with a reason: pull 10.",
            "Not judged yet, so not counted: pull 11.",
            "does not say whether inertia is in its torque",
            "Weather outside the range of the standard: pull 13.",
            "Samples were lost on the line: pull 1.",
            "Started outside a temperature window: pull 1.",
        ):
            self.assertIn(words, told)

    def test_pulls_of_two_sessions_carry_a_warning(self):
        opened = scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        opening.close_session(self.operator, opened, scenes.DAY)
        again = scenes.session(self.programme, self.operator, opened.stand, scenes.DAY)
        scenes.pull(again, self.programme.setups.first(), self.operator)
        notes = " ".join(self.read("verdict").json()["notes"])
        self.assertIn("come from 2 sessions, linked through A: what changed from day to day is taken out", notes)

    def test_an_excluded_pull_does_not_count(self):
        opened = scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        self.assertEqual(compare(self.programme, Standard.OBSERVED).layout.counts.tolist(), [3, 3, 3])
        for pull in Pull.objects.filter(session=opened):
            keeping.exclude(self.operator, pull, scenes.DAY, "all of them")
        with self.assertRaisesMessage(NothingKept, "Every pull is excluded. Include one again in the log"):
            compare(self.programme, Standard.OBSERVED)

    def test_a_range_needs_its_lower_end_below_its_upper(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        with self.assertRaises(Invalid):
            judging.judge(
                compare(self.programme, Standard.OBSERVED), Choice(Standard.OBSERVED, low_rpm=5000.0, high_rpm=4000.0)
            )


OF_THE_PULLS = 12  # queries that a comparison needs the first time that a process makes it


class Queries(Scene):
    def test_sixty_curves_cost_as_many_queries_as_nine(self):
        opened = scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        asked = {"curves": 28, "overlays": 22, "verdict": 33, "robustness": 30, "steps": 30}
        for what, queries in asked.items():
            aligned_pulls.forget()
            with self.subTest(what=what), self.assertNumQueries(queries):
                self.read(what)
            with self.subTest(what=what, again=True), self.assertNumQueries(queries - OF_THE_PULLS):
                self.read(what)
        rows = scenes.samples(1.001)
        for _ in range(12):
            scenes.pull(opened, self.programme.setups.first(), self.operator, rows=rows)
        for what, queries in asked.items():
            aligned_pulls.forget()
            with self.subTest(what=what, pulls=21), self.assertNumQueries(queries):
                self.read(what)


class PartsAndBuilds(Scene):
    def uses(self, position: int) -> list[dict]:
        part = self.programme.setups.get(position=position).parts.get(slot="intake_manifold")
        return self.client.get(f"/api/parts/{part.pk}/uses").json()

    def test_a_part_tells_how_its_setup_did(self):
        self.assertIn("No pull is accepted yet", self.uses(1)[0]["why_not"])
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        use, base = self.uses(1)[0], self.uses(0)[0]
        verdict = {row["setup_id"]: row for row in self.read("verdict").json()["placings"]}[use["setup_id"]]
        self.assertAlmostEqual(use["torque"], verdict["torque"])
        self.assertAlmostEqual(use["percent"], verdict["to_baseline"]["percent"])
        self.assertEqual((use["pulls"], use["state"], use["other_changes"]), (verdict["pulls"], "ahead", 0))
        self.assertEqual((base["is_baseline"], base["percent"], base["made_of"]), (True, None, ""))
        Pull.objects.update(origin=PullOrigin.SIMULATED)
        self.assertEqual(self.uses(1)[0]["made_of"], "simulated")

    def test_a_part_that_did_not_change_alone_says_so(self):
        setup = self.programme.setups.get(position=1)
        setup.parts.add(add_part(self.operator, scenes.DAY, Slot.SPACER, PartFacts("spacer"), {}))
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        self.assertEqual(self.uses(1)[0]["other_changes"], 1)

    def test_a_part_is_held_against_the_setup_that_differs_in_it_alone(self):
        """B and C both have the spacer; C has B's manifold changed alone: the manifold is held against B, not A."""
        _, second, third = self.programme.setups.all()
        spacer = add_part(self.operator, scenes.DAY, Slot.SPACER, PartFacts("spacer"), {})
        for setup in (second, third):
            setup.parts.add(spacer)
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        use = self.uses(2)[0]
        self.assertEqual((use["against"], use["other_changes"]), ("B", 0))
        self.assertAlmostEqual(use["percent"], 100 * (0.97 / 1.03 - 1), delta=0.05)

    def test_pulls_of_two_revisions_are_told(self):
        opened = scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        self.assertFalse([note for note in self.read("verdict").json()["notes"] if "revisions" in note])
        made = succeed(self.operator, self.programme.build, {}, "lash set anew", scenes.DAY)
        choose_build(self.operator, self.programme, made)
        opened.programme.refresh_from_db()
        scenes.pull(opened, self.programme.setups.first(), self.operator)
        notes = self.read("verdict").json()["notes"]
        self.assertTrue([note for note in notes if "made with revisions 1, 2 of the engine" in note], notes)

    def test_an_allowance_stands_beside_the_peak_and_leaves_the_curve(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        plain = self.read("curves").json()
        self.assertIsNone(plain["allowance"])
        describe_installation(self.operator, self.programme.build, "water_pump", tested="", installed="Belt-driven",
                              allowance="5 hp", basis="", applied=True)  # fmt: skip
        allowed = self.read("curves").json()
        self.assertEqual(allowed["allowance"], {"power": 5.0, "items": ["Water pump: Belt-driven"]})
        row = allowed["setups"][0]
        self.assertAlmostEqual(row["peak_power"]["value"] - row["installed_peak_power"], 5.0)
        self.assertEqual(row["power"], plain["setups"][0]["power"])


class PullsNeeded(Scene):
    def test_without_history_the_default_scatter_is_used_and_said(self):
        found = self.read("pulls-needed", difference_percent=1.0).json()
        self.assertEqual((found["scatter_percent"], found["degrees_of_freedom"], found["programmes"]), (0.4, 0, 0))
        self.assertEqual((found["pulls"], found["pulls_without_return"], found["return_pulls"]), (3, 14, 2))
        self.assertAlmostEqual(found["drift_percent_per_pull"], 0.35)
        chances = [point["percent"] for point in found["curve"]]
        self.assertEqual(chances, sorted(chances))
        self.assertTrue(all(point["percent"] > point["without_return_percent"] for point in found["curve"]))

    def test_the_engines_own_pulls_count_once_there_are_some(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        found = self.read("pulls-needed", difference_percent=1.0).json()
        alone = effects.fit(np.array(CLEAR).ravel(), Layout.of(np.repeat([0, 1, 2], 3)))
        self.assertAlmostEqual(found["scatter_percent"], 100 * float(alone.own_scatter), delta=0.002)
        self.assertEqual((found["degrees_of_freedom"], found["programmes"]), (4, 1))
        self.assertLess(found["pulls"], 3)

    def test_the_smallest_difference_of_the_programme_is_asked_for_unless_another_is(self):
        self.assertAlmostEqual(self.read("pulls-needed").json()["difference_percent"], 0.3)
        answer = self.read("pulls-needed", difference_percent=0)
        self.assertEqual((answer.status_code, list(answer.json()["fields"])), (422, ["difference_percent"]))


class Shapes(Scene):
    def test_flatness_width_and_fall_stand_beside_the_averages_with_their_intervals(self):
        scenes.day_of_pulls(self.programme, self.operator, CLEAR)
        answer = self.read("verdict").json()
        rows = {one["setup_id"]: one for one in answer["shapes"]}
        a, b, _ = (setup.pk for setup in self.programme.setups.all())
        # Pulls that differ by a factor alone have one shape; B, 3 % above, is longer above a level of A's.
        self.assertAlmostEqual(rows[a]["flatness_percent"], rows[b]["flatness_percent"], places=3)
        self.assertGreater(rows[b]["width_rpm"], rows[a]["width_rpm"])
        self.assertLess(rows[a]["flatness_half"], 0.1)
        self.assertGreaterEqual(rows[a]["fall_percent"], 0.0)
