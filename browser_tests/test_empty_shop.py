"""From an empty machine to a report in a customer's hands, through the screens alone."""

from __future__ import annotations

import os
import re
import tempfile
import threading
from pathlib import Path
from urllib.parse import urlsplit

from django.db import connection
from playwright.sync_api import Page, expect

from browser_tests.at_the_stand import keep, pull, see_to_everything
from browser_tests.case import ASYNC_UNSAFE, MANAGE, ServedCase, pick, step
from demo.stand_day import say_to_stand
from ops.processes import Family
from ops.stands import Stands
from shop.models import Stand
from shop.setting_up import service as setting_up

MOST_CLICKS = 40
PASSWORD = "a password of my own"
# Counted in the page itself: what a person does, not what a script of the page does. A key that presses a button
# makes a click event too, of no clicks.
COUNT = """addEventListener('click', (event) => {
  if (!event.isTrusted || event.detail === 0) return
  const words = (event.target.closest('button, a, label, .v-input') ?? event.target).textContent.trim()
  localStorage.setItem('clicks', JSON.stringify([...JSON.parse(localStorage.getItem('clicks') ?? '[]'), words]))
}, true)"""
SPEED = 20.0


class EmptyShop(ServedCase):
    def setUp(self) -> None:
        super().setUp()
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        env = {**os.environ, "TORVIX_DB_NAME": str(connection.settings_dict["NAME"]), "TORVIX_SPOOL": str(folder)}
        env.pop(ASYNC_UNSAFE, None)
        self.family = Family(env)
        self.stands = Stands(self.family, folder / "stands.json", folder)
        self.stands.start()
        self.over = threading.Event()
        tending = threading.Thread(target=self.tend)
        tending.start()
        self.addCleanup(self.family.stop)
        self.addCleanup(tending.join)
        self.addCleanup(self.over.set)

    def tend(self) -> None:
        """As ./torvix serve does it."""
        while not self.over.wait(0.1):
            self.stands.tend()

    def clicks(self, page: Page) -> list[str]:
        return list(page.evaluate("JSON.parse(localStorage.getItem('clicks') ?? '[]')"))

    def rail(self, page: Page, name: str) -> None:
        page.get_by_role("navigation", name="The shop").get_by_role("link", name=name, exact=True).click()

    def test_from_nothing_to_a_report_through_the_screens_alone(self):
        self.start(MANAGE, "work_jobs")
        with self.browser() as page:
            page.add_init_script(COUNT)
            self.set_up(page)
            self.add_stand(page)
            self.add_person(page)
            self.describe_engine(page)
            self.add_parts(page)
            self.plan(page)
            self.pull(page)
            clicks = self.clicks(page)
            self.assertLessEqual(len(clicks), MOST_CLICKS, clicks)
            self.hand_on(page)
            self.axe(page, "/", "/stands", "/people", "/shop", "/parts")
            self.archive(page)
        self.assertEqual(self.problems, [])

    def set_up(self, page: Page) -> None:
        page.goto("/", wait_until="domcontentloaded")
        expect(page.get_by_text("This shop has no owner yet.")).to_be_visible()
        page.goto(setting_up.first_link(), wait_until="domcontentloaded")
        expect(page.get_by_label("Time zone").first).not_to_have_value("")
        self.assertEqual(self.violations(page), [])
        for label, text in (("Shop name", "Works"), ("Full name", "Una Berg"), ("Name to sign in with", "una")):
            page.get_by_label(label).fill(text)
        page.get_by_label("Password").fill("short")
        page.get_by_label("Elevation").fill("310 m")
        page.keyboard.press("Enter")
        expect(page.get_by_text("This password is too short")).to_be_visible()
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Create shop").click()
        expect(page.get_by_role("heading", name="Before the first pull")).to_be_visible()

    def add_stand(self, page: Page) -> None:
        page.get_by_role("link", name="Add stand").click()
        page.get_by_role("button", name="Add the simulated stand").click()
        page.get_by_text("2.9 L six").click()
        expect(page.get_by_text("Linked", exact=True)).to_be_visible()
        self.port = Stand.objects.get().port
        say_to_stand(self.port, "pace", speed=SPEED)  # nobody waits half a minute for a sweep here

    def add_person(self, page: Page) -> None:
        self.rail(page, "People")
        page.get_by_role("button", name="Add person").click()
        page.get_by_label("Full name").fill("Olav Ny")
        page.get_by_label("Name to sign in with").fill("olav")
        expect(page.get_by_label("Full name")).to_have_value("Olav Ny")
        page.get_by_label("Name to sign in with").press("Enter")
        link = page.get_by_test_id("way-in").get_by_role("textbox").input_value()
        with self.browser() as other:
            other.goto(urlsplit(link).path, wait_until="domcontentloaded")
            other.get_by_label("Password").fill(PASSWORD)
            other.get_by_role("button", name="Save password").click()
            expect(other.get_by_text("Olav Ny")).to_be_visible()
            expect(other.get_by_text("The owner adds it.")).to_have_count(0)  # there is a stand
        expect(page.get_by_text("added Olav Ny (olav) as operator")).to_be_visible()

    def describe_engine(self, page: Page) -> None:
        self.rail(page, "Engines")
        page.get_by_role("button", name="New engine").click()
        form = page.locator("form")
        for label, text in (("Name", "2.9 six"), ("Cylinders", "6"), ("Bore", "86.6 mm"), ("Stroke", "82.4 mm"),
                            ("Rod length", "140 mm"), ("Redline", "7200")):  # fmt: skip
            form.get_by_label(label, exact=True).fill(text)
        page.get_by_role("button", name="Create engine").click()
        expect(page.get_by_text("2.9 six").first).to_be_visible()

    def add_parts(self, page: Page) -> None:
        for name in ("Long-runner manifold", "Short-runner manifold"):
            self.rail(page, "Parts")
            page.get_by_role("button", name="New part").click()
            page.locator("form").get_by_label("Name").fill(name)
            page.get_by_role("button", name="Add part").click()
            expect(page.get_by_role("heading", name=name)).to_be_visible()

    def plan(self, page: Page) -> None:
        self.rail(page, "Tests")
        page.get_by_role("link", name="Plan test").click()
        page.get_by_role("textbox", name="Question").fill("Which manifold?")
        pick(page, "Engine", "2.9 six, rev 1")
        for label, text in (("Sweep from", "2000"), ("Sweep to", "6900"), ("Compared from", "3000"),
                            ("Compared to", "6000")):  # fmt: skip
            page.get_by_label(label, exact=True).fill(text)
        step(page, "Setups").click()
        for letter, name in (("A", "Long-runner manifold"), ("B", "Short-runner manifold")):
            page.get_by_label(f"Name of setup {letter}").fill(name)
            pick(page, f"Intake manifold of setup {letter}", name)
        step(page, "Day").click()
        expect(page.get_by_test_id("proven")).to_have_text("No order is shorter.")
        page.get_by_role("button", name="Create test").click()
        expect(page.get_by_test_id("matrix")).to_contain_text("Short-runner manifold")

    def stage(self, page: Page, name: str) -> None:
        page.get_by_role("link", name=re.compile(f"^{name}")).first.click()

    def pull(self, page: Page) -> None:
        self.stage(page, "Dyno")
        page.get_by_role("button", name=re.compile("have read this: open a session on Simulated stand")).click()
        expect(page.locator('[data-channel="rpm"]')).not_to_have_text("–")
        see_to_everything(page)
        self.check_and_warm(page)
        self.pull_and_keep(page)

    def check_and_warm(self, page: Page) -> None:
        """A new plan has a check pass first, then one pull that conditions the engine; neither counts."""
        pull(page)
        expect(page.get_by_test_id("check-pass")).to_contain_text("Go: the full sweep may follow.")
        pull(page)

    def pull_and_keep(self, page: Page) -> None:
        pull(page)
        keep(page)

    def hand_on(self, page: Page) -> None:
        """The other setup too, then what can be said of both, read by somebody who has nothing but the link."""
        self.pull_and_keep(page)
        other = page.get_by_role("group", name="Setup to pull next").get_by_role("button").nth(1)
        other.click()
        see_to_everything(page)
        self.check_and_warm(page)
        for _ in range(2):
            other.click()  # whatever the plan says comes next
            self.pull_and_keep(page)
        self.stage(page, "Verdict")
        expect(page.get_by_test_id("sentence")).to_contain_text("3000 to 6000 rpm")
        self.stage(page, "Report")
        page.get_by_role("button", name="Issue report").click()
        page.get_by_label("Recipient of the link").fill("The owner of the six")
        page.get_by_role("button", name="Create link").click()
        link = page.get_by_label("Address of the link").input_value()
        with self.browser() as outside:
            outside.goto(urlsplit(link).path, wait_until="domcontentloaded")
            expect(outside.get_by_text("Which manifold?").first).to_be_visible()
            expect(outside.get_by_text("simulated").first).to_be_visible()

    def archive(self, page: Page) -> None:
        page.goto("/", wait_until="domcontentloaded")
        menu = page.get_by_role("button", name="Archive or delete Which manifold?")
        menu.click()
        page.get_by_text("Delete…").click()
        page.get_by_role("button", name="Delete", exact=True).click()
        expect(page.get_by_text("It has sessions, and they stay.")).to_be_visible()
        page.goto("/parts", wait_until="domcontentloaded")
        page.get_by_role("button", name="Archive or delete Short-runner manifold").click()
        page.get_by_text("Archive", exact=True).last.click()
        expect(page.get_by_role("link", name="Short-runner manifold")).to_have_count(0)
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("link", name="Short-runner manifold")).to_be_visible()
