"""Kills and cuts at random moments of pulls, with a seed, and what must be true after each of them.

Bench worker, stand, web server, job worker and database are the real ones, in processes of their own.
"""

from __future__ import annotations

import math
import os
import random
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections import Counter
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import scenes
from django.conf import settings
from django.db import connection
from django.utils import timezone

from config.tests.beside import Listener, say_to_stand_that_is_cut
from config.tests.kept_cluster import kept_cluster, kill
from jobs import service as jobs
from jobs.models import OVER, Job, JobState
from ops.lanes import lane_port
from shop.models import Role, Stand
from stand.models import ENDED, Chunk, Link, Pull, PullState
from stand.pulls import arming, starting
from stand.pulls.samples import read_raw
from stand.tests.taken_away import allow_connections, drop_connections
from verdicts.outlook import odds
from verdicts.tests.test_workers import SMALL_PLAN

SPEED = 6.0  # times faster than real
PATIENCE_S = 25.0
MOST_SWEEP_S = 1.0  # less than half of a sweep, so that one which simply ran to its end is not taken for stopped
ROOT = Path(settings.ROOT)
QUIET = subprocess.DEVNULL


class Unsound(AssertionError):
    """Something is not as it must be after a fault."""


class Soak:
    """One run. `go` raises Unsound at the first thing that is not as it must be; counts what was done."""

    def __init__(self, seed: int, most_loss_s: float = math.inf) -> None:
        """`most_loss_s`: what a killed worker may lose, by the wall clock; it says something of a machine, too."""
        self.chance, self.most_loss_s = random.Random(seed), most_loss_s
        self.done: Counter[str] = Counter()
        self.worst_loss_s = self.worst_sweep_s = 0.0
        self.opened = ExitStack()
        self.cluster = self.opened.enter_context(kept_cluster())
        self.spool = TemporaryDirectory()
        self.port, self.web_port = lane_port(), lane_port()
        self.operator = scenes.person(Role.OPERATOR)
        self.programme = scenes.programme(self.operator)
        self.stand = Stand.objects.create(name="Stand 1", port=self.port)
        self.session = scenes.session(self.programme, self.operator, self.stand)
        self.standin = self._start_stand()
        self.worker = self._start_worker()
        self.web, self.job_worker = self._start_web(), self._start_job_worker()
        self.listener = Listener(self.port)
        self.listener.start()

    def go(self, events: int) -> None:
        # A short run takes the first ones: a worker, the line, the database, the web server, the jobs.
        kinds: list[Callable[[Pull], None]] = [
            self.kill_worker, self.cut_line, self.take_database_away_and_kill_worker, self.kill_database,
            self.kill_web, self.kill_job_worker, self.kill_stand, self.cut_database, self.take_database_away,
        ]  # fmt: skip
        order = [kinds[number % len(kinds)] for number in range(events)]
        self.chance.shuffle(order)
        for event in order:
            event(self._running_pull())
            self.done[event.__name__] += 1
        stuck = Pull.objects.exclude(state__in=ENDED).count()
        if stuck or Chunk.objects.exists():
            raise Unsound(f"{stuck} pulls are stuck, {Chunk.objects.count()} chunks are left over")
        if waiting := Job.objects.exclude(state__in=OVER).count():
            raise Unsound(f"{waiting} jobs are stuck")

    def stop(self) -> None:
        for process in (self.worker, self.web, self.job_worker, self.standin):
            process.kill()
            process.wait()
        self.spool.cleanup()
        self.opened.close()

    # The faults

    def kill_worker(self, pull: Pull) -> None:
        committed, moment = self._committed(pull), self._kill(self.worker)
        self._check_stopped(moment)
        self.worker = self._start_worker()
        self._check_cut(self._ended(pull), committed, moment)

    def cut_line(self, pull: Pull) -> None:
        committed, moment = self._committed(pull), time.monotonic()
        say_to_stand_that_is_cut(self.port)
        self._check_stopped(moment)
        self._check_cut(self._ended(pull), committed, moment)

    def kill_stand(self, pull: Pull) -> None:
        committed, moment = self._committed(pull), self._kill(self.standin)
        self._check_cut(self._ended(pull), committed, moment)
        self.standin = self._start_stand()

    def cut_database(self, pull: Pull) -> None:
        drop_connections()
        self._check_whole(self._ended(pull))

    def take_database_away(self, pull: Pull) -> None:
        allow_connections(False)
        drop_connections()
        time.sleep(self.chance.uniform(0.3, 2.0))
        allow_connections(True)
        self._check_whole(self._ended(pull))

    def take_database_away_and_kill_worker(self, pull: Pull) -> None:
        committed = self._committed(pull)
        allow_connections(False)
        drop_connections()
        time.sleep(self.chance.uniform(0.2, 0.9))
        moment = self._kill(self.worker)
        self._check_stopped(moment)
        allow_connections(True)
        self.worker = self._start_worker()
        self._check_cut(self._ended(pull), committed, moment)

    def kill_database(self, pull: Pull) -> None:
        kill(self.cluster)
        self._check_whole(self._ended(pull))

    def kill_web(self, pull: Pull) -> None:
        """Nothing of a pull goes through it; the next one answers, and what it is told still reaches the stand."""
        self._kill(self.web)
        self._check_whole(self._ended(pull))
        self.web = self._start_web()
        self._until(self._web_answers, "the web server")

    def kill_job_worker(self, pull: Pull) -> None:
        """What it did is ended after its time, and can be asked for again."""
        dead = self._ask_for_work()
        self._until(lambda: self._job_state(dead) == JobState.RUNNING, "the job worker")
        self._kill(self.job_worker)
        self._check_whole(self._ended(pull))
        if jobs.sweep(timezone.now() + jobs.DEAD) != 1 or self._job_state(dead) != JobState.FAILED:
            raise Unsound(f"{dead} is {self._job_state(dead)}, its worker is dead")
        self.job_worker = self._start_job_worker()
        again = self._ask_for_work()
        self._until(lambda: self._job_state(again) == JobState.RUNNING, "the next job worker")
        jobs.stop(self.operator, again)
        self._until(lambda: self._job_state(again) in OVER, "the end of the work")

    # What must be true

    def _check_cut(self, pull: Pull, committed: int, moment: float) -> None:
        """A pull that was cut off: nothing that was committed is gone, and no more is missing than may be."""
        time_s = self._times(pull)
        if len(time_s) < committed:
            raise Unsound(f"{pull}: {committed} samples were committed, {len(time_s)} are left")
        if pull.state == PullState.COMPLETE:
            return  # it had ended before the fault came
        if pull.state != PullState.INCOMPLETE:
            raise Unsound(f"{pull} is {pull.state}: {pull.ended_why}")
        # Of one that was cut off before its first samples were handed on, all since it began is missing.
        last = float(time_s[-1]) if len(time_s) else self.listener.swept_from(moment)
        loss = (self.listener.sent_before(moment) - last) / SPEED
        self.worst_loss_s = max(self.worst_loss_s, loss)
        if self.listener.sent_before(moment - self.most_loss_s) > last + 1e-6:
            raise Unsound(f"{pull}: {loss:.2f} s of samples are missing")

    def _check_stopped(self, moment: float) -> None:
        """Nobody guards the engine any more, so the stand has stopped by itself."""
        self._until(lambda: self.listener.swept_on_s(moment) is not None, "the end of a sweep that nobody guards")
        swept = (self.listener.swept_on_s(moment) or 0.0) / SPEED
        self.worst_sweep_s = max(self.worst_sweep_s, swept)
        if swept > MOST_SWEEP_S:
            raise Unsound(f"the stand went on sweeping for {swept:.2f} s after nobody guarded it")

    def _check_whole(self, pull: Pull) -> None:
        self._times(pull)
        if (pull.state, pull.samples_lost) != (PullState.COMPLETE, 0):
            raise Unsound(f"{pull} is {pull.state} with {pull.samples_lost} lost: {pull.ended_why}")

    def _times(self, pull: Pull) -> np.ndarray:
        """Its time base, without a hole and with every channel as long."""
        raw = read_raw(pull)
        if not raw:
            return np.empty(0)
        lengths = {len(samples) for _, samples in raw.values()}
        steps = np.diff(raw["time"][1])
        if len(lengths) != 1 or (len(steps) and not np.allclose(steps, 0.02, atol=1e-6)):
            raise Unsound(f"{pull}: channels of {lengths} samples, steps of {steps.min()} to {steps.max()} s")
        return raw["time"][1]

    # How it is done

    def _running_pull(self) -> Pull:
        """A pull at a random moment of its sweep."""
        idle = Link.objects.filter(stand=self.stand, connected=True, state="idle")
        self._until(idle.exists, "an idle stand")
        baseline = self.programme.setups.get(is_baseline=True)
        for _ in range(5):
            pull = arming.arm(self.operator, self.session, baseline, timezone.now(), scenes.SWEEP)
            self._until(lambda: self._state(pull) != PullState.ARMED or self._link_state() == "armed", "arming")
            if self._state(pull) == PullState.ARMED:
                starting.start(self.operator, pull, "soak")
                self._until(lambda: self._state(pull) != PullState.ARMED, "the start")
            if self._state(pull) == PullState.RUNNING:
                time.sleep(self.chance.uniform(0.1, 1.8))
                return pull
        raise Unsound("five pulls could not be begun")

    def _link_state(self) -> str:
        return Link.objects.values_list("state", flat=True).get(stand=self.stand)

    @staticmethod
    def _state(pull: Pull) -> str:
        return Pull.objects.values_list("state", flat=True).get(pk=pull.pk)

    def _ended(self, pull: Pull) -> Pull:
        self._until(lambda: self._state(pull) in ENDED, f"the end of {pull}")
        return Pull.objects.get(pk=pull.pk)

    def _ask_for_work(self) -> Job:
        """More than it can do in the time of a pull."""
        return jobs.ask(self.operator, odds.KIND, "soak", {**SMALL_PLAN, "days": odds.MOST_DAYS}, timezone.now())

    @staticmethod
    def _job_state(job: Job) -> str:
        return Job.objects.values_list("state", flat=True).get(pk=job.pk)

    def _web_answers(self) -> bool:
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{self.web_port}/api/me", timeout=10).close()
        except urllib.error.HTTPError as refused:
            return refused.code == 401  # nobody is signed in; the database was asked
        except OSError:
            return False
        return True

    @staticmethod
    def _committed(pull: Pull) -> int:
        return sum(Chunk.objects.filter(pull=pull).values_list("samples", flat=True))

    @staticmethod
    def _until(true: Callable[[], bool], what: str) -> None:
        deadline = time.monotonic() + PATIENCE_S
        while not true():
            if time.monotonic() > deadline:
                raise Unsound(f"waited in vain for {what}")
            time.sleep(0.02)

    @staticmethod
    def _kill(process: subprocess.Popen[bytes]) -> float:
        """SIGKILL, and when."""
        moment = time.monotonic()
        process.send_signal(signal.SIGKILL)
        process.wait()
        return moment

    def _start_stand(self) -> subprocess.Popen[bytes]:
        options = ["--port", str(self.port), "--warm", "--speed", str(SPEED), "--seed", "7"]
        return self._start("-m", "standin", *options)

    def _start_worker(self) -> subprocess.Popen[bytes]:
        return self._start(str(ROOT / "server/manage.py"), "bench", "--stand", str(self.stand.pk))

    def _start_web(self) -> subprocess.Popen[bytes]:
        return self._start("-m", "uvicorn", "config.asgi:application", "--port", str(self.web_port), "--lifespan",
                           "off", "--log-level", "critical")  # fmt: skip

    def _start_job_worker(self) -> subprocess.Popen[bytes]:
        return self._start(str(ROOT / "server/manage.py"), "work_jobs")

    def _start(self, *command: str) -> subprocess.Popen[bytes]:
        """What it says of a database that was killed is meant, and not ours to read."""
        env = {**os.environ, **self.cluster.settings(str(connection.settings_dict["NAME"])),
               "TORVIX_SPOOL": self.spool.name, "TORVIX_LOG_LEVEL": "CRITICAL"}  # fmt: skip
        return subprocess.Popen(
            [sys.executable, *command],
            env=env,
            cwd=ROOT,
            stdout=QUIET,
            stderr=QUIET,
        )
