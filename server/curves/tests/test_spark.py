"""A ladder of ignition timing at the stand: which pulls are rungs, what a step says, when a best is named."""

from typing import Any

import scenes
from django.test import TestCase

from programmes.models import Programme
from shop.models import Person, Role
from stand.models import Pull, PullSetting, Session

SPARK, JET = "setting:spark_advance", "setting:main_jet_primary"


class Ladder(TestCase):
    operator: Person
    programme: Programme
    a: Any
    b: Any
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.a, cls.b, _ = cls.programme.setups.all()
        cls.session = scenes.session(cls.programme, cls.operator)

    def pull(self, degrees: str, level: float, jet: str = "72", setup: Any = None) -> Pull:
        made = scenes.pull(self.session, setup or self.a, self.operator, level=level)
        for key, text in ((SPARK, f"{degrees} °"), (JET, jet)):
            PullSetting.objects.create(pull=made, key=key, text=text)
        return made

    def ladder(self, pull: Pull) -> dict:
        self.client.force_login(self.operator)
        answer = self.client.get(f"/api/pulls/{pull.pk}/spark-ladder")
        self.assertEqual(answer.status_code, 200)
        return answer.json()

    def test_one_setting_is_no_ladder(self):
        self.pull("33", 1.0)
        self.assertEqual(self.ladder(self.pull("33", 1.001))["rungs"], [])

    def test_a_step_that_lost_goes_back_and_a_third_setting_is_asked_for(self):
        for _ in range(2):
            self.pull("36", 1.0)
        self.pull("34", 0.98)
        found = self.ladder(self.pull("34", 0.981))
        self.assertEqual([rung["degrees"] for rung in found["rungs"]], [36, 36, 34, 34])
        self.assertIn("36° to 34°: -2.0 % torque", found["sentences"][0])
        self.assertIn("go back to 36°", found["sentences"][0])
        self.assertEqual(found["sentences"][1], "Pull a third setting to find the best one.")

    def bound(self, pull: Pull, **typed: str) -> Any:
        self.client.force_login(self.operator)
        return self.client.put(f"/api/pulls/{pull.pk}/spark-bounds", typed, "application/json")

    def test_the_next_step_follows_the_gain_and_ends_at_the_limit(self):
        self.pull("30", 0.98)
        last = self.pull("32", 1.0)
        found = self.ladder(last)
        self.assertEqual((found["step"], found["margin"], found["limit"], found["next"]), ("2", "4", "", 34))
        self.assertEqual(found["sentences"][-1], "Next: 34°.")
        self.assertEqual(self.bound(last, step="3", limit="36").json()["next"], 35)
        found = self.bound(last, step="3", limit="34 °").json()
        self.assertIsNone(found["next"])
        self.assertEqual(found["sentences"][-1], "The limit of 34° ends the ladder here.")
        lost = self.pull("34", 0.98)
        self.assertEqual(self.ladder(lost)["next"], 32)

    def test_a_knock_steps_back_by_the_margin(self):
        self.pull("30", 0.98)
        last = self.pull("32", 1.0)
        last.reduced.anomalies.create(kind="knock", low_rpm=4000, high_rpm=4200, size=1.0)
        found = self.ladder(last)
        self.assertEqual(found["next"], 28)
        self.assertIn("knocked at 32°: step back.", found["sentences"][0])
        self.assertEqual(self.bound(last, margin="2").json()["next"], 30)

    def test_bounds_that_cannot_be_are_refused_at_their_field(self):
        last = self.pull("30", 1.0)
        for typed, field in (({"step": "0"}, "step"), ({"margin": "far"}, "margin"), ({"limit": "99"}, "limit"),
                             ({"limit": "30 kPa"}, "limit")):  # fmt: skip
            answer = self.bound(last, **typed)
            self.assertEqual((answer.status_code, list(answer.json()["fields"])), (422, [field]))

    def test_what_is_left_on_the_table_is_a_decision_with_its_reason_and_what_the_ladder_said_then(self):
        for degrees, level in (("26", 0.975), ("30", 0.993), ("34", 1.0), ("38", 0.991)):
            self.pull(degrees, level)
            last = self.pull(degrees, level + 0.001)
        path = f"/api/pulls/{last.pk}/spark-decisions"
        self.client.force_login(self.operator)
        for given, field in (({"held": "30", "reason": " "}, "reason"), ({"held": "much", "reason": "x"}, "held")):
            self.assertEqual(list(self.client.post(path, given, "application/json").json()["fields"]), [field])
        said = self.client.post(path, {"held": "31", "reason": "Pump fuel in August"}, "application/json").json()
        self.assertRegex(
            said["decisions"][0]["text"],
            r"^31° held: Pump fuel in August \(best near 34°, 3\d to 3\d°; held -3° from it\)$",
        )

    def test_three_settings_that_bend_name_the_best_with_its_interval(self):
        for degrees, level in (("26", 0.975), ("30", 0.993), ("34", 1.0), ("38", 0.991)):
            self.pull(degrees, level)
            last = self.pull(degrees, level + 0.001)
        self.assertRegex(
            self.ladder(last)["sentences"][-2], r"^Best near 34°, 3\d to 3\d° \(95 %\); flat within ± \d°\.$"
        )

    def test_another_jet_or_another_setup_is_no_rung(self):
        self.pull("33", 1.0, jet="75")
        self.pull("33", 1.0, setup=self.b)
        self.pull("33", 1.0)
        self.assertEqual([rung["number"] for rung in self.ladder(self.pull("35", 1.01))["rungs"]], [3, 4])
