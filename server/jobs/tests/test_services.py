"""Long work: asked for, done, stopped, failed, and lost with its worker."""

import time
from datetime import timedelta
from unittest import mock

import scenes
from django.test import TestCase
from django.utils import timezone

from jobs import kinds
from jobs import service as jobs
from jobs.kinds import Queue
from jobs.models import Job, JobState
from shop.models import Role
from shop.refusals import Refusal


def count(given, watch):
    """Work that tells how far it is, and ends early if nobody wants it."""
    for number in range(given["to"]):
        watch.tell(number + 1, given["to"], f"at {number + 1}")
        if not watch.wanted():
            break
        time.sleep(given.get("sleep", 0))
    return {"reached": number + 1}


def refuse(given, watch):
    raise jobs.Unusable("Two and two do not make five.")


def break_down(given, watch):
    raise ZeroDivisionError


class Jobs(TestCase):
    def setUp(self):
        for name, work in (("count", count), ("refuse", refuse), ("break", break_down)):
            kinds.register(name, f"The {name}", Queue.QUICK, work)
            self.addCleanup(kinds.KINDS.pop, name)
        self.person = scenes.person(Role.OPERATOR)
        self.client.force_login(self.person)

    def ask(self, kind="count", subject="it", **arguments) -> Job:
        return jobs.ask(self.person, kind, subject, arguments or {"to": 3}, timezone.now())

    def read(self, job: Job) -> dict:
        return self.client.get(f"/api/jobs/{job.pk}").json()

    def test_what_is_done_tells_its_result(self):
        job = self.ask()
        self.assertEqual(self.read(job)["state"], "waiting")
        jobs.run(job.pk)
        told = self.read(job)
        self.assertEqual((told["state"], told["done"], told["total"], told["result"]), ("done", 3, 3, {"reached": 3}))

    def test_a_password_in_what_was_asked_is_not_kept_once_it_is_begun(self):
        kinds.register("quiet", "The quiet", Queue.QUICK, count, is_secret=True)
        self.addCleanup(kinds.KINDS.pop, "quiet")
        for kind, kept in (("quiet", {}), ("count", {"to": 3})):
            job = self.ask(kind)
            jobs.run(job.pk)
            job.refresh_from_db()
            self.assertEqual((job.result, job.arguments), ({"reached": 3}, kept))

    def test_work_that_cannot_be_done_says_why_and_a_fault_says_where_to_look(self):
        for kind, told in (("refuse", "Two and two do not make five."), ("break", "It is in the log")):
            job = self.ask(kind)
            with self.assertLogs("jobs.service", "ERROR") if kind == "break" else self.subTest():
                jobs.run(job.pk)
            found = self.read(job)
            self.assertEqual((found["state"], found["result"]), ("failed", None))
            self.assertIn(told, found["progress_text"])

    def test_what_waits_is_stopped_at_once_and_never_begun(self):
        job = self.ask()
        self.assertEqual(self.client.post(f"/api/jobs/{job.pk}/stop").json()["state"], "stopped")
        jobs.run(job.pk)
        self.assertEqual(self.read(job)["state"], "stopped")
        self.assertEqual(self.client.post(f"/api/jobs/{job.pk}/stop").status_code, 409)

    def test_a_newer_question_takes_the_place_of_the_older(self):
        older, other, newer = self.ask(), self.ask(subject="something else"), self.ask()
        self.assertEqual([self.read(job)["state"] for job in (older, other, newer)], ["stopped", "waiting", "waiting"])

    def test_what_a_dead_worker_did_is_ended_and_a_worker_that_was_only_slow_stops(self):
        job = self.ask()
        Job.objects.filter(pk=job.pk).update(state=JobState.RUNNING, beat_at=timezone.now() - 2 * jobs.DEAD)
        watch = jobs.JobWatch(job.pk)
        told = self.read(job)
        self.assertEqual(
            (told["state"], told["progress_text"]), ("failed", "The worker that did it was stopped. Ask again.")
        )
        watch._over = mock.Mock(wait=mock.Mock(side_effect=[False, True]))
        with mock.patch.object(jobs, "connection"):  # it is a thread's own outside of this test
            watch._look()
        self.assertFalse(watch.wanted())

    def test_a_job_is_its_askers_own(self):
        job = self.ask()
        stranger = scenes.person(Role.VIEWER)
        self.client.force_login(stranger)
        self.assertEqual(self.client.get(f"/api/jobs/{job.pk}").status_code, 404)
        self.assertEqual(self.client.post(f"/api/jobs/{job.pk}/stop").status_code, 404)
        with self.assertRaises(Refusal):
            jobs.stop(stranger, job)

    def test_one_s_own_work_is_a_list_newest_first_that_is_searched_and_says_how_each_stands(self):
        done = jobs.ask(self.person, "count", "one", {"to": 2}, timezone.now(), about="Four manifolds")
        jobs.run(done.pk)
        refused = jobs.ask(self.person, "refuse", "two", {}, timezone.now(), about="Two heads")
        jobs.run(refused.pk)
        waiting = self.ask(subject="three")
        jobs.ask(scenes.person(Role.OWNER), "count", "theirs", {"to": 1}, timezone.now())
        with self.assertNumQueries(5):  # session, person, sweep, count, rows: also for hundreds
            page = self.client.get("/api/jobs").json()
        self.assertEqual(page["total"], 3)
        self.assertEqual(
            [(row["id"], row["label"], row["about"], row["state_label"], row["may_stop"]) for row in page["rows"]],
            [
                (waiting.pk, "The count", "three", "Waiting", True),
                (refused.pk, "The refuse", "Two heads", "Failed", False),
                (done.pk, "The count", "Four manifolds", "Done", False),
            ],
        )
        self.assertEqual(page["rows"][1]["problem"], "Two and two do not make five.")
        self.assertEqual((page["rows"][2]["progress_text"], page["rows"][2]["problem"]), ("at 2", ""))
        found = self.client.get("/api/jobs?search=manifold").json()
        self.assertEqual([row["id"] for row in found["rows"]], [done.pk])
        self.client.post(f"/api/jobs/{waiting.pk}/stop")
        first = self.client.get("/api/jobs").json()["rows"][0]
        self.assertEqual((first["state_label"], first["may_stop"]), ("Stopped", False))

    def test_a_worker_that_was_killed_is_told_as_lost(self):
        job = self.ask()
        Job.objects.filter(pk=job.pk).update(state=JobState.RUNNING, beat_at=timezone.now() - timedelta(seconds=11))
        self.assertIn("The worker that did it was stopped", self.read(job)["lost"])
        Job.objects.filter(pk=job.pk).update(beat_at=timezone.now())
        self.assertEqual(self.read(job)["lost"], "")

    def test_a_queue_that_nobody_empties_says_so(self):
        job = self.ask()
        Job.objects.filter(pk=job.pk).update(asked_at=timezone.now() - timedelta(minutes=2))
        self.assertIn("No worker takes it", self.read(job)["lost"])

    def test_old_results_are_thrown_away(self):
        job = self.ask()
        jobs.run(job.pk)
        Job.objects.filter(pk=job.pk).update(asked_at=timezone.now() - timedelta(days=3))
        self.ask()
        self.assertFalse(Job.objects.filter(pk=job.pk).exists())
