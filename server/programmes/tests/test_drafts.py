"""A programme written down in the browser, and what its setups can tell."""

import scenes
from django.test import TestCase
from torvix_core.engine.dimensions import Slot

from engines.builds.service import describe_engine, describe_owner
from engines.models import Build, Part
from engines.parts.service import PartFacts, add_part
from programmes.models import Programme
from shop.models import Person, Role

TEXTS = {"sweep_start_rpm": "2000", "sweep_end_rpm": "6900 rpm", "sweep_rate": "350", "low_rpm": "3000",
         "high_rpm": "6500", "smallest_difference": "0.5", "warm_up": "20", "pull_time": "2", "cool_down": "90 s",
         "conditioning_pulls": "1", "return_every": "3", "return_pulls": "2"}  # fmt: skip


class Planned(TestCase):
    person: Person
    build: Build
    long: Part
    short: Part
    spacer: Part

    @classmethod
    def setUpTestData(cls):
        cls.person = scenes.person(Role.OPERATOR)
        cls.build = describe_engine(cls.person, scenes.DAY, "six", scenes.SIX)
        cls.long = scenes.manifold(cls.person, "Long", 420)
        cls.short = scenes.manifold(cls.person, "Short", 240)
        cls.spacer = add_part(cls.person, scenes.DAY, Slot.SPACER, PartFacts("Open spacer"), {})

    def setUp(self):
        self.client.force_login(self.person)

    def draft(self, **more: object) -> dict:
        return {
            "question": "Which manifold?", "build_id": self.build.pk, "standard": "sae_j607", "texts": TEXTS,
            "words": {"held_constant": "Spark and lambda", "answers_change": "Which one is bought."},
            "setups": [{"name": "Long", "part_ids": [self.long.pk]},
                       {"name": "Short", "part_ids": [self.short.pk, self.spacer.pk]}],
            "order": [{"setup": 0, "pulls": "2"}, {"setup": 1, "pulls": "3"}, {"setup": 0, "pulls": "1"}],
            **more,
        }  # fmt: skip

    def plan(self, **more: object):
        return self.client.post("/api/plans", self.draft(**more), content_type="application/json")

    def fields(self, **more: object) -> dict[str, str]:
        answer = self.plan(**more)
        self.assertEqual(answer.status_code, 422, answer.content)
        self.assertFalse(Programme.objects.exists())
        return answer.json()["fields"]

    def test_what_is_written_down_becomes_a_programme(self):
        made = self.plan().json()
        programme = Programme.objects.get(pk=made["id"])
        self.assertEqual((programme.low_rpm, programme.sweep_end_rpm, programme.standard), (3000, 6900, "sae_j607"))
        self.assertAlmostEqual(programme.smallest_difference, 0.005)
        self.assertEqual([(step.setup.letter, step.pulls) for step in programme.steps.all()],
                         [("A", 2), ("B", 3), ("A", 1)])  # fmt: skip
        self.assertEqual([setup["parts"] for setup in made["setups"]], [["Long"], ["Short", "Open spacer"]])
        self.assertTrue(made["setups"][0]["is_baseline"])

    def test_every_slip_is_named_at_its_field_and_nothing_is_made(self):
        setups = self.draft()["setups"]
        for more, field, message in (
            ({"question": " "}, "question", "Write the question down."),
            ({"texts": {**TEXTS, "sweep_end_rpm": "69oo"}}, "sweep_end_rpm", "is not a unit known here"),
            ({"texts": {**TEXTS, "low_rpm": ""}}, "low_rpm", "Type a number."),
            ({"texts": {**TEXTS, "sweep_rate": "5"}}, "sweep_rate", "between 20 and 3000"),
            ({"texts": {**TEXTS, "high_rpm": "7000"}}, "low_rpm", "must lie inside the sweep"),
            ({"texts": {**TEXTS, "sweep_end_rpm": "7500", "high_rpm": "7300"}}, "sweep_end_rpm", "above the redline"),
            ({"texts": {**TEXTS, "sweep_start_rpm": "6950"}}, "sweep_end_rpm", "must rise"),
            ({"setups": setups[:1], "order": [{"setup": 0, "pulls": "1"}]}, "setups", "two setups or more"),
            ({"setups": [setups[0], setups[0]]}, "setups.1.name", "Another setup is called so."),
            ({"setups": [setups[0], {"name": "x", "part_ids": [10**30]}]}, "setups.1.parts", "There is no part"),
            ({"order": []}, "order", "in which order"),
            ({"order": [{"setup": 7, "pulls": "1"}]}, "order.0.setup", "There is no such setup."),
            ({"order": [{"setup": 0, "pulls": "many"}]}, "order.0.pulls", "not a number"),
            ({"standard": "made_up"}, "standard", "choose one of"),
            ({"boost_school": "made_up"}, "boost_school", "choose one of"),
            ({"texts": {**TEXTS, "warm_up": "soon"}}, "warm_up", "not a number"),
            ({"texts": {**TEXTS, "warm_up": "9 h"}}, "warm_up", "it lies between 0 and 4 h"),
            ({"texts": {**TEXTS, "return_every": "0"}}, "return_every", "between 1 and 30"),
            ({"texts": {**TEXTS, "fuel_available": "20 kg"}}, "fuel_available", "is a mass"),
            ({"fixed_slots": ["cylinder_head", "roof"]}, "fixed_slots", "no place called roof"),
            ({"texts": {**TEXTS, "cost_ceiling": "cheap"}}, "cost_ceiling", "A price is a number"),
            (
                {"setups": [setups[0], {**setups[1], "place": "last"}, {**setups[1], "name": "x", "place": "last"}]},
                "setups.2.place",
                "Only one setup can be last",
            ),
            ({"setups": [{**setups[0], "place": "first"}, setups[1]]}, "setups.0.place", "opens and closes the day"),
            (
                {"setups": [setups[0], {**setups[1], "candidate": "late"}], "order": [{"setup": 0, "pulls": "1"}]},
                "setups.1.reason",
                "Say why it is left out",
            ),
            (
                {"setups": [setups[0], {**setups[1], "candidate": "late", "reason": "in the post"}]},
                "order.1.setup",
                "left out of the plan",
            ),
            (
                {"setups": [setups[0], {**setups[1], "settings": {"setting:spark_advance": "3 bar"}}]},
                "setups.1.settings.setting:spark_advance",
                "is a pressure",
            ),
            (
                {
                    "setups": [
                        setups[0],
                        {
                            **setups[1],
                            "settings": {"setting:main_jet_primary": "77", "setting:main_jet_rear_primary": "70"},
                        },
                    ]
                },
                "setups.1.settings.setting:main_jet_rear_primary",
                "contradict each other: an engine has one set of positions",
            ),
            (
                {"setups": [setups[0], {**setups[1], "based_on": 2}, {**setups[1], "name": "x", "based_on": 1}]},
                "setups.1.based_on",
                "build on itself",
            ),
            ({"rows": [{"key": "own:", "remove": "1", "install": "1"}]}, "rows.0.key", "Give the row a name"),
            ({"rows": [{"key": "spacer", "remove": "a while", "install": "1"}]}, "rows.0.remove", "not a number"),
            (
                {
                    "rows": [
                        {"key": "spacer", "remove": "1", "install": "1", "under": ["carburetor"]},
                        {"key": "carburetor", "remove": "1", "install": "1", "under": ["spacer"]},
                    ]
                },
                "rows.0.under",
                "Spacer under carburetor under spacer: nothing could ever come off.",
            ),
            ({"sessions": [{"starts_at": "2026-11-28T09:00:00Z", "paid": "-1"}]}, "sessions.0.paid", "it lies"),
            (
                {
                    "sessions": [
                        {"starts_at": "2026-11-28T09:00:00Z", "paid": "8 h"},
                        {"starts_at": "2026-11-28T12:00:00Z", "paid": "2 h"},
                    ]
                },
                "sessions.1.starts_at",
                "before the session above it has ended",
            ),
            (
                {
                    "setups": [setups[0], {**setups[1], "available_at": "2026-11-28T09:00:00"}],
                    "sessions": [{"starts_at": "2026-11-28T09:00:00"}],
                },
                "setups.1.available_at",
                "needs its time zone",
            ),
            ({"order": [{"setup": 0, "pulls": "1", "session": 1}]}, "order.0.session", "Sessions follow each other"),
            ({"duty": "drawn", "points": [[3000, 0.5]]}, "points", "2 to 24 points"),
        ):
            with self.subTest(field=field, message=message):
                self.assertIn(message, self.fields(**more).get(field, ""))

    def test_several_slips_are_named_together(self):
        self.assertEqual(set(self.fields(texts={**TEXTS, "low_rpm": "x", "sweep_rate": "y"}, order=[])),
                         {"low_rpm", "sweep_rate", "order"})  # fmt: skip

    def test_a_viewer_plans_nothing_and_nobody_plans_on_what_he_may_not_see(self):
        self.client.force_login(scenes.person(Role.VIEWER))
        self.assertEqual(self.plan().status_code, 403)
        self.client.force_login(self.person)
        describe_owner(self.person, self.build.engine, owner="x", confidential=True)
        self.assertEqual(self.plan().status_code, 200)  # an operator may

    def questions(self, programme: int) -> dict:
        return self.client.get(f"/api/plans/{programme}").json()["summary"]

    def test_two_changes_at_once_are_told_as_a_package_with_the_setup_that_would_split_it(self):
        found = self.questions(self.plan().json()["id"])
        self.assertEqual({one["question"]: one["answer"] for one in found["answers"]}, {
            "Intake manifold: Short against Long?": "Only together with the spacer.",
            "Spacer: Open spacer against nothing?": "Only together with the intake manifold."})  # fmt: skip
        self.assertEqual(found["addition"], "One setup more, A with Open spacer, would answer 2 more questions.")

    def test_one_change_is_told_by_the_pair_that_differs_in_it(self):
        setups = [{"name": "Long", "part_ids": [self.long.pk]}, {"name": "Short", "part_ids": [self.short.pk]}]
        found = self.questions(self.plan(setups=setups).json()["id"])
        self.assertEqual([one["answer"] for one in found["answers"]],
                         ["Separated by B against A, which differ in nothing else."])  # fmt: skip
        self.assertEqual(found["addition"], "")
