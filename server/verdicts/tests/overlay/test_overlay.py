"""Curves over tests: shapes alone unless they are linked, and then the difference as both tests measured it."""

import math
from datetime import timedelta
from typing import Any

import numpy as np
import scenes
from django.test import TestCase
from torvix_core.air.standards import Standard

from engines.builds.service import describe_owner
from programmes.models import Programme
from shop.models import Person, Role, Stand
from stand.models import Pull, PullOrigin, Session
from stand.session import opening
from verdicts.access import programme_of
from verdicts.comparison.aligned_pulls import compare
from verdicts.overlay.service import MOST_CURVES, lay_over

LEVELS = ((1.0, 1.001, 0.999), (1.03, 1.031, 1.029), (0.97, 0.971, 0.969))


class Scene(TestCase):
    operator: Person
    first: Programme
    second: Programme
    elsewhere: Programme
    stand: Stand

    @classmethod
    def setUpTestData(cls):
        """Two tests of one engine that share their first setup, on another day 4 % lower; and one of another engine."""
        cls.operator = scenes.person(Role.OPERATOR)
        cls.first = scenes.programme(cls.operator)
        cls.stand = Stand.objects.create(name="Stand 1")
        cls.day(cls.first, LEVELS)
        cls.second = scenes.programme(cls.operator, build=cls.first.build, parts="later, number")
        cls.second.setups.all()[0].parts.set(cls.first.setups.all()[0].parts.all())
        cls.day(cls.second, ((0.96, 0.961, 0.959), (0.98, 0.981, 0.979), (0.9, 0.901, 0.899)))
        cls.elsewhere = scenes.programme(cls.operator, engine="another six", parts="elsewhere, number")
        cls.day(cls.elsewhere, LEVELS)

    @classmethod
    def day(cls, programme: Programme, levels) -> None:
        """Setup after setup, three times over, so that no drift is read into it."""
        at = scenes.DAY + timedelta(days=Session.objects.count())
        opened = scenes.session(programme, cls.operator, cls.stand, at)
        for of_round in zip(*levels, strict=True):
            for setup, level in zip(programme.setups.all(), of_round, strict=True):
                scenes.pull(opened, setup, cls.operator, level=level)
        opening.close_session(cls.operator, opened, opened.opened_at + timedelta(hours=3))

    def setUp(self):
        self.client.force_login(self.operator)

    def key(self, programme: Programme, place: int) -> str:
        return f"s{programme.setups.all()[place].pk}"

    def read(self, *keys: str, **query: str) -> dict[str, Any]:
        answer = self.client.get("/api/overlay", {"items": ",".join(keys), **query})
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()


class Overlaying(Scene):
    def test_two_tests_are_linked_by_the_setup_that_both_ran(self):
        """+3 % over the shared setup there, +2.08 % over it here; that the second day was 4 % lower is no gain."""
        found = self.read(self.key(self.first, 1), self.key(self.second, 1))
        self.assertEqual(found["shape_why"], "")
        (gain,) = found["gains"]
        self.assertAlmostEqual(np.mean(gain["gain"]["percent"]), 100 * (0.98 / 0.96 / 1.03 - 1), delta=0.03)
        self.assertIn("linked by manifold 0, which both tests ran.", gain["sentence"])
        widths = []
        for programme in (self.first, self.second):
            compared = compare(programme_of(self.operator, programme.pk), Standard.ISO_1585_SI)
            own = compared.curves().difference(1, 0)
            widths.append(float(own.half_width.mean()) * 100)
        wide = np.mean(np.subtract(gain["gain"]["high_percent"], gain["gain"]["low_percent"])) / 2
        self.assertGreater(wide, 0.6 * math.hypot(*widths))  # both intervals are in it, each speed for itself
        self.assertLess(wide, 1.05 * math.hypot(*widths))

    def test_the_shared_setup_itself_is_the_same_on_both_days(self):
        found = self.read(self.key(self.first, 0), self.key(self.second, 0))
        (gain,) = found["gains"]
        self.assertEqual(set(gain["gain"]["percent"]), {0.0})

    def test_within_a_test_it_is_what_the_test_says(self):
        found = self.read(self.key(self.first, 0), self.key(self.first, 2))
        curves = self.client.get(f"/api/programmes/{self.first.pk}/curves").json()
        self.assertAlmostEqual(found["curves"][1]["torque"][10], curves["setups"][2]["torque"][10], places=6)
        self.assertIn("linked by the same test.", found["gains"][0]["sentence"])

    def test_what_nothing_links_stands_as_a_shape_and_no_gain_is_said(self):
        found = self.read(self.key(self.first, 1), self.key(self.elsewhere, 1))
        self.assertEqual(found["gains"], [])
        self.assertIn("no setup was run with both", found["shape_why"])
        self.assertEqual([max(one["share_percent"]) for one in found["curves"]], [100.0, 100.0])
        # The same parts on another revision of the engine are no link.
        Programme.objects.filter(pk=self.second.pk).update(build=self.elsewhere.build)
        self.assertNotEqual(self.read(self.key(self.first, 1), self.key(self.second, 1))["shape_why"], "")

    def test_a_pull_is_labeled_with_all_that_it_is_and_not_held_against_others(self):
        pull = Pull.objects.filter(session__programme=self.elsewhere).first()
        Pull.objects.filter(pk=pull.pk).update(origin=PullOrigin.SIMULATED)
        found = self.read(self.key(self.first, 0), f"p{pull.pk}")
        one = found["curves"][1]
        self.assertEqual(
            (one["title"], one["nature"], one["pull_id"]), ("A elsewhere, number 0, pull 1", "simulated", pull.pk)
        )
        self.assertIn("Which manifold? · another six", one["about"])
        self.assertEqual((one["low"], found["gains"]), ([], []))
        self.assertIn("Single pulls are among them", found["shape_why"])

    def test_all_stand_in_one_standard(self):
        keys = self.key(self.first, 0), self.key(self.second, 0)
        observed = self.read(*keys, standard="observed")
        corrected = self.read(*keys, standard="sae_j607")
        self.assertEqual(observed["standard_label"], "Observed")
        self.assertNotAlmostEqual(observed["curves"][0]["torque"][0], corrected["curves"][0]["torque"][0], places=1)
        self.assertEqual(self.client.get("/api/overlay?standard=mine").status_code, 422)

    def test_what_cannot_be_laid_down_is_named_and_the_rest_stays(self):
        empty = scenes.programme(self.operator, build=self.first.build, parts="to come, number")
        found = self.read(self.key(self.first, 0), self.key(empty, 0), "s999999")
        self.assertEqual(len(found["curves"]), 1)
        self.assertIn("No pull is accepted yet", found["missing"][0])
        self.assertIn("not for you to see", found["missing"][1])
        for items in ("x1", ",".join(f"s{number}" for number in range(MOST_CURVES + 1))):
            self.assertEqual(self.client.get("/api/overlay", {"items": items}).status_code, 422)

    def test_nobody_sees_a_confidential_engine_by_its_curve(self):
        describe_owner(self.operator, self.elsewhere.build.engine, owner="x", confidential=True)
        viewer = scenes.person(Role.VIEWER)
        keys = [self.key(self.first, 0), self.key(self.elsewhere, 0)]
        self.assertEqual(len(lay_over(viewer, keys, Standard.ISO_1585_SI).curves), 1)
        self.assertEqual(len(lay_over(self.operator, keys, Standard.ISO_1585_SI).curves), 2)
