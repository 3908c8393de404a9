"""A stand that speaks an open standard, from nothing to a pull that counts: mapped, read, saved, linked, pulled."""

import os
import re
import socket
import tempfile
import threading
import time
from pathlib import Path
from typing import Any

from django.db import connection
from playwright.sync_api import Page, expect

from browser_tests.at_the_stand import TRUMPETS, arm, hold_to_start, keep, open_session, see_to_everything
from browser_tests.case import SETTLED, BrowserCase, pick, sign_in
from demo.stand_day import say_to_stand
from ops.lanes import lane_port
from ops.processes import Family
from ops.stands import Stands
from programmes.models import Programme
from shop.models import Stand
from stand.models import Pull, PullState

CELL = "Cell 4"
SPEED = "2"  # times real, so that a sweep has some hundred readings


class AtItsConsole(BrowserCase):
    """A simulated stand whose sweeps are started at its console, and what the table of stands asks for."""

    def start_over(self, *over: str) -> None:
        self.console_port = lane_port()
        stand = self.start("-m", "standin", "--port", str(self.console_port), "--warm", "--speed", SPEED, *over)
        while stand.poll() is None:  # its console opens once its server is there
            with socket.socket() as probe:
                if probe.connect_ex(("127.0.0.1", self.console_port)) == 0:
                    return
            time.sleep(0.1)
        self.fail("the stand did not start")

    def follow_stands(self) -> None:
        """As ./torvix does it, for what is saved from now on: an adapter and a bench worker of its own."""
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        Stand.objects.update(on_line=False)
        family = Family({**os.environ, "TORVIX_DB_NAME": str(connection.settings_dict["NAME"])})
        stands, over = Stands(family, folder / "stands.json", folder), threading.Event()
        stands.start()

        def tend() -> None:
            while not over.wait(0.2):
                stands.tend()

        tending = threading.Thread(target=tend)
        tending.start()
        self.addCleanup(family.stop)
        self.addCleanup(tending.join)
        self.addCleanup(over.set)

    def at_the_console(self, name: str, **arguments: object) -> dict[str, Any]:
        return say_to_stand(self.console_port, name, at_console=True, **arguments)

    @staticmethod
    def begin_stand(page: Page, link: str) -> None:
        """The form of a new stand, as its owner begins it."""
        sign_in(page, "ines")
        page.goto("/stands", wait_until="domcontentloaded")
        page.get_by_role("button", name="Add stand", exact=True).click()
        page.get_by_label("Stand name").fill(CELL)
        pick(page, "How it is linked", re.compile(f"^{link}"))

    def begin_sweep(self) -> None:
        # The end of a sweep is seen before the engine is back at idle; until then the stand refuses.
        while not self.at_the_console("arm", start_rpm=2000, end_rpm=6900, rate_rpm_s=350)["ok"]:
            time.sleep(0.1)
        self.at_the_console("start")


