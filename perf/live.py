"""From a sample leaving the stand to its point painted in the browser; and how soon the first screen can be used."""

from __future__ import annotations

import json
import re
import socket
import threading
import time
import urllib.request
from typing import Any

import numpy as np
from django.conf import settings
from playwright.sync_api import expect

from browser_tests.at_the_stand import HILL_CLIMB, TRUMPETS, pull, ready
from browser_tests.case import BrowserCase, StandCase, pick, sign_in
from browser_tests.test_crowd import AskedWithoutPause
from perf.report import size, tell
from programmes.models import Programme
from stand.models import Pull

WATCH = """() => {
  window.painted = []
  const chart = document.querySelector('.live-chart')
  new MutationObserver(() => window.painted.push([Number(chart.dataset.painted), Date.now()]))
    .observe(chart, { attributes: true, attributeFilter: ['data-painted'] })
}"""


class Listener(threading.Thread):
    """A second client of the stand: when did each sample leave it? Same machine, same clock."""

    def __init__(self, port: int) -> None:
        super().__init__(daemon=True)
        self.line = socket.create_connection(("127.0.0.1", port))
        self.sent: dict[int, float] = {}

    def run(self) -> None:
        """Until the stand is stopped."""
        with self.line, self.line.makefile("rb") as lines:
            for line in lines:
                now = time.time() * 1000
                # The last line is cut where the listening ends.
                message: dict[str, Any] = json.loads(line) if line.endswith(b"\n") else {"type": "cut"}
                if message["type"] == "samples":
                    self.sent.update({message["n"] + offset: now for offset in range(len(message["t"]))})

    def end(self) -> None:
        """Nothing more is listened to."""
        self.line.shutdown(socket.SHUT_RDWR)
        self.join()


def _told(late: np.ndarray) -> str:
    low, high = np.median(late), np.percentile(late, 95)
    return f"median {low:.0f} ms, 95th percentile {high:.0f} ms, {len(late)} frames"


VIEWERS = size(50, 3)


class Viewer(threading.Thread):
    """Somebody who watches: reads the stream as a browser does, and notes when each frame was there."""

    def __init__(self, base: str, programme: int, cookie: str) -> None:
        super().__init__(daemon=True)
        self.request = urllib.request.Request(f"{base}/api/programmes/{programme}/live", headers={"Cookie": cookie})
        self.came: dict[int, float] = {}

    def run(self) -> None:
        with urllib.request.urlopen(self.request, timeout=60) as stream:
            for line in stream:
                now = time.time() * 1000
                if line.startswith(b"data: ") and (message := json.loads(line[6:]))["type"] == "frame":
                    self.came[message["n"]] = now


class Crowd(StandCase):
    """Fifty people watch one pull. Prints, asserts nothing."""

    speed = size(1, 12)

    def runTest(self) -> None:  # noqa: N802  # the name that unittest runs by default
        programme = Programme.objects.filter(question=TRUMPETS).first()
        assert programme is not None
        with self.browser() as page:
            sign_in(page)
            ready(page, programme.pk)
            cookie = "; ".join(f"{one['name']}={one['value']}" for one in page.context.cookies())
            viewers = [Viewer(self.base, programme.pk, cookie) for _ in range(VIEWERS)]
            for viewer in viewers:
                viewer.start()
            listener = Listener(self.stand_port)
            listener.start()
            self.addCleanup(listener.end)
            page.evaluate(WATCH)
            pull(page)
            painted = page.evaluate("window.painted")
        seen = np.array([at - listener.sent[n] for n, at in painted if n in listener.sent])
        came = np.array([at - listener.sent[n] for viewer in viewers for n, at in viewer.came.items()
                         if n in listener.sent])  # fmt: skip
        made = Pull.objects.get(session__programme=programme)
        tell(f"with {VIEWERS} viewers, sample sent to frame received", _told(came), "under 150 ms")
        lost = f"{made.samples_lost} samples lost"
        tell(f"with {VIEWERS} viewers, sample sent to point painted", f"{_told(seen)}; {lost}", "none lost")


class Queue(AskedWithoutPause):
    """Whoever has the stand, while many ask without a pause. Prints, asserts nothing."""

    requests, streams = size(200, 6), size(50, 2)

    def runTest(self) -> None:  # noqa: N802  # the name that unittest runs by default
        self.arm_and_abort()
        told = ", ".join(f"{name} {1000 * took:.0f} ms" for name, took in self.took_s.items())
        asked = f"while {self.requests} ask without a pause and {self.streams} watch"
        tell(f"answers to whoever has the stand, {asked}", f"{told}; {len(self.statuses)} answers", "under 1000 ms")


