"""A test case with everything running, as ./torvix demo runs it, on the test database."""

from __future__ import annotations

import json
import os
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path
from typing import Any

from django.apps import apps
from django.core.management.color import no_style
from django.db import connection
from django.test import TransactionTestCase
from playwright.sync_api import Page, expect, sync_playwright

from demo.loader import load, scenario
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
expect.set_options(timeout=10_000)


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

    def setUp(self) -> None:
        load_demonstration()
        self.stand_port, self.web_port = free_port(), free_port()
        Stand.objects.update(port=self.stand_port)
        self.base = f"http://127.0.0.1:{self.web_port}"
        self.start_stand()
        uvicorn = ["-m", "uvicorn", "config.asgi:application", "--port", str(self.web_port), "--lifespan", "off"]
        self.start(*uvicorn, "--timeout-graceful-shutdown", "2", "--log-level", "warning")
        self.start(MANAGE, "bench")
        self.wait_for_web()
        self.problems: list[str] = []
        self.asked: set[str] = set()

    def start(self, *command: str) -> subprocess.Popen[bytes]:
        env = {**os.environ, "TORVIX_DB_NAME": str(connection.settings_dict["NAME"])}
        process = subprocess.Popen([sys.executable, *command], env=env, cwd=ROOT)
        self.addCleanup(self.stop, process)
        return process

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

    def wait_for_web(self) -> None:
        deadline = time.monotonic() + 20
        while time.monotonic() < deadline:
            try:
                urllib.request.urlopen(self.base, timeout=2).close()
                return
            except OSError:
                time.sleep(0.1)
        self.fail("the web server did not start")

    def tell_stand(self, name: str, **arguments: Any) -> None:
        """A command straight to the stand, as somebody at its console would give it."""
        with socket.create_connection(("127.0.0.1", self.stand_port), timeout=5) as line:
            line.sendall(
                json.dumps({"type": "command", "id": 1, "name": name, "arguments": arguments}).encode() + b"\n"
            )
            # Until the reply: a client that leaves earlier may not have been heard.
            for heard in line.makefile("rb"):
                if json.loads(heard)["type"] == "reply":
                    return

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
