"""One pull in full, and another cut by hand."""

from typing import Any

import numpy as np
import scenes
from django.test import TestCase
from torvix_core.pull.reduction import CutBy

from curves.models import CurveAnomaly, ReductionOverride
from curves.reduction import inspection
from curves.reduction.inspection import ReductionSettings
from programmes.models import Programme
from shop.models import Person, Role, default_units
from shop.refusals import Invalid, NotAllowed, Refusal
from stand.models import Channel, Pull, PullState, Purpose, Session
from stand.pulls.samples import read_raw


class Scene(TestCase):
    operator: Person
    programme: Programme
    setup: Any
    session: Session
    pull: Pull

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.setup = cls.programme.setups.first()
        cls.session = scenes.session(cls.programme, cls.operator)
        cls.pull = scenes.pull(cls.session, cls.setup, cls.operator)

    def setUp(self):
        self.client.force_login(self.operator)

    def inspection(self) -> dict:
        return self.client.get(f"/api/pulls/{self.pull.pk}/inspection").json()

    def reduce(self, **body):
        return self.client.put(f"/api/pulls/{self.pull.pk}/reduction", body, content_type="application/json")


class Cutting(Scene):
    def test_a_cut_by_hand_is_kept_told_and_taken_back_and_the_samples_stay(self):
        before, raw = self.inspection(), list(Channel.objects.values_list("data", flat=True))
        after = self.reduce(cut_start_s=4.0, cut_end_s=9.0).json()
        self.assertGreaterEqual(after["cut"]["start_s"], 4.0)
        self.assertLessEqual(after["cut"]["end_s"], 9.0)
        self.assertEqual((after["cut"]["start_why"], after["by_hand"]), ("set by hand", True))
        self.assertLess(len(after["speed_rpm"]), len(before["speed_rpm"]))
        self.pull.refresh_from_db()
        self.assertEqual(self.pull.reduced.options["cut_start_s"], 4.0)
        self.assertEqual(self.pull.reduced.cut.start_by, CutBy.HAND)
        back = self.reduce().json()
        for key in ("speed_rpm", "observed", "by_hand"):
            self.assertEqual(back[key], before[key])
        self.assertEqual(ReductionOverride.objects.count(), 2)  # who wanted what, and when
        self.assertEqual(list(Channel.objects.values_list("data", flat=True)), raw)

    def test_a_cut_that_leaves_no_curve_is_refused_and_the_curve_stays(self):
        before = self.inspection()["speed_rpm"]
        answer = self.reduce(cut_start_s=5.0, cut_end_s=5.2)
        self.assertEqual((answer.status_code, answer.json()["code"]), (422, "invalid"))
        self.assertEqual(self.inspection()["speed_rpm"], before)
        wrong = (({"cut_start_s": -1}, "cut_start_s"), ({"cut_start_s": 5, "cut_end_s": 4}, "cut_end_s"),
                 ({"smooth_bins": 4}, "smooth_bins"), ({"stand_inertia": "x"}, "stand_inertia"))  # fmt: skip
        for body, field in wrong:
            self.assertIn(field, self.reduce(**body).json()["fields"])

    def test_who_may_not_run_may_not_cut_and_an_aborted_pull_has_nothing_to_cut(self):
        with self.assertRaises(NotAllowed):
            inspection.reduce_as(scenes.person(Role.VIEWER), self.pull, ReductionSettings(1.0, 9.0), scenes.DAY)
        Pull.objects.filter(pk=self.pull.pk).update(standing="undecided")
        self.pull.refresh_from_db()
        self.pull.state = PullState.ABORTED
        with self.assertRaises(Refusal):
            inspection.reduce_as(self.operator, self.pull, ReductionSettings(1.0, 9.0), scenes.DAY)

    def test_inertia_is_added_where_somebody_knows_that_it_is_missing(self):
        """0.6 kg·m² at 350 rpm/s are 22 N·m [phys]."""
        before = self.inspection()["observed"]
        after = self.reduce(stand_inertia="not_included", inertia=0.6).json()["observed"]
        gained = (np.array(after[2:-2]) - np.array(before[2:-2])) * 1.3558179
        self.assertTrue(np.allclose(gained, 0.6 * 350 * np.pi / 30, atol=0.3), gained)

    def test_what_is_set_by_hand_is_told_so_that_it_can_go_along_with_the_next(self):
        told = self.reduce(stand_inertia="not_included", inertia=0.6, cut_start_s=4.0).json()["wish"]
        self.assertEqual((told["stand_inertia"], told["inertia"], told["cut_start_s"]), ("not_included", 0.6, 4.0))
        self.assertIsNone(told["cut_end_s"])
        self.assertEqual(set(self.reduce().json()["wish"].values()), {None})

    def test_inertia_from_two_pulls_at_different_rates(self):
        rows = np.array(scenes.samples(1.0))
        for rate in (350, 175):
            time = rows[:, 0] * (350 / rate)
            swept = np.column_stack([time, rows[:, 1], rows[:, 2] - 0.5 * rate * np.pi / 30, rows[:, 3:]])
            told = {"rows": swept.tolist(), "inertia_in_torque": "unknown"}
            scenes.pull(self.session, self.setup, self.operator, **told)
        fast, slow = Pull.objects.order_by("-number")[:2][::-1]
        told = self.client.get(f"/api/pulls/{fast.pk}/inertia?other={slow.pk}").json()
        self.assertAlmostEqual(told["inertia"], 0.5, delta=0.01)


