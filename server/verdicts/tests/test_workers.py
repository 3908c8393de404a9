"""The real worker process on the real queue: it takes work, reports, stops when asked, and dies without harm."""

import os
import signal
import subprocess
import sys
import time
from dataclasses import asdict
from datetime import timedelta
from pathlib import Path

import scenes
from django.db import connection
from django.test import TransactionTestCase
from django.utils import timezone
from procrastinate.contrib.django import app
from torvix_core.judging.effects import USUAL

from jobs import service as jobs
from jobs.models import Job
from programmes.order import orders
from shop.models import Role
from verdicts import tasks
from verdicts.models import StoredResult
from verdicts.outlook import odds

ROOT = Path(__file__).resolve().parents[3]
SMALL_PLAN = {
    "setups": [1, 2], "visits": [[0, 0, 2], [1, 0, 3], [0, 0, 2]], "pull_s": 240.0, "conditioning": 1,
    "effects": [0.0, 0.01], "smallest": 0.003,
    "habits": {"scatter": 0.003, "drift_per_pull": -0.0002, "cold_part": 0.009, "soak_s": 190.0, "refit_scatter": 0.0},
    "history": asdict(USUAL),
}  # fmt: skip
TINY_ORDER = {
    "problem": {
        "change_min": [[0.0, 17.0], [17.0, 0.0]], "return_every": 3, "opening_min": 12.0, "return_min": 12.0,
        "tasks": [{"visit_min": 12.0, "visits": 1, "fuel": 0.0, "worth": 0, "place": "", "available_min": 0.0,
                   "after": None}] * 2,
        "warm_up_min": 20.0, "sessions": [{"start_min": 0.0, "paid_min": None}], "fuel": None, "fuel_warm_up": 0.0,
        "fuel_opening": 0.0, "fuel_return": 0.0,
    },
    "active": [0, 1], "letters": ["A", "B"], "has_clock": False,
}  # fmt: skip


class Worker(TransactionTestCase):
    def setUp(self):
        self.person = scenes.person(Role.OPERATOR)

    def start(self, queue: str) -> subprocess.Popen[bytes]:
        env = {**os.environ, "TORVIX_DB_NAME": str(connection.settings_dict["NAME"])}
        command = [sys.executable, str(ROOT / "server/manage.py"), "work_jobs", "--queue", queue]
        process = subprocess.Popen(command, env=env, cwd=ROOT, stderr=subprocess.DEVNULL)
        self.addCleanup(self.end, process)
        return process

    @staticmethod
    def end(process: subprocess.Popen[bytes]) -> None:
        process.terminate()
        process.wait(15)

    def until(self, job: Job, *states: str) -> Job:
        deadline = time.monotonic() + 30
        while time.monotonic() < deadline:
            job.refresh_from_db()
            if job.state in states:
                return job
            time.sleep(0.05)
        raise AssertionError(f"{job} is {job.state} {job.progress_text}")

    def ask(self, kind: str, arguments: dict) -> Job:
        return jobs.ask(self.person, kind, "test", arguments, timezone.now())

    def test_it_finds_an_order_stops_a_simulation_and_dies_without_harm(self):
        order = self.ask(orders.KIND, TINY_ORDER)
        days = self.ask(odds.KIND, {**SMALL_PLAN, "days": 500})
        quick, long = self.start("quick"), self.start("long")
        found = self.until(order, "done", "failed").result
        self.assertEqual((found["visits"], found["total_min"]), ([[0, 0], [1, 0], [0, 0]], 20 + 3 * 12 + 2 * 17))
        self.assertEqual(self.until(days, "done", "failed").result["days"], 500)

        endless = self.ask(odds.KIND, {**SMALL_PLAN, "days": 5_000_000})
        self.until(endless, "running")
        while not endless.done:
            endless.refresh_from_db()
            time.sleep(0.05)
        jobs.stop(self.person, endless)
        stopped = self.until(endless, "stopped")
        # What was simulated until then is told with its number of days.
        self.assertTrue(0 < stopped.result["days"] < 5_000_000)

        endless = self.ask(odds.KIND, {**SMALL_PLAN, "days": 5_000_000})
        self.until(endless, "running")
        os.kill(long.pid, signal.SIGKILL)
        long.wait()
        beaten = Job.objects.get(pk=endless.pk).beat_at
        self.assertIn("was stopped", Job.objects.get(pk=endless.pk).lost(beaten + timedelta(seconds=11)))
        again = self.ask(odds.KIND, {**SMALL_PLAN, "days": 250})
        self.start("long")
        self.assertEqual(self.until(again, "done", "failed").state, "done")
        self.assertIsNone(quick.poll())

    def test_it_keeps_the_results_of_tests_that_changed(self):
        programme = scenes.programme(self.person)
        scenes.day_of_pulls(programme, self.person, ((1.0, 1.001), (1.02, 1.021), (0.98, 0.981)))
        self.start("long")
        # Every minute by itself; here asked for at once.
        app.configure_task(tasks.TASK, queue="long").defer(timestamp=0)
        deadline = time.monotonic() + 120
        while not StoredResult.objects.filter(programme=programme).exists() and time.monotonic() < deadline:
            time.sleep(0.05)
        self.assertEqual(
            StoredResult.objects.get(programme=programme).own_degrees, 2
        )  # six pulls, less three setups and the drift
