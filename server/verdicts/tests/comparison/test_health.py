"""What was not healthy is not scored as the part's, and a jump that no part of its kind brings is doubted."""

from typing import Any

import scenes
from django.test import TestCase
from torvix_core.engine.dimensions import Slot

from curves.models import CurveAnomaly
from engines.parts.service import PartFacts, add_part
from programmes.models import Programme
from shop.models import Person, Role
from stand.models import Pull
from stand.session import opening

SAME = ((1.0, 1.0004, 1.0), (1.0, 1.0004, 1.0), (0.97, 0.9704, 0.97))


class Scene(TestCase):
    person: Person
    programme: Programme

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.person)

    def setUp(self):
        self.client.force_login(self.person)

    def verdict(self, **query: Any) -> dict[str, Any]:
        return self.client.get(f"/api/programmes/{self.programme.pk}/verdict", query).json()


class Health(Scene):
    def stumble(self) -> None:
        """One pull of B loses a tenth from 3500 to 3900 rpm, and is flagged there."""
        scenes.day_of_pulls(self.programme, self.person, SAME)
        pull = Pull.objects.get(number=5)
        reduced = pull.reduced
        reduced.torque = [value * (0.9 if 3500 <= speed <= 3900 else 1.0)
                          for speed, value in zip(reduced.speed_rpm, reduced.torque, strict=True)]  # fmt: skip
        reduced.save()
        CurveAnomaly.objects.filter(reduced=reduced).delete()
        CurveAnomaly.objects.create(reduced=reduced, kind="stumble", low_rpm=3500, high_rpm=3900, size=0.1)

    def test_a_stumble_is_told_and_judged_without_its_speeds_for_all(self):
        self.stumble()
        plain, healthy = self.verdict(), self.verdict(healthy_only="true")
        self.assertTrue(plain["unhealthy"])
        notes = " ".join(plain["notes"])
        self.assertIn("Pull 5 of B stumbled from 3500 to 3900 rpm. That is the pull's, not the part's", notes)
        self.assertIn("These speeds are excluded for all setups.", " ".join(healthy["notes"]))

        def gain(answer: dict[str, Any]) -> float:
            b = self.programme.setups.get(position=1).pk
            return next(one for one in answer["placings"] if one["setup_id"] == b)["to_baseline"]["percent"]

        self.assertLess(gain(plain), -0.2)
        self.assertAlmostEqual(gain(healthy), 0.0, delta=0.05)
        curves = self.client.get(f"/api/programmes/{self.programme.pk}/curves").json()
        self.assertEqual([(one["low_rpm"], one["high_rpm"]) for one in curves["unhealthy"]], [(3500, 3900)])

    def test_where_all_were_healthy_nothing_is_said(self):
        scenes.day_of_pulls(self.programme, self.person, SAME)
        CurveAnomaly.objects.all().delete()
        answer = self.verdict()
        self.assertFalse(answer["unhealthy"])
        self.assertEqual(self.verdict(healthy_only="true")["placings"][0]["score"], answer["placings"][0]["score"])


class Plausible(Scene):
    def spacer(self) -> None:
        first, second, _ = self.programme.setups.all()
        second.parts.set([*first.parts.all(), add_part(self.person, scenes.DAY, Slot.SPACER, PartFacts("open"), {})])

    def doubts(self) -> list[str]:
        return [note for note in self.verdict()["notes"] if "before you believe it" in note]

    def test_nine_per_cent_from_a_spacer_asks_for_with_without_with(self):
        self.spacer()
        opened = scenes.day_of_pulls(self.programme, self.person, ((1.0, 1.0, 1.0), (1.09, 1.09, 1.09), (1.0, 1.0)))
        (doubt,) = self.doubts()
        self.assertRegex(
            doubt, r"^B against A: \+[89]\.\d % is more than a change of spacer alone usually brings \(3\.0 %"
        )
        setups = list(self.programme.setups.all())
        for setup, level in ((setups[0], 1.0), (setups[1], 1.09)):
            scenes.pull(opened, setup, self.person, level=level)
        self.assertEqual(self.doubts(), [])

    def test_two_per_cent_do_not(self):
        self.spacer()
        scenes.day_of_pulls(self.programme, self.person, ((1.0, 1.0, 1.0), (1.02, 1.02, 1.02), (1.0, 1.0)))
        self.assertEqual(self.doubts(), [])


class Scope(Scene):
    """What a verdict does not hold for follows from what varied: never of the very part that was compared."""

    def scope(self) -> str:
        return next(note for note in self.verdict()["notes"] if note.startswith("It holds for this engine"))

    def test_a_manifold_test_holds_for_no_other_camshaft_and_a_camshaft_test_does_not_say_so(self):
        scenes.day_of_pulls(self.programme, self.person, SAME)
        self.assertIn("not for another camshaft, head or exhaust.", self.scope())
        for number, setup in enumerate(self.programme.setups.all()):
            setup.parts.add(add_part(self.person, scenes.DAY, Slot.CAMSHAFT, PartFacts(f"cam {number}"), {}))
        self.assertIn("not for another head or exhaust.", self.scope())


class OpenSessions(Scene):
    def test_a_further_pull_is_advised_only_while_the_session_is_open(self):
        opened = scenes.day_of_pulls(self.programme, self.person, SAME)
        self.assertIn("One more pull of A now", " ".join(self.verdict()["notes"]))
        opening.close_session(self.person, opened, scenes.DAY)
        self.assertNotIn("One more pull of A now", " ".join(self.verdict()["notes"]))