class BesideHeavyRequests(AskedWithoutPause):
    """Whoever has the stand, while others have tests judged without a pause. Prints, asserts nothing."""

    requests, streams = size(5, 2), 1
    wanted = ("/robustness", "/verdict", "/curves", "/outcomes", "/pulls")
    wanted_of = HILL_CLIMB
    looks = size(40, 2)

    def runTest(self) -> None:  # noqa: N802  # the name that unittest runs by default
        self.arm_and_abort()
        arm, abort = (1000 * self.took_s[name] for name in ("arm", "abort"))
        looked = np.array([1000 * self.took_s[f"stand {number}"] for number in range(self.looks)])
        tell(
            f"while {self.requests} have a test judged without a pause",
            f"stand median {np.median(looked):.0f} ms, slowest {looked.max():.0f} ms; arm {arm:.0f} ms, "
            f"abort {abort:.0f} ms; {len(self.statuses) - self.looks} answers",
            "stand and abort at most 100 ms",
        )

    def while_armed(self) -> None:
        for number in range(self.looks):
            self.time_telling(f"stand {number}", f"/api/programmes/{self.programme.pk}/stand", None)


class Latency(StandCase):
    """Run by `./torvix perf`, not by the tests: it prints and asserts nothing."""

    speed = size(1, 12)  # as in life

    def runTest(self) -> None:  # noqa: N802  # the name that unittest runs by default
        programme = Programme.objects.filter(question=TRUMPETS).first()
        assert programme is not None
        with self.browser() as page:
            sign_in(page)
            ready(page, programme.pk)
            page.get_by_test_id("pull-options").locator("button[aria-expanded]").click()
            pick(page, "This pull is a", "Counted pull")
            page.get_by_role("button", name=re.compile("Setup fitted")).click()
            expect(page.get_by_role("button", name="Hold to start")).to_be_visible(timeout=120_000)
            listener = Listener(self.stand_port)
            listener.start()
            self.addCleanup(listener.end)
            page.evaluate(WATCH)
            page.keyboard.down("Space")
            expect(page.get_by_test_id("headline")).to_contain_text("Accept it?", timeout=60_000)
            painted = page.evaluate("window.painted")
            late = np.array([at - listener.sent[number] for number, at in painted if number in listener.sent])
            tell("sample sent to point painted", _told(late), "under 200 ms")
            page.goto("/", wait_until="domcontentloaded")
            times = []
            for _ in range(size(7, 1)):
                started = time.perf_counter()
                page.goto("/", wait_until="commit")
                page.get_by_role("link", name=programme.question).first.wait_for()
                times.append(time.perf_counter() - started)
            tell("first screen usable from a warm server", f"median {np.median(times):.2f} s", "under 2 s")
        first_page = (settings.WEB_BUILD / "index.html").read_text()
        scripts = re.findall(r'(?:src|href)="/static/(assets/[^"]+\.js)"', first_page)
        sent = sum((settings.WEB_BUILD / f"{script}.br").stat().st_size for script in scripts)
        tell("initial JavaScript as it is sent", f"{sent / 1000:.0f} kB in {len(scripts)} files", "under 350 kB")


WATCH_FIGURE = """() => {
  window.seen = []
  const value = document.querySelector('[data-figure="static_ratio"] .value')
  document.addEventListener('input', () => { window.typed = performance.now() }, true)
  const note = () => {
    if (window.typed) window.seen.push(performance.now() - window.typed)
    window.typed = 0
  }
  new MutationObserver(note).observe(value, { subtree: true, childList: true, characterData: true })
}"""


class Typing(BrowserCase):
    """From a key in a field of the build sheet to the figures that follow from it. Prints, asserts nothing."""

    def runTest(self) -> None:  # noqa: N802  # the name that unittest runs by default
        programme = Programme.objects.filter(question=HILL_CLIMB).first()
        assert programme is not None
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{programme.pk}/engine", wait_until="domcontentloaded")
            field = page.get_by_label("Compressed gasket thickness, measured")
            field.wait_for()
            page.evaluate(WATCH_FIGURE)
            for number in range(size(30, 2)):
                field.fill(f"1.{number + 10} mm")
                page.wait_for_timeout(400)
            late = np.array(page.evaluate("window.seen"))
        shares = f"median {np.median(late):.0f} ms, 95th percentile {np.percentile(late, 95):.0f} ms"
        tell("key typed to figures shown", f"{shares}, {len(late)} keys", "under 150 ms")