class Looking(Scene):
    def test_raw_samples_in_the_readers_units_and_a_spike_survives_thinning(self):
        raw = self.client.get(f"/api/pulls/{self.pull.pk}/raw").json()
        units = {one["key"]: one["unit"] for one in raw["series"]}
        self.assertEqual((units["torque"], units["oil_temperature"], units["throttle"]), ("lb-ft", "°C", "%"))
        self.assertEqual(len(raw["time_s"]), len(read_raw(self.pull)["rpm"][1]))
        time = np.arange(60_000) / 1000
        values = np.zeros(60_000)
        values[31_234] = 99.0
        _, shown = inspection._thinned(time, values)
        self.assertLessEqual(len(shown), inspection.MOST_POINTS)
        self.assertEqual(shown.max(), 99.0)

    def test_oddities_are_in_words_with_place_and_evidence(self):
        stumble = CurveAnomaly(
            kind="stumble", low_rpm=2700, high_rpm=3000, size=0.06, evidence={"lambda": 0.94, "lambda_around": 0.87}
        )
        self.assertEqual(
            inspection.anomaly_words(stumble, default_units()),
            "Torque dips by 6.0 %, mixture lean there: lambda 0.94 against 0.87, from 2700 to 3000 rpm.",
        )

    def test_what_it_was_reduced_with_is_told_in_whole_bins(self):
        facts = {fact["label"]: fact["text"] for fact in self.inspection()["provenance"]}
        self.assertEqual(facts["Reduced with"], "bins of 100 rpm, at least 3 samples each, smoothed over 5 bins")

    def test_a_step_test_gives_its_points(self):
        speeds, rows, at = (2500, 3500, 4500, 5500), [], 0.0
        for speed in speeds:
            for _ in range(150):
                rows.append([at, speed, float(scenes.torque_curve(np.array(speed))), 100, 90])
                at += 0.02
        made = scenes.pull(self.session, self.setup, self.operator, rows=rows, keep=False)
        Pull.objects.filter(pk=made.pk).update(purpose=Purpose.STEPS)
        self.pull = Pull.objects.get(pk=made.pk)
        self.reduce(smooth_bins=5)
        self.assertEqual(self.inspection()["speed_rpm"], list(speeds))

    def test_samples_and_curves_leave_as_files(self):
        for kind in ("csv", "mf4", "parquet"):
            answer = self.client.get(f"/api/pulls/{self.pull.pk}/raw.{kind}")
            self.assertEqual(answer.status_code, 200)
            self.assertIn(f".{kind}", answer["Content-Disposition"])
        table = self.client.get(f"/api/programmes/{self.programme.pk}/curves.csv?standard=observed").content.decode()
        head, first = table.splitlines()[:2]
        self.assertEqual(head, "rpm,pull 1 A torque [lb-ft],pull 1 A power [hp]")
        self.assertEqual(float(first.split(",")[1]), self.inspection()["observed"][0])
        self.assertEqual(self.client.get(f"/api/programmes/{self.programme.pk}/curves.pdf").status_code, 422)

    def test_a_wish_is_no_way_around_a_wrong_pull(self):
        with self.assertRaises(Invalid):
            inspection.reduce_as(self.operator, self.pull, ReductionSettings(cut_start_s=float("nan")), scenes.DAY)
