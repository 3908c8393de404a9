"""A test case with everything running, as ./torvix demo runs it, on the test database."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache
from multiprocessing.util import Finalize
from pathlib import Path
from typing import Any

from axe_playwright_python.sync_playwright import Axe
from django.conf import settings
from django.db import connection
from django.middleware.csrf import CSRF_SECRET_LENGTH
from django.test import Client
from django.utils.crypto import get_random_string
from playwright.sync_api import Browser, Locator, Page, Playwright, expect, sync_playwright

from demo.loader import scenario
from demo.stand_day import say_to_stand
from demo.tests.loaded import CopyCase, DemonstrationCase
from ops.lanes import first_stand_port, lane_port
from ops.machine import browser
from ops.network import Door
from shop.models import Person, Stand

ROOT = Path(__file__).resolve().parents[1]
MANAGE = str(ROOT / "server" / "manage.py")
PASSWORD = scenario()["password"]
ASYNC_UNSAFE = "DJANGO_ALLOW_ASYNC_UNSAFE"
FLAGS = [
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
MOST_MS = 60_000  # that something is waited for; a slow machine needs it, a fast one does not notice
expect.set_options(timeout=MOST_MS)
# Until nothing is asked of the server any more and nothing moves; an answer may lead to the next question, so for
# some frames in a row.
SETTLED = """() => new Promise((done) => {
  let still = 0
  const look = () => {
    const moving = document.getAnimations().some((one) => one.playState === 'running'
      && one.effect.getTiming().iterations !== Infinity)
    const busy = document.querySelector('#app [aria-busy]')?.getAttribute('aria-busy') !== 'false'
    still = moving || busy ? 0 : still + 1
    if (still > 5) done()
    else requestAnimationFrame(look)
  }
  look()
})"""


@cache
def chromium() -> tuple[Browser, Playwright]:
    """One for the tests of a class; each has a context of its own, which shares nothing with another."""
    # Until it is stopped Playwright's loop runs in this thread, which Django takes for asynchronous code.
    os.environ[ASYNC_UNSAFE] = "true"
    playwright = sync_playwright().start()
    playwright.selectors.set_test_id_attribute("data-test")
    return playwright.chromium.launch(executable_path=browser(), args=FLAGS), playwright


def _stop_chromium() -> None:
    """Before the class leaves its database: while Playwright's loop runs, this thread has another connection to it."""
    if not chromium.cache_info().currsize:
        return
    browser, playwright = chromium()
    chromium.cache_clear()
    connection.close()
    browser.close()
    playwright.stop()
    del os.environ[ASYNC_UNSAFE]


class ServedCase(CopyCase):
    """A shop that is served, and a browser to look at it. No stand is linked."""

    web_port = 0
    web: subprocess.Popen[bytes] | None = None  # one for the tests of a lane: it keeps nothing between questions

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.addClassCleanup(_stop_chromium)

    def setUp(self) -> None:
        if ServedCase.web is None or ServedCase.web.poll() is not None:
            ServedCase.web_port = lane_port()
            self.start_web()
        self.base = f"http://127.0.0.1:{self.web_port}"
        self.problems: list[str] = []
        self.asked: set[str] = set()

    @staticmethod
    def process(*command: str, **more: str) -> subprocess.Popen[bytes]:
        """`more` for its environment."""
        ports = {"TORVIX_FIRST_STAND_PORT": str(first_stand_port())}
        env = {**os.environ, "TORVIX_DB_NAME": str(connection.settings_dict["NAME"]), **ports, **more}
        env.pop(ASYNC_UNSAFE, None)
        return subprocess.Popen([sys.executable, *command], env=env, cwd=ROOT)

    def start(self, *command: str) -> subprocess.Popen[bytes]:
        """A process for this test alone."""
        process = self.process(*command)
        self.addCleanup(self.stop, process)
        return process

    def start_web(self) -> None:
        """The web server, and the process that works out what takes long, as ./torvix starts them."""
        socket = str(Path(tempfile.mkdtemp(prefix="torvix-")) / "socket")
        uvicorn = ["-m", "uvicorn", "config.asgi:application", "--port", str(self.web_port), "--lifespan", "off"]
        quiet = ["--timeout-graceful-shutdown", "2", "--log-level", "warning"]
        ServedCase.web = self.process(*uvicorn, *quiet, TORVIX_JUDGING_SOCKET=socket)
        judging = self.process(*Door.judging(Path(socket))[1:])
        for process in (ServedCase.web, judging):
            Finalize(None, self.stop, [process], exitpriority=1)  # with the lane, which ends without atexit
        self.wait_for_web()

    @staticmethod
    def stop(process: subprocess.Popen[bytes]) -> None:
        if process.poll() is None:
            process.terminate()
            try:
                process.wait(8)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()

    def start_workers(self, *queues: str) -> None:
        """Job workers as ./torvix starts them."""
        for queue in queues:
            self.start(MANAGE, "work_jobs", "--queue", queue)

    def wait_for_web(self) -> None:
        assert self.web is not None
        while self.web.poll() is None:  # as long as it lives it may yet come, however busy the machine is
            try:
                urllib.request.urlopen(f"http://127.0.0.1:{self.web_port}", timeout=10).close()
                return
            except OSError:
                time.sleep(0.1)
        self.fail("the web server did not start")

    def axe(self, page: Page, *screens: str) -> None:
        """No screen breaks a rule of accessibility that can be checked by a program."""
        found: list[str] = []
        for screen in screens:
            page.goto(screen, wait_until="domcontentloaded")
            page.get_by_role("navigation").first.wait_for()
            page.evaluate(SETTLED)
            found += [f"{screen}: {told}" for told in self.violations(page)]
        self.assertEqual(found, [])

    @staticmethod
    def violations(page: Page) -> list[str]:
        """Of the screen that is shown: rule and places of each."""
        return [
            f"{violation['id']}: {'; '.join(node['html'][:110] for node in violation['nodes'][:3])}"
            for violation in Axe().run(page).response["violations"]
        ]

    @contextmanager
    def browser(self) -> Iterator[Page]:
        """A page of a person who was never here."""
        context = chromium()[0].new_context(viewport={"width": 1280, "height": 800}, base_url=self.base)
        try:
            context.set_default_timeout(MOST_MS)
            page = context.new_page()
            page.on("pageerror", lambda error: self.problems.append(str(error)))
            page.on("request", lambda request: self.asked.add(request.url.split("/")[2]))
            yield page
        finally:
            context.close()  # before the server is told to stop: an open stream would hold it up


