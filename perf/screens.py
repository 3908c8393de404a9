"""Verdict and curves of 12 setups and 60 pulls on the screen: a changed choice, and the cursor over every pull."""

from __future__ import annotations

import time

import numpy as np
from playwright.sync_api import Locator, Page, expect
from torvix_core.judging.duty import PRESETS
from torvix_core.judging.representative_pull import School

from browser_tests.case import BrowserCase, field_of, sign_in
from perf import big_shop, verdict
from perf.report import size, tell
from shop.models import Person

# From a changed choice to the ranking that is another for it. The choice is changed in the address, as Back does: no
# pointer and no focus was on its list before, so nothing was judged ahead.
CHANGE = """([choice, value]) => new Promise((done) => {
  const address = new URL(location.href)
  address.searchParams.set(choice, value)
  const began = performance.now()
  new MutationObserver((_, observer) => {
    observer.disconnect()
    requestAnimationFrame(() => done(performance.now() - began))
  }).observe(document.querySelector('[data-test="ranking"]'), { subtree: true, childList: true, characterData: true })
  history.pushState(history.state, '', address)
  dispatchEvent(new PopStateEvent('popstate', { state: history.state }))
})"""

# As a hand does it: the list is open, and judged ahead while the hand goes to a line of it.
CHOSEN = """(name) => new Promise((done) => {
  const lines = document.querySelectorAll('.v-overlay--active [role="option"], .v-overlay--active .v-list-item')
  const option = [...lines].find((one) => one.textContent.trim().startsWith(name))
  const began = performance.now()
  new MutationObserver((_, observer) => {
    observer.disconnect()
    requestAnimationFrame(() => done(performance.now() - began))
  }).observe(document.querySelector('[data-test="ranking"]'), { subtree: true, childList: true, characterData: true })
  setTimeout(() => done(null), 30_000) // a choice that changes no figure is no measurement
  option.click()
})"""
TO_THE_LINE_MS = 700

FRAMES = """() => {
  window.frames_seen = []
  const frame = (at) => { window.frames_seen.push(at); requestAnimationFrame(frame) }
  requestAnimationFrame(frame)
}"""


# From a key in a cell of the matrix to the figures that follow from it.
KEYED = """([label, text]) => new Promise((done) => {
  const field = document.querySelector(`input[aria-label="${label}"]`)
  const began = performance.now()
  new MutationObserver((_, observer) => {
    observer.disconnect()
    requestAnimationFrame(() => done(performance.now() - began))
  }).observe(document.querySelector('.matrix tbody'), { subtree: true, childList: true, characterData: true })
  setTimeout(() => done(null), 30_000)
  Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(field, text)
  field.dispatchEvent(new InputEvent('input', { bubbles: true }))
})"""


# Scrolled by a hand that does not stop: the log scrolls in its own frame.
SCROLLED = """(frames) => new Promise((done) => {
  const inner = [...document.querySelectorAll('*')].filter((one) => one.scrollHeight > one.clientHeight + 400)
  const log = inner.filter((one) => getComputedStyle(one).overflowY === 'auto').at(-1) ?? document.scrollingElement
  const seen = []
  const frame = (at) => {
    seen.push(at)
    log.scrollTop += 40
    if (seen.length < frames) requestAnimationFrame(frame)
    else done([seen, log.scrollTop])
  }
  requestAnimationFrame(frame)
})"""
PAINTED = "performance.getEntriesByName('first-contentful-paint')[0].startTime"


class LongTest(BrowserCase):
    """A test of hundreds of pulls: how soon its screens are there, and how they scroll. Prints, asserts nothing."""

    def runTest(self) -> None:  # noqa: N802  # the name that unittest runs by default
        programme = big_shop.long_test(Person.objects.get(username="ines"))
        with self.browser() as page:
            sign_in(page)
            for screen, shown in (("pulls", "table tbody tr"), ("curves", "[data-test='sentences']")):
                page.goto(f"/programmes/{programme.pk}", wait_until="domcontentloaded")  # the scripts are there
                began = time.perf_counter()
                page.goto(f"/programmes/{programme.pk}/{screen}", wait_until="domcontentloaded")
                expect(page.locator(shown).first).to_be_visible()
                there = time.perf_counter() - began
                page.wait_for_timeout(1500)
                tell(
                    f"{screen} of a test of {big_shop.LONG} pulls on the screen",
                    f"first paint {page.evaluate(PAINTED) / 1000:.2f} s, its figures {there:.2f} s",
                    "first paint under 1 s",
                )
            page.goto(f"/programmes/{programme.pk}/pulls", wait_until="domcontentloaded")
            expect(page.locator("table tbody tr").first).to_be_visible()
            page.wait_for_timeout(1500)
            seen, scrolled = page.evaluate(SCROLLED, size(240, 5))
            gaps = np.diff(seen)
        tell(
            f"log of {big_shop.LONG} pulls, scrolled {scrolled:.0f} px",
            f"{1000 / gaps.mean():.0f} frames a second, longest gap {gaps.max():.0f} ms",
            "60 frames a second",
        )


