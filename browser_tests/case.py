"""A test case with everything running, as ./torvix demo runs it, on the test database."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path
from typing import Any
from unittest import addModuleCleanup

from axe_playwright_python.sync_playwright import Axe
from django.apps import apps
from django.core.management.color import no_style
from django.db import connection
from django.test import TransactionTestCase
from playwright.sync_api import Page, expect, sync_playwright

from demo.loader import load, say_to_stand, scenario
from shop.models import Stand

ROOT = Path(__file__).resolve().parents[1]
MANAGE = str(ROOT / "server" / "manage.py")
PASSWORD = scenario()["password"]
CHROMIUM = "/usr/bin/chromium"
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
expect.set_options(timeout=20_000)


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port


# Tables that the flush between tests fills by itself.
FILLED_BY_DJANGO = {"django_content_type", "auth_permission", "django_migrations"}
_snapshot_is_made = False


def load_demonstration() -> None:
    """The demonstration, made by the loader for the first test of a run and copied back for all others.

    Making it takes the simulated stand through a day of pulls, which is worth seeing once.
    """
    global _snapshot_is_made
    tables = sorted({*connection.introspection.django_table_names(only_existing=True)} - FILLED_BY_DJANGO)
    with connection.cursor() as cursor:
        if not _snapshot_is_made:
            load()
            cursor.execute("DROP SCHEMA IF EXISTS demonstration CASCADE")
            cursor.execute("CREATE SCHEMA demonstration")
            for table in tables:
                cursor.execute(f'CREATE TABLE demonstration."{table}" AS TABLE public."{table}"')
            _snapshot_is_made = True
            return
        # Foreign keys and triggers held when the rows were made; while they are copied, order does not matter.
        cursor.execute("SET session_replication_role = replica")
        for table in tables:
            cursor.execute(f'INSERT INTO public."{table}" SELECT * FROM demonstration."{table}"')
        cursor.execute("SET session_replication_role = DEFAULT")
        for statement in connection.ops.sequence_reset_sql(no_style(), apps.get_models(include_auto_created=True)):
            cursor.execute(statement)


class BrowserCase(TransactionTestCase):
    """The demonstration loaded, everything started, one page open. The ORM is for before and after the page."""

    speed = 5  # how many times faster than real the stand runs
    web_port = 0
    web: subprocess.Popen[bytes] | None = None  # one for the tests of a module: it keeps nothing between questions

    def setUp(self) -> None:
        load_demonstration()
        self.stand_port = free_port()
        Stand.objects.update(port=self.stand_port)
        self.start_stand()
        self.start(MANAGE, "bench")
        if BrowserCase.web is None or BrowserCase.web.poll() is not None:
            BrowserCase.web_port = free_port()
            self.start_web()
        self.base = f"http://127.0.0.1:{self.web_port}"
        self.problems: list[str] = []
        self.asked: set[str] = set()

    @staticmethod
    def process(*command: str) -> subprocess.Popen[bytes]:
        env = {**os.environ, "TORVIX_DB_NAME": str(connection.settings_dict["NAME"])}
        return subprocess.Popen([sys.executable, *command], env=env, cwd=ROOT)

    def start(self, *command: str) -> subprocess.Popen[bytes]:
        """A process for this test alone."""
        process = self.process(*command)
        self.addCleanup(self.stop, process)
        return process

    def start_web(self) -> None:
        uvicorn = ["-m", "uvicorn", "config.asgi:application", "--port", str(self.web_port), "--lifespan", "off"]
        BrowserCase.web = self.process(*uvicorn, "--timeout-graceful-shutdown", "2", "--log-level", "warning")
        addModuleCleanup(self.stop, BrowserCase.web)
        self.wait_for_web()

    def start_stand(self, *options: str) -> None:
        self.stand = self.start(
            "-m", "standin", "--port", str(self.stand_port), "--warm", "--speed", str(self.speed), *options
        )

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
            self.start(MANAGE, "procrastinate", "worker", "--queues", queue, "--concurrency", "1")

    def wait_for_web(self) -> None:
        deadline = time.monotonic() + 20
        while time.monotonic() < deadline:
            try:
                urllib.request.urlopen(f"http://127.0.0.1:{self.web_port}", timeout=2).close()
                return
            except OSError:
                time.sleep(0.1)
        self.fail("the web server did not start")

    def tell_stand(self, name: str, **arguments: Any) -> None:
        """A command straight to the stand, as somebody at its console would give it."""
        say_to_stand(self.stand_port, name, **arguments)

    def axe(self, page: Page, *screens: str) -> None:
        """No screen breaks a rule of accessibility that can be checked by a program."""
        found: list[str] = []
        for screen in screens:
            page.goto(screen, wait_until="domcontentloaded")
            page.get_by_role("navigation").first.wait_for()
            page.wait_for_timeout(900)
            for violation in Axe().run(page).response["violations"]:
                places = "; ".join(node["html"][:110] for node in violation["nodes"][:3])
                found.append(f"{screen}: {violation['id']}: {places}")
        self.assertEqual(found, [])

    def browser(self) -> Browsing:
        return Browsing(self)


class Browsing:
    """One page, for the length of a with block."""

    def __init__(self, case: BrowserCase) -> None:
        self.case = case

    def __enter__(self) -> Page:
        self.playwright = sync_playwright().start()
        self.playwright.selectors.set_test_id_attribute("data-test")
        self.chromium = self.playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = self.chromium.new_page(viewport={"width": 1280, "height": 800}, base_url=self.case.base)
        page.on("pageerror", lambda error: self.case.problems.append(str(error)))
        page.on("request", lambda request: self.case.asked.add(request.url.split("/")[2]))
        return page

    def __exit__(self, *_: object) -> None:
        # The browser first: an open stream would hold the server up when it is told to stop.
        self.chromium.close()
        self.playwright.stop()


def sign_in(page: Page, username: str = "mats") -> None:
    page.goto("/sign-in", wait_until="domcontentloaded")
    page.get_by_label("Name").fill(username)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", name="Programmes")).to_be_visible()
