"""A check pass at the stand: short, never counted, without a curve; a no go holds the full sweep."""

from __future__ import annotations

from datetime import timedelta
from unittest import mock

import numpy as np
import scenes

from programmes.settings import service as adjusting
from shop.refusals import Refusal
from stand.models import Pull, PullState, Purpose, Standing
from stand.pulls import arming, check_passes
from stand.tests.session.test_day import Scene
from stand.worker import pull_records


class CheckPasses(Scene):
    def check(self, oil_celsius: float = 90.0) -> Pull:
        pull = self.arm(purpose="check")
        self.now += timedelta(minutes=1)
        names, units = zip(*scenes.CHANNELS, strict=True)
        pull_records.begin_pull(pull, pull_records.HelloFacts(scenes.RATE_HZ, names, units, "included", 0.45), self.now)
        rows = np.array(scenes.samples(1.0))
        rows[:, 4] = oil_celsius
        scenes.append_chunk(pull.pk, 0, rows.tolist())
        pull_records.end_pull(pull, PullState.COMPLETE, "", self.now, air=scenes.AIR)
        return Pull.objects.select_related("reduced").get(pk=pull.pk)

    def said(self, pull: Pull) -> dict:
        self.client.force_login(self.mats)
        answer = self.client.get(f"/api/pulls/{pull.pk}/check-pass")
        self.assertEqual(answer.status_code, 200)
        return answer.json()

    def test_it_is_short_never_counted_and_gives_no_curve(self):
        found = self.check()
        self.assertEqual((found.purpose, found.sweep_end_rpm - found.sweep_start_rpm),
                         (Purpose.CHECK, 3 * found.sweep_rate_rpm_s))  # fmt: skip
        self.assertEqual(found.standing, Standing.EXCLUDED)
        self.assertIn("says go or no go", found.reduced.refused)
        said = self.said(found)
        self.assertTrue(said["go"])
        self.assertIn({"words": "Mixture was not measured.", "right": None}, said["lines"])
        self.assertIn({"words": "Oil 90 °C.", "right": True}, said["lines"])
        self.assertEqual(self.arm(purpose="sweep").purpose, Purpose.SWEEP)

    def test_where_the_plan_asks_for_it_the_first_pull_after_a_change_of_parts_or_tune_is_a_check_pass(self):
        rules = self.programme.day_rules
        rules.check_pass_first = True
        rules.save()
        self.session.programme.day_rules.refresh_from_db()
        self.assertEqual(arming.purpose_of(self.session, self.a), Purpose.CHECK)
        self.check(oil_celsius=140.0)
        self.assertEqual(arming.purpose_of(self.session, self.a), Purpose.CHECK)  # no go: once more
        self.check()
        self.assertEqual(arming.purpose_of(self.session, self.a), Purpose.WARM_UP)
        self.pull()
        self.assertEqual(arming.purpose_of(self.session, self.a), Purpose.SWEEP)
        self.assertEqual(arming.purpose_of(self.session, self.b), Purpose.CHECK)
        self.now += timedelta(minutes=1)
        adjusting.adjust(self.mats, self.a, "setting:spark_advance", "34", self.now)
        self.assertEqual(arming.purpose_of(self.session, self.a), Purpose.CHECK)
        self.assertEqual(self.pull(purpose="sweep").purpose, Purpose.SWEEP)  # the operator's choice goes before it
        self.assertEqual(arming.purpose_of(self.session, self.a), Purpose.SWEEP)
        self.client.force_login(self.mats)
        asked = self.client.get(f"/api/sessions/{self.session.pk}/next", {"setup_id": self.b.pk}).json()
        self.assertEqual(asked["purpose"], "check")

    def test_a_no_go_holds_the_full_sweep_and_a_retune_or_a_go_frees_it(self):
        found = self.check(oil_celsius=140.0)
        self.assertFalse(self.said(found)["go"])
        for purpose in ("sweep", "warm_up", "steps"):
            wanted = {"holds": [(3000, 2.0)]} if purpose == "steps" else {}
            with (
                self.subTest(purpose),
                self.assertRaisesMessage(Refusal, "check pass 1 was no go. Oil 140 °C, at most 130 °C"),
            ):
                self.arm(purpose=purpose, **wanted)
        self.pull(purpose="shake_down")  # says nothing of it
        with self.assertRaisesMessage(Refusal, "check pass 1 was no go"):
            self.arm(purpose="sweep")
        self.check(oil_celsius=92.0)
        self.assertEqual(self.arm(purpose="sweep").purpose, Purpose.SWEEP)

    def test_the_pull_after_it_is_still_the_first_after_the_change(self):
        self.check()
        self.assertEqual((self.arm().first_after_change, self.arm_purpose()), (True, Purpose.WARM_UP))

    def arm_purpose(self) -> str:
        return Pull.objects.latest("pk").purpose

    def test_a_target_of_later_does_not_change_what_it_said(self):
        adjusting.adjust(self.mats, self.a, "setting:mixture_target", "0.87", self.now)
        found = self.check()
        with mock.patch.object(check_passes, "read_check_pass") as judged:
            adjusting.adjust(self.mats, self.a, "setting:mixture_target", "0.80", self.now)
            check_passes.read(found)
        self.assertEqual(judged.call_args.args[2], 0.87)

    def test_another_tune_is_another_engine_to_check(self):
        self.check(oil_celsius=140.0)
        adjusting.adjust(self.mats, self.a, "setting:spark_advance", "28", self.now)
        self.assertEqual(self.arm(purpose="sweep").purpose, Purpose.SWEEP)

    def test_a_speed_of_one_s_own_is_kept(self):
        pull = arming.arm(self.mats, self.session, self.a, self.now,
                          arming.PullRequest(purpose="check", end_rpm=2600))  # fmt: skip
        self.assertEqual(pull.sweep_end_rpm, 2600)