class Mapping(AtItsConsole):
    def setUp(self) -> None:
        super().setUp()
        self.server_port = lane_port()
        self.start_over("--over", "opcua", "--over-port", str(self.server_port))

    def sweep(self, page: Page) -> None:
        page.get_by_role("button", name=re.compile("Setup fitted|Pull again")).click()
        expect(page.get_by_test_id("headline")).to_contain_text("armed")
        self.begin_sweep()

    def test_an_opc_ua_stand_is_mapped_from_nothing_and_its_pull_is_accepted(self):
        self.follow_stands()
        trumpets = Programme.objects.get(question=TRUMPETS)
        with self.browser() as page:
            self.begin_stand(page, "An open standard")
            pick(page, "Standard", "OPC UA")
            page.get_by_label("Address").fill(f"opc.tcp://127.0.0.1:{self.server_port}/stand")

            # What the server has is found, and what it reads stands beside each row.
            page.get_by_role("button", name="Read values").click()
            channels = page.get_by_test_id("map-channels")
            channels.get_by_role("button", name=re.compile(r"^Add \d+ found")).click()
            page.get_by_test_id("map-weather").get_by_role("button", name="Add 3 found").click()
            expect(page.get_by_test_id("reads-rpm")).to_contain_text("rpm")
            expect(page.get_by_test_id("reads-oil_temperature")).to_contain_text("per second")
            self.assertEqual(self.violations(page), [])

            # Without its unit torque is no torque: said at the row, and nothing is lost.
            page.get_by_role("button", name="Stop reading").click()
            page.get_by_role("button", name="Save stand").click()
            expect(channels.get_by_text("needs a unit of torque")).to_be_visible()
            units = {"torque": "N·m", "throttle": "%", "oil_temperature": "°C", "coolant_temperature": "°C",
                     "barometer": "kPa", "temperature": "°C", "humidity": "%"}  # fmt: skip
            for name, unit in units.items():
                pick(page, f"Unit of {name}", unit)
            page.get_by_role("button", name="Save stand").click()
            row = page.locator("article").filter(has_text=CELL)
            expect(row.get_by_text("Read by OPC UA")).to_be_visible()
            expect(row.get_by_role("status")).to_contain_text("Linked")

            # A pull, swept at the console of the stand.
            sign_in(page)
            open_session(page, trumpets.pk, CELL)
            see_to_everything(page)
            self.sweep(page)
            expect(page.get_by_test_id("headline")).to_contain_text("Next:")  # the first one warms up
            self.sweep(page)
            keep(page)
        pull = Pull.objects.filter(session__stand__name=CELL).latest("number")
        self.assertEqual((pull.state, pull.samples_lost), (PullState.COMPLETE, 0))
        self.assertEqual(pull.reduced.refused, "")
        self.assertGreater(len(pull.reduced.speed_rpm), 30)
        # What had no unit is stored, and not computed with.
        self.assertIn("fuel_flow", set(pull.channels.values_list("name", flat=True)))
        self.assertNotIn("fuel_flow", set(pull.reduced.channel_means.values_list("channel", flat=True)))
        self.assertEqual(self.problems, [])


class Commands(AtItsConsole):
    def setUp(self) -> None:
        super().setUp()
        self.map = Path(self.enterContext(tempfile.TemporaryDirectory())) / "cell.toml"
        over = ("--over", "modbus", "--over-port", str(lane_port()), "--takes-commands", "--map", str(self.map))
        self.start_over(*over, "--watchdog", "3")
        self.start_workers("long")

    def test_a_stand_whose_commands_are_mapped_is_tried_and_then_started_and_stopped_from_the_screen(self):
        self.follow_stands()
        trumpets = Programme.objects.get(question=TRUMPETS)
        with self.browser() as page:
            self.begin_stand(page, "An open standard")
            page.get_by_label("A map as a file").set_input_files(self.map)
            commands, run = page.get_by_test_id("map-commands"), page.get_by_test_id("conformance")
            expect(commands.get_by_label("Register of Start", exact=True)).to_have_value("94")
            page.get_by_role("button", name="Read values").click()
            expect(commands.get_by_test_id("reads-state")).to_have_text("It reads 0: idle.")
            page.get_by_role("button", name="Stop reading").click()
            self.assertEqual(self.violations(page), [])

            # Nothing moves before somebody stands at the stop; a map that was not tried takes no commands.
            expect(run.get_by_role("button", name="Run conformance")).to_be_disabled()
            run.get_by_label(re.compile("^Somebody stands at the wired stop")).check()
            run.get_by_role("button", name="Run conformance").click()
            expect(run.get_by_role("button", name="Stop run")).to_be_visible()
            expect(run.get_by_text(re.compile("^Passed: once the stand is saved"))).to_be_visible()
            page.evaluate(SETTLED)
            self.assertEqual(self.violations(page), [])
            commands.get_by_label("Value of Start", exact=True).fill("2")
            expect(run.get_by_text(re.compile("^Passed: once"))).to_be_hidden()
            commands.get_by_label("Value of Start", exact=True).fill("")
            page.get_by_role("button", name="Save stand").click()
            row = page.locator("article").filter(has_text=CELL)
            expect(row.get_by_text("takes commands: this map passed")).to_be_visible()
            expect(row.get_by_role("status")).to_contain_text("Linked")

            # As on any stand: held to start, swept, and aborted with Esc.
            sign_in(page)
            open_session(page, trumpets.pk, CELL)
            see_to_everything(page)
            arm(page)
            hold_to_start(page)
            expect(page.get_by_test_id("headline")).to_contain_text("running")
            page.keyboard.press("Escape")
            expect(page.get_by_test_id("headline")).not_to_contain_text("running")
        pulls, given_up = Pull.objects.filter(session__stand__name=CELL), time.monotonic() + 60
        while (state := pulls.latest("number").state) == PullState.RUNNING:  # until the engine has rolled off
            self.assertLess(time.monotonic(), given_up, "the pull did not end")
            time.sleep(0.1)
        self.assertEqual(state, PullState.ABORTED)
        self.assertEqual(self.at_the_console("arm", start_rpm=2000, end_rpm=6900, rate_rpm_s=350)["ok"], True, "idle")
        self.assertEqual(self.problems, [])


