"""What the bench worker costs at a thousand samples a second of 24 channels; and a soak run of it."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

import scenes
from django.db import connection
from django.test import TransactionTestCase

from config.tests.soak import Soak
from perf.feed import CHANNELS, RATE_HZ
from perf.report import size, tell
from shop.models import Role, Stand
from stand.models import ENDED, Chunk, Link, ListItem, Pull, PullState
from stand.pulls import arming, starting

ROOT = Path(__file__).resolve().parents[1]
SECONDS = float(os.environ.get("TORVIX_FEED_S", size(60, 5)))
TICKS = os.sysconf("SC_CLK_TCK")


class FullRate(TransactionTestCase):
    """Prints, asserts nothing. TORVIX_FEED_S=600 makes it the step test of ten minutes."""

    def runTest(self) -> None:  # noqa: N802  # the name that unittest runs by default
        env = {**os.environ, "TORVIX_DB_NAME": str(connection.settings_dict["NAME"])}
        feed = subprocess.Popen(
            [sys.executable, "-m", "perf.feed", str(SECONDS)], cwd=ROOT, env=env, stdout=subprocess.PIPE, text=True
        )
        self.addCleanup(_end, feed)
        assert feed.stdout is not None
        operator = scenes.person(Role.OPERATOR)
        programme = scenes.programme(operator)
        programme.windows.all().delete()
        ListItem.objects.all().delete()
        stand = Stand.objects.create(name="Feed", port=int(feed.stdout.readline()))
        session = scenes.session(programme, operator, stand)
        worker = subprocess.Popen([sys.executable, str(ROOT / "server/manage.py"), "bench"], cwd=ROOT, env=env)
        self.addCleanup(_end, worker)
        self.until(lambda: Link.objects.filter(connected=True, state="idle").exists())
        pull = arming.arm(operator, session, programme.setups.get(is_baseline=True), scenes.DAY, scenes.SWEEP)
        self.until(lambda: Link.objects.get().state == "armed")
        starting.start(operator, pull)
        self.until(lambda: Chunk.objects.exists())
        began, before = time.monotonic(), cpu_s(worker.pid)
        time.sleep(size(8, 1))
        early = memory_mb(worker.pid)
        time.sleep(max(0.0, SECONDS - size(10, 3) - (time.monotonic() - began)))
        spent, late = cpu_s(worker.pid) - before, memory_mb(worker.pid)
        share = spent / (time.monotonic() - began)
        self.until(lambda: Pull.objects.get(pk=pull.pk).state in ENDED)
        kept = Pull.objects.get(pk=pull.pk)
        self.assertEqual(kept.state, PullState.COMPLETE, kept.ended_why)  # else the figures are of something else
        held = kept.channels.first()
        tell(
            f"worker at {RATE_HZ} Hz × {CHANNELS} channels for {SECONDS:.0f} s",
            f"{share:.2f} of a core; memory {early:.0f} MB after some seconds, {late:.0f} MB at the end, "
            f"{memory_mb(worker.pid):.0f} MB once it is packed; {held.samples if held else 0} samples kept, "
            f"{kept.samples_lost} lost, {kept.state}",
            "under 0.5 of a core, none lost",
        )

    def until(self, true) -> None:  # type: ignore[no-untyped-def]
        deadline = time.monotonic() + 120
        while not true():
            if time.monotonic() > deadline:
                self.fail("waited in vain")
            time.sleep(0.02)


class LongSoak(TransactionTestCase):
    """200 kills and cuts at random moments of pulls. Fails at the first sample that is lost or pull that is stuck."""

    def runTest(self) -> None:  # noqa: N802  # the name that unittest runs by default
        seed, events = int(os.environ.get("TORVIX_SEED", "1")), int(os.environ.get("TORVIX_EVENTS", "200"))
        soak = Soak(seed, most_loss_s=0.25)
        self.addCleanup(soak.stop)
        started = time.monotonic()
        soak.go(events)
        told = ", ".join(f"{count} × {name.replace('_', ' ')}" for name, count in sorted(soak.done.items()))
        tell(
            f"soak, seed {seed}: {events} faults ({told})",
            f"no committed sample lost, no pull stuck, at most {soak.worst_loss_s:.2f} s of samples lost to a kill, "
            f"the stand stopped at most {soak.worst_sweep_s:.2f} s after nobody guarded it, in "
            f"{(time.monotonic() - started) / 60:.0f} min",
            "none lost, none stuck, at most 0.25 s; stopped within 2 s",
        )


def _end(process: subprocess.Popen[str] | subprocess.Popen[bytes]) -> None:
    process.kill()
    process.communicate()


def cpu_s(pid: int) -> float:
    """User and system time of a process so far."""
    fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / TICKS


def memory_mb(pid: int) -> float:
    """What of a process is in memory."""
    pages = int(Path(f"/proc/{pid}/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6