class BrowserCase(ServedCase, DemonstrationCase):
    """The same with the demonstration loaded."""


class StandCase(BrowserCase):
    """The same with the simulated stand and its bench worker running, as ./torvix demo runs them."""

    speed = 20.0  # how many times faster than real the stand runs

    def setUp(self) -> None:
        super().setUp()
        self.stand_port = lane_port()
        Stand.objects.update(port=self.stand_port)
        self.start_stand()
        self.start(MANAGE, "bench")

    def start_stand(self, *options: str) -> None:
        self.stand = self.start(
            "-m",
            "standin",
            "--port",
            str(self.stand_port),
            "--warm",
            "--speed",
            str(self.speed),
            "--watchdog",
            "10",
            *options,
        )

    def pace(self, speed: float) -> None:
        """Slow enough for what has to happen within a sweep on any machine, or fast again."""
        self.tell_stand("pace", speed=speed)

    def until(self, true: Callable[[], bool], what: str) -> None:
        deadline = time.monotonic() + MOST_MS / 1000
        while not true():
            if time.monotonic() > deadline:
                self.fail(f"waited in vain for {what}")
            time.sleep(0.02)

    def tell_stand(self, name: str, **arguments: Any) -> None:
        """A command straight to the stand, as somebody at its console would give it."""
        say_to_stand(self.stand_port, name, **arguments)


def cookies_of(username: str) -> dict[str, str]:
    """As the browser of somebody has them who signed in."""
    client = Client()
    client.force_login(Person.objects.get(username=username))
    return {
        settings.SESSION_COOKIE_NAME: client.cookies[settings.SESSION_COOKIE_NAME].value,
        settings.CSRF_COOKIE_NAME: get_random_string(CSRF_SECRET_LENGTH),
    }


def sign_in(page: Page, username: str = "mats") -> None:
    """As if the person had signed in here before. The sign-in screen has tests of its own (test_programme)."""
    base = f"http://127.0.0.1:{ServedCase.web_port}"
    page.context.add_cookies(
        [{"name": name, "value": value, "url": base} for name, value in cookies_of(username).items()]
    )


def field_of(where: Page | Locator, label: str) -> Locator:
    """The field of a list by its label: what is chosen lies over the input itself, and takes the click."""
    page = where if isinstance(where, Page) else where.page
    return where.locator(".v-field").filter(has=page.get_by_role("combobox", name=label, exact=True))


def pick(where: Page | Locator, label: str, option: str | re.Pattern[str]) -> None:
    """Choose from a list that opens under its field."""
    page = where if isinstance(where, Page) else where.page
    field_of(where, label).click()
    page.get_by_role("option", name=option, exact=True).click()


def step(page: Page, name: str) -> Locator:
    """A step of a form that is filled in for the first time: its number and its name."""
    return page.get_by_role("button", name=re.compile(rf"^\d\s*{re.escape(name)}"))


def home(page: Page) -> None:
    """Where somebody begins who has signed in."""
    page.goto("/", wait_until="domcontentloaded")
    expect(page.get_by_role("heading", name="Tests", exact=True)).to_be_visible()
