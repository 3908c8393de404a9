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

    def test_three_settings_that_bend_name_the_best_with_its_interval(self):
        for degrees, level in (("26", 0.975), ("30", 0.993), ("34", 1.0), ("38", 0.991)):
            self.pull(degrees, level)
            last = self.pull(degrees, level + 0.001)
        self.assertRegex(
            self.ladder(last)["sentences"][-1], r"^Best near 34°, 3\d to 3\d° \(95 %\); flat within ± \d°\.$"
        )

    def test_another_jet_or_another_setup_is_no_rung(self):
        self.pull("33", 1.0, jet="75")
        self.pull("33", 1.0, setup=self.b)
        self.pull("33", 1.0)
        self.assertEqual([rung["number"] for rung in self.ladder(self.pull("35", 1.01))["rungs"]], [3, 4])
