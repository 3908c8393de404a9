"""Curves that an older core made: what would differ is told, and they are made anew, whatever stops it on the way."""

from unittest import mock

import scenes
from django.core.management import CommandError, call_command
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from torvix_core import VERSION

from curves.models import Reduced
from curves.reduction import rebuild
from curves.reduction.reduce import reduce_pull
from jobs import service as jobs
from programmes.models import Programme
from shop.models import Person, Role
from stand.models import Pull

OLDER = "0.0.9"


class Watching:
    """Nobody wants it any more after so many pulls."""

    def __init__(self, after: int = 99):
        self.after = after
        self.reports: list[tuple[int, int]] = []

    def wanted(self) -> bool:
        return len(self.reports) < self.after

    def tell(self, done: int = 0, total: int = 0, progress_text: str = "") -> None:
        self.reports.append((done, total))


class Rebuilding(TestCase):
    owner: Person
    operator: Person
    programme: Programme
    pulls: list[Pull]

    @classmethod
    def setUpTestData(cls):
        cls.owner = scenes.person(Role.OWNER)
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        scenes.day_of_pulls(cls.programme, cls.operator, ((1.0, 1.01), (1.02, 1.03), (0.98, 0.99)))
        cls.pulls = list(Pull.objects.order_by("pk"))

    def setUp(self):
        self.before = {row.pull_id: row.torque for row in Reduced.objects.all()}
        Reduced.objects.update(core_version=OLDER)

    def work(self, after: int = 99, **arguments) -> dict:
        return rebuild.work({"check": False, "only": None, **arguments}, Watching(after))

    def bend(self, pull: Pull) -> float:
        """As if an older core had read one speed 1 % lower; which speed that is."""
        row = Reduced.objects.get(pull=pull)
        at = len(row.torque) // 2
        row.torque[at] *= 0.99
        row.save()
        return row.speed_rpm[at]

    def test_curves_of_an_older_version_are_made_anew_and_those_of_this_one_left_alone(self):
        newest = self.pulls[0]
        reduce_pull(newest)
        found = self.work()
        self.assertEqual((found["looked_at"], found["differ"]), (len(self.pulls) - 1, 0))
        self.assertEqual(set(Reduced.objects.values_list("core_version", flat=True)), {VERSION})
        self.assertEqual({row.pull_id: row.torque for row in Reduced.objects.all()}, self.before)
        self.assertEqual(self.work()["of"], 0)

    def test_a_check_says_what_would_differ_and_by_how_much_and_writes_nothing(self):
        speed = self.bend(self.pulls[1])
        found = self.work(check=True)
        (listed,) = found["listed"]
        self.assertEqual((listed["pull"], listed["speed_rpm"], listed["version"]), (self.pulls[1].pk, speed, OLDER))
        self.assertTrue(0.8 < listed["percent"] < 1.1, listed)
        self.assertEqual(set(Reduced.objects.values_list("core_version", flat=True)), {OLDER})
        self.assertNotEqual(Reduced.objects.get(pull=self.pulls[1]).torque, self.before[self.pulls[1].pk])

    def test_it_goes_on_where_it_was_stopped(self):
        found = self.work(after=2)
        self.assertEqual((found["looked_at"], found["of"]), (2, len(self.pulls)))
        self.assertEqual(rebuild.outdated().count(), len(self.pulls) - 2)
        self.assertEqual(self.work()["looked_at"], len(self.pulls) - 2)
        self.assertEqual(rebuild.outdated().count(), 0)

    def test_a_pull_that_has_no_curve_gets_one(self):
        Reduced.objects.filter(pull=self.pulls[0]).delete()
        (listed,) = self.work()["listed"]
        self.assertEqual((listed["pull"], listed["text"]), (self.pulls[0].pk, "had no curve"))
        self.assertEqual(Reduced.objects.get(pull=self.pulls[0]).torque, self.before[self.pulls[0].pk])

    def test_a_curve_that_ends_elsewhere_and_one_that_is_refused_are_told_in_words(self):
        row = Reduced.objects.get(pull=self.pulls[0])
        row.speed_rpm, row.torque = row.speed_rpm[2:], row.torque[2:]
        row.save()
        Reduced.objects.filter(pull=self.pulls[1]).update(refused="too short", speed_rpm=[], torque=[])
        listed = {one["pull"]: one["text"] for one in self.work(check=True)["listed"]}
        self.assertRegex(listed[self.pulls[0].pk], r"^ran from \d+ to \d+ rpm, now from \d+ to \d+ rpm$")
        self.assertEqual(listed[self.pulls[1].pk], "said “too short”, now “”")

    def test_pulls_are_read_and_stored_together(self):
        def queries() -> int:
            Reduced.objects.update(core_version=OLDER)
            with CaptureQueriesContext(connection) as asked:
                self.work()
            return len(asked)

        few = queries()
        session = self.programme.sessions.get()
        for setup in list(self.programme.setups.all()) * 3:
            scenes.pull(session, setup, self.operator)
        self.assertLessEqual(queries(), few)

    def test_one_pull_alone_whatever_its_version(self):
        reduce_pull(self.pulls[2])
        self.assertEqual(self.work(only=self.pulls[2].pk)["looked_at"], 1)
        self.assertEqual(rebuild.outdated().count(), len(self.pulls) - 1)


class AtTheTerminal(TestCase):
    operator: Person
    programme: Programme

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        scenes.day_of_pulls(cls.programme, cls.operator, ((1.0,), (1.01,), (0.99,)))

    def say(self, *arguments: str) -> str:
        """What it prints; the job is done at once, as a worker would do it."""
        said = mock.Mock()

        def ask(*given, **about):
            job = asked(*given, **about)
            jobs.run(job.pk)
            return job

        asked = jobs.ask
        with mock.patch.object(jobs, "ask", ask), mock.patch.object(jobs.JobWatch, "_look"):
            call_command("rebuild", *arguments, stdout=said)
        return "".join(call.args[0] for call in said.write.call_args_list)

    def test_it_tells_what_it_did(self):
        self.assertIn(f"Every curve is of core {VERSION}: nothing to do.", self.say())
        scenes.person(Role.OWNER)
        Reduced.objects.update(core_version=OLDER)
        self.assertIn(f"3 curves by core {VERSION}; 0 would differ.", self.say("--check"))
        self.assertIn(f"3 curves by core {VERSION}; 0 differ from before.", self.say())
        self.assertEqual(set(Reduced.objects.values_list("core_version", flat=True)), {VERSION})

    def test_what_cannot_be_done_is_said(self):
        with self.assertRaisesMessage(CommandError, "there is no complete pull 99999"):
            self.say("--only", "99999")
        Reduced.objects.update(core_version=OLDER)
        with self.assertRaisesMessage(CommandError, "the shop has no owner yet"):
            self.say()
