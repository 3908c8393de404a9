"""What a correction cannot repair stands beside the number of a pull, in the log and in the inspector (C7)."""

from typing import Any

import scenes
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from torvix_core.air.standards import BoostSchool

from programmes.models import BoostPolicy, Programme
from programmes.settings.service import adjust
from shop.models import Person, Role
from stand.models import Pull, PullSetting, Session


class Scene(TestCase):
    operator: Person
    programme: Programme
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.session = scenes.session(cls.programme, cls.operator)

    def setUp(self):
        self.client.force_login(self.operator)

    def pull(self, **more: Any) -> Pull:
        return scenes.pull(self.session, self.programme.setups.all()[0], self.operator, **more)

    def beside(self, pull: Pull) -> list[str]:
        """In the inspector; the log says the same."""
        found = self.client.get(f"/api/pulls/{pull.pk}/inspection").json()["not_repaired"]
        rows = self.client.get(f"/api/programmes/{self.programme.pk}/pulls").json()["rows"]
        self.assertEqual(next(row["not_repaired"] for row in rows if row["id"] == pull.pk), found)
        return found

    def in_air(self, pull: Pull, barometer: float) -> Pull:
        pull.barometer = barometer
        pull.save()
        return pull


class Beside(Scene):
    def test_an_ordinary_pull_has_nothing(self):
        self.assertEqual(self.beside(self.pull()), [])

    def test_a_large_factor(self):
        (line,) = self.beside(self.in_air(self.pull(), 83_000.0))
        self.assertIn("other jets and other spark, it cannot give back", line)

    def test_heat_in_the_manifold(self):
        cool = [self.pull(more={"manifold_temperature": (40.0 + place, "°C")}) for place in range(3)]
        hot = self.pull(more={"manifold_temperature": (62.0, "°C")})
        (line,) = self.beside(hot)
        self.assertRegex(line, r"^Its manifold was (20|21) °C hotter than usual in its session: a standard corrects")
        self.assertEqual([self.beside(pull) for pull in cool], [[], [], []])

    def test_jets_that_were_found_in_other_air(self):
        adjust(self.operator, self.programme.setups.all()[0], "setting:main_jet_primary", "72", scenes.DAY)
        first, later = self.pull(tuned=True), self.pull(tuned=True)
        self.assertEqual(self.beside(later), [])
        (line,) = self.beside(self.in_air(later, 103_000.0))
        self.assertRegex(line, rf"^Its jets are those of pull {first.number}, whose air had a factor of \d\.\d{{3}}: ")
        PullSetting.objects.filter(pull=later, key="setting:main_jet_primary").update(text="71")
        self.assertEqual(self.beside(later), [])

    def test_log_and_inspector_say_the_same_of_every_pull_of_a_long_day(self):
        """The jets were found long before, and many pulls lie between (`beside` holds one against the other)."""
        adjust(self.operator, self.programme.setups.all()[0], "setting:main_jet_primary", "72", scenes.DAY)
        first = self.pull(tuned=True, more={"manifold_temperature": (40.0, "°C")})
        for place in range(11):
            scenes.pull(self.session, self.programme.setups.all()[1 + place % 2], self.operator,
                        more={"manifold_temperature": (41.0 + place, "°C")})  # fmt: skip
        late = self.in_air(self.pull(tuned=True, more={"manifold_temperature": (64.0, "°C")}), 103_000.0)
        lines = " ".join(self.beside(late))
        self.assertIn(f"those of pull {first.number}", lines)
        self.assertIn("hotter than usual", lines)

    def test_the_whole_factor_on_a_boosted_engine(self):
        Programme.objects.filter(pk=self.programme.pk).update(
            boost_policy=BoostPolicy.EQUAL_BOOST, boost_school=BoostSchool.UNBLOWN
        )
        pull = self.pull()
        (line,) = self.beside(pull)
        self.assertIn("held to an absolute pressure", line)
        observed = self.client.get(f"/api/pulls/{pull.pk}/inspection?standard=observed").json()
        self.assertEqual(observed["not_repaired"], [])

    def test_queries_do_not_grow_with_the_pulls(self):
        pull = self.pull(more={"manifold_temperature": (40.0, "°C")})
        self.pull()

        def count() -> int:
            with CaptureQueriesContext(connection) as caught:
                self.client.get(f"/api/pulls/{pull.pk}/inspection")
            return len(caught)

        before = count()
        for _ in range(3):
            self.pull()
        self.assertEqual(count(), before)