class Recorder(AtItsConsole):
    def setUp(self) -> None:
        super().setUp()
        self.folder = self.enterContext(tempfile.TemporaryDirectory())
        self.start_over("--over", "files", "--folder", self.folder)
        self.start_workers("long")

    def test_a_recorder_that_only_writes_files_fills_the_open_session(self):
        self.follow_stands()
        trumpets = Programme.objects.get(question=TRUMPETS)
        with self.browser() as page:
            self.begin_stand(page, "No line")
            page.get_by_role("button", name="Save stand").click()
            expect(page.get_by_text("write the whole path")).to_be_visible()
            folder = page.get_by_label("Folder of the recorder")
            folder.fill("/nowhere/recorder")
            page.get_by_role("button", name="Save stand").click()
            expect(page.get_by_text("there is no folder /nowhere/recorder")).to_be_visible()
            page.evaluate(SETTLED)  # a message that fades in has too little contrast for a moment
            self.assertEqual(self.violations(page), [])
            folder.fill(self.folder)
            page.get_by_role("button", name="Save stand").click()
            row = page.locator("article").filter(has_text=CELL)
            expect(row.get_by_role("status")).to_contain_text("becomes a pull")

            # Nobody has mapped files of this make: the first waits, and says where that is done.
            page.goto(f"/programmes/{trumpets.pk}/stand", wait_until="domcontentloaded")
            page.get_by_role("button", name=re.compile(f"have read this: open a session on {CELL}")).click()
            expect(page.get_by_text(f"{CELL} has no line")).to_be_visible()
            before = Pull.objects.filter(session__programme=trumpets).count()
            self.begin_sweep()
            expect(page.get_by_text("its columns were never mapped").first).to_be_visible()
            page.goto(f"/programmes/{trumpets.pk}/pulls/files", wait_until="domcontentloaded")
            pick(page, "Setup of run 001.csv", "A Middle runner")
            page.get_by_role("button", name=re.compile("^Read 1 file")).click()
            expect(page.get_by_test_id("outcome")).to_contain_text("1 read, 0 known already, 0 refused")

            # From now on a finished file is a pull by itself, and whoever looks at the pulls sees it come.
            page.goto(f"/programmes/{trumpets.pk}/pulls", wait_until="domcontentloaded")
            expect(page.get_by_label(f"Look into pull {before + 1}")).to_be_visible()
            self.begin_sweep()
            page.get_by_label(f"Look into pull {before + 2}").click()
            expect(page.get_by_test_id("inspected")).to_contain_text("A Middle runner")
            expect(page.get_by_text("run 002.csv")).to_be_visible()
        for pull in Pull.objects.filter(session__stand__name=CELL):
            self.assertEqual((pull.state, pull.origin, pull.reduced.refused), (PullState.COMPLETE, "file", ""))
            self.assertGreater(len(pull.reduced.speed_rpm), 30)
        self.assertEqual(self.problems, [])
