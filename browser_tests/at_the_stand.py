"""What somebody does at the stand, step by step, for tests that need it."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

OPEN = """async () => {
  const answer = await fetch(`/api/programmes/${location.pathname.split('/')[2]}/stand`)
  return (await answer.json()).gates.every((gate) => gate.side === 'inside')
}"""
TRIES, HELD_MS = 6, 10_000
HILL_CLIMB, TRUMPETS = "Which manifold for the hill climb?", "Do 60 mm trumpets pay below 5000?"


def open_session(page: Page, programme: int, stand: str = "Stand 1") -> None:
    """Read the cautions and open; the list is still to be seen to."""
    page.goto(f"/programmes/{programme}/stand", wait_until="domcontentloaded")
    page.get_by_role("button", name=re.compile(f"have read this: open a session on {stand}")).click()
    expect(page.locator('[data-channel="rpm"]')).not_to_have_text("–")


def see_to_everything(page: Page) -> None:
    """Tick what is due, line by line."""
    panel = page.get_by_test_id("before-pull")
    boxes = panel.get_by_role("list").first.get_by_role("checkbox")
    expect(boxes.first).to_be_visible()
    while (left := boxes.count()) and panel.is_visible():
        boxes.first.click()
        if left == 1:
            break
        expect(boxes).to_have_count(left - 1)
    # Frames may come before the page has asked whether the stand is linked; until then nothing can be armed.
    expect(page.get_by_role("button", name=re.compile("Setup fitted"))).to_be_enabled()


def ready(page: Page, programme: int) -> None:
    """A session in which the next pull can be armed."""
    open_session(page, programme)
    see_to_everything(page)


def arm(page: Page) -> None:
    page.get_by_role("button", name=re.compile("Setup fitted|Pull again")).click()
    expect(page.get_by_test_id("headline")).to_contain_text("armed")
    # Until the gates are open: a pull has heated the engine.
    expect(page.get_by_role("button", name="Hold to start")).to_be_visible()
    # The page sees it by each frame; the server, which decides, by what the worker wrote down last.
    page.wait_for_function(OPEN, polling=200)


def hold_to_start(page: Page) -> None:
    """As somebody does it: where a temperature at the edge of its window closed a gate again, hold once more."""
    for tries in range(TRIES):
        page.keyboard.down("Space")
        try:
            # On a busy machine a sweep may be over before the page has shown that it runs.
            expect(page.get_by_test_id("headline")).not_to_contain_text("armed", timeout=HELD_MS)
        except AssertionError:
            if tries == TRIES - 1:
                raise
        else:
            return
        finally:
            page.keyboard.up("Space")


def pull(page: Page) -> None:
    """Arm, start, and wait for the end."""
    arm(page)
    hold_to_start(page)
    expect(page.get_by_test_id("headline")).not_to_contain_text("running")


def keep(page: Page) -> None:
    expect(page.get_by_test_id("headline")).to_contain_text("Accept it?")
    page.keyboard.press("k")
    expect(page.get_by_test_id("headline")).to_contain_text("Next:")