class Matrix(BrowserCase):
    """Prints, asserts nothing."""

    def runTest(self) -> None:  # noqa: N802  # the name that unittest runs by default
        programme = verdict.planned(Person.objects.get(username="mats"))
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{programme.pk}/plan/change?tab=setups", wait_until="domcontentloaded")
            expect(page.get_by_test_id("figure-row").first).to_be_visible()
            taken = []
            for step in range(size(20, 2)):
                page.wait_for_timeout(500)
                took = page.evaluate(KEYED, ["Boost target of setup L", f"0.{step + 10} bar"])
                taken += [] if took is None else [took]
        tell(
            "a key in the matrix of 12 setups to their figures on paper",
            f"median {np.median(taken):.0f} ms, longest {max(taken):.0f} ms",
            "under 150 ms",
        )


class Judging(BrowserCase):
    """Prints, asserts nothing."""

    def runTest(self) -> None:  # noqa: N802  # the name that unittest runs by default
        programme = verdict.day(Person.objects.get(username="mats"))
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{programme.pk}/verdict", wait_until="domcontentloaded")
            expect(page.get_by_test_id("ranking")).to_be_visible()
            shown = page.get_by_role("combobox", name="Duty", exact=True).input_value()
            chosen: list[tuple[str, str]] = [("duty", one) for one, preset in PRESETS.items() if preset.label != shown]
            chosen += [("school", one) for one in (*list(School)[1:], School.MEAN)]
            taken = []
            for change in chosen[: size(len(chosen), 1)]:
                page.wait_for_timeout(500)
                taken.append(page.evaluate(CHANGE, change))
            tell(
                "another duty or school to its verdict on the screen, nothing judged ahead",
                f"median {np.median(taken):.0f} ms, longest {max(taken):.0f} ms",
                "under 200 ms",
            )
            self.by_hand(page, "duty", field_of(page, "Duty"))
            self.by_hand(page, "standard", page.get_by_test_id("standard"))
            page.goto(f"/programmes/{programme.pk}/curves", wait_until="domcontentloaded")
            page.get_by_role("button", name="Pulls", exact=True).click()
            page.wait_for_timeout(1500)
            page.mouse.move(300, 400)
            page.evaluate(FRAMES)
            for step in range(size(240, 20)):
                page.mouse.move(300 + 2 * step, 400)
            gaps = np.diff(page.evaluate("window.frames_seen"))
        tell(
            "cursor over the curves of 60 pulls",
            f"{1000 / gaps.mean():.0f} frames a second, longest gap {gaps.max():.0f} ms",
            "60 frames a second",
        )

    @staticmethod
    def open_list(page: Page, opener: Locator) -> Locator:
        """The lines of it."""
        lines = page.locator(".v-overlay--active .v-list-item")
        expect(page.locator(".v-overlay--active")).to_have_count(0)  # a press would close one that is still open
        opener.click()
        expect(lines.first).to_be_visible()
        return lines

    def by_hand(self, page: Page, what: str, opener: Locator) -> None:
        """A list opened, a line hovered over and chosen; every line in turn but the one that is chosen."""
        lines = self.open_list(page, opener)
        # What is put in force for the test is no choice of what is looked at.
        labels = [line.split("\n")[0] for line in lines.all_inner_texts() if not line.startswith("Put ")]
        page.keyboard.press("Escape")
        page.wait_for_timeout(500)  # a click in the very moment in which a list closes does not open it
        taken = []
        for label in labels[: size(len(labels), 2)]:
            if opener.inner_text().replace("differs from the test", "").strip().endswith(label):
                continue
            self.open_list(page, opener).filter(has_text=label).first.hover()
            page.wait_for_timeout(TO_THE_LINE_MS)
            took = page.evaluate(CHOSEN, label)
            taken += [] if took is None else [took]
            page.wait_for_timeout(500)
        if not taken:
            raise AssertionError(f"no {what} of the list changes a figure")
        tell(
            f"another {what} chosen from its list to its verdict on the screen",
            f"median {np.median(taken):.0f} ms, longest {max(taken):.0f} ms",
            "under 200 ms",
        )
