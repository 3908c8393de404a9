"""A stand that is read from two sources: how late the second is, measured on the screen and put into the map."""

import asyncio
import re
import tempfile
import threading
from pathlib import Path

from playwright.sync_api import expect

from adapters import stand_map
from adapters.tests.over import WAIT_S, Link
from adapters.tests.test_measure_delay import LATE_S, Two, map_of_two
from browser_tests.case import pick, sign_in
from browser_tests.test_stand_map import CELL, AtItsConsole
from standin.stand import State


class TwoSources:
    """A simulated engine that goes up and down, on two lines; the second is late. `map` is a file that reads both."""

    def __init__(self, folder: Path) -> None:
        self.map = folder / "cell.toml"
        self.is_there, self.over = threading.Event(), threading.Event()
        self.thread = threading.Thread(target=lambda: asyncio.run(self._run()))

    async def _run(self) -> None:
        async with Link(two := Two()) as link:
            self.map.write_text(stand_map.write(stand_map.checked(map_of_two(link.said, two))))
            self.is_there.set()
            while not self.over.is_set():
                if link.stand.state is State.IDLE:
                    link.stand.command("arm", {"start_rpm": 2000, "end_rpm": 5000, "rate_rpm_s": 1000})
                    link.stand.command("start", {})
                await asyncio.sleep(0.2)

    def __enter__(self) -> Path:
        self.thread.start()
        assert self.is_there.wait(WAIT_S)
        return self.map

    def __exit__(self, *error: object) -> None:
        self.over.set()
        self.thread.join()


class Delays(AtItsConsole):
    def test_the_delay_of_a_second_source_is_measured_and_used(self):
        self.start_workers("long")
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        with self.browser() as page, TwoSources(folder) as written:
            sign_in(page, "ines")
            page.goto("/stands", wait_until="domcontentloaded")
            page.get_by_role("button", name="Add stand", exact=True).click()
            page.get_by_label("Stand name").fill(CELL)
            pick(page, "How it is linked", re.compile("^An open standard"))
            page.get_by_label("A map as a file").set_input_files(written)
            delays = page.get_by_test_id("delays")
            delays.get_by_role("button", name="Measure delays").click()
            expect(delays.get_by_role("button", name="Stop measuring")).to_be_visible()
            lags = delays.get_by_text("engine computer lags by")
            expect(lags).to_be_visible()
            self.assertEqual(self.violations(page), [])
            late, error = (float(part) for part in lags.inner_text().split(" by ")[1].split(" s.")[0].split(" ± "))
            self.assertAlmostEqual(late, LATE_S, delta=0.1)
            self.assertLess(error, 0.1)
            delays.get_by_role("button", name="Use this delay").click()
            expect(page.get_by_label("Lags behind that of rpm by, s").last).to_have_value(f"{late:.3f}")
        self.assertEqual(self.problems, [])
