"""What goes wrong or comes from elsewhere: no line, a broken server, another tab, a page left, a keyboard, a finger."""

from __future__ import annotations

import re

from playwright.sync_api import Page, Route, ViewportSize, expect

from browser_tests.at_the_stand import HILL_CLIMB, OPEN, TRUMPETS, arm, hold_to_start, open_session, see_to_everything
from browser_tests.case import SETTLED, BrowserCase, StandCase, chromium, field_of, sign_in
from programmes.models import Programme
from stand.models import Pull, PullState
from verdicts.models import Decision

PHONE = ViewportSize(width=390, height=844)
TABLET = ViewportSize(width=820, height=1180)
GLOVE = 48  # px: what a finger in a glove hits
# Of the shop, what asks the server at once.
ASKING = ("/", "/engines", "/parts", "/stacks", "/checklist", "/instruments", "/tune-sizes", "/background-work")
SHOP_SCREENS = (*ASKING, "/air")
STAGES = ("engine", "plan", "stand", "pulls", "pulls/files", "pulls/figures", "curves", "verdict", "sheet", "air")
TABS = {
    "engine": ("setups", "installed", "revisions"), "plan": ("day", "expected", "odds", "versions"),
    "curves": ("table", "slots"), "verdict": ("robust", "speeds", "expected", "claims", "decided"),
}  # fmt: skip
# Every button that can be pressed and is seen: its words and its smaller side.
TARGETS = """() => [...document.querySelectorAll('main button, main .v-btn')]
  .filter((one) => one.checkVisibility() && !one.closest('.v-overlay'))
  .map((one) => [one.textContent.trim(), one.getBoundingClientRect()])
  .map(([words, box]) => [words, Math.min(box.width, box.height), box.width * box.height])"""
# A screen, and what is pressed there one after the other to open something over it.
OPENED = (
    ("pulls", "^Exclude pull 2$"), ("air", "^Void the reading of"), ("/", "^Archive or delete"),
    ("/", "^Archive or delete", "^Delete"), ("/parts", "^Archive or delete"), ("/engines", "^New engine"),
    ("/parts", "^New part"), ("/", "^Units and sign-out"), ("/", "^Units and sign-out", "^Change password"),
    ("curves", "^Standard"), ("/people", "^Add"), ("/stands", "^Add"), ("/checklist", "^Edit Wired"),
    ("/instruments", "^Check torque"),
)  # fmt: skip
WIDER = "() => document.documentElement.scrollWidth - innerWidth"


class Edges(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.hill_climb = Programme.objects.get(question=HILL_CLIMB).pk

    def at(self, stage: str) -> str:
        return f"/programmes/{self.hill_climb}/{stage}"

    def test_a_lost_line_is_said_and_what_was_typed_stays(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(self.at("verdict?tab=decided"), wait_until="domcontentloaded")
            reason = page.get_by_label("Why", exact=True)
            reason.fill("It pulls from 3000")
            page.context.set_offline(True)
            expect(page.get_by_text("Offline: what is shown may be old")).to_be_visible()
            page.context.set_offline(False)
            expect(page.get_by_text("Offline: what is shown may be old")).to_have_count(0)
            page.get_by_role("link", name=re.compile("^Curves")).click()
            page.get_by_role("link", name=re.compile("^Verdict")).click()
            page.get_by_role("tab", name="Decisions").click()
            expect(reason).to_have_value("It pulls from 3000")
            page.reload(wait_until="domcontentloaded")
            expect(reason).to_have_value("It pulls from 3000")

    def test_a_broken_server_is_said_on_every_page(self):
        """The person is known, everything else breaks: no page stays empty, and none says it is loading."""

        def break_it(route: Route) -> None:
            if re.search(r"/api/(me|door)$", route.request.url):
                return route.continue_()
            return route.fulfill(status=500, content_type="application/json", body='{"message": "The server broke."}')

        with self.browser() as page:
            sign_in(page)
            page.route("**/api/**", break_it)
            for screen in (*ASKING, *(self.at(stage) for stage in STAGES)):
                with self.subTest(screen):
                    page.goto(screen, wait_until="domcontentloaded")
                    expect(page.locator(".v-alert").first).to_be_visible()
            page.unroute("**/api/**")
            page.get_by_role("button", name="Try again").first.click()
            expect(page.locator(".v-alert")).to_have_count(0)

    def test_a_window_of_an_older_version_offers_to_reload(self):
        """Its scripts are not on the server any more."""
        with self.browser() as page:
            sign_in(page)
            page.goto(self.at("verdict"), wait_until="domcontentloaded")
            expect(page.get_by_test_id("sentence")).to_be_visible()
            page.route("**/assets/PullsPage-*", lambda route: route.fulfill(status=404))
            page.get_by_role("link", name=re.compile("^Pulls")).first.click()
            expect(page.get_by_text("A new version of Torvix is installed")).to_be_visible()
            page.unroute("**/assets/PullsPage-*")
            page.get_by_role("button", name="Reload").click()
            expect(page.get_by_text("A new version of Torvix is installed")).to_have_count(0)

    def test_a_search_from_the_second_page_shows_what_it_finds(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/parts?page=2", wait_until="domcontentloaded")
            expect(page.get_by_role("link", name="Cam 216")).to_have_count(0)
            page.get_by_label("Search parts").fill("cam 216")
            expect(page.get_by_role("link", name="Cam 216")).to_be_visible()
            self.assertNotIn("page=", page.url)
            page.get_by_role("columnheader", name="Slot").click()
            page.wait_for_url(re.compile("sort=slot-asc"))
            page.go_back()
            page.wait_for_url(lambda address: "sort=" not in address)

    def test_a_mark_of_the_ribbon_leads_to_its_pull_also_where_that_was_not_drawn(self):
        sprint = Programme.objects.get(question="Which camshaft at which boost for the sprint?")
        last = Pull.objects.filter(session__programme=sprint).latest("pk").number
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{sprint.pk}/pulls", wait_until="domcontentloaded")
            expect(page.locator("#pull-1")).to_be_in_viewport()
            page.get_by_role("link", name=re.compile(rf"^Pull {last}\b")).first.click()
            expect(page.locator(f"#pull-{last}")).to_be_in_viewport()

    def test_from_both_to_observed_in_one_step(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(self.at("curves"), wait_until="domcontentloaded")
            page.get_by_role("button", name="Both").click()
            page.wait_for_url(re.compile("both=1"))
            page.get_by_role("button", name="Observed").click()
            page.wait_for_url(re.compile("standard=observed"))
            self.assertNotIn("both=", page.url)
            expect(page.get_by_role("button", name="Observed", exact=True)).to_have_attribute("aria-pressed", "true")

    def test_back_goes_back_a_tab_and_a_link_leads_to_one(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(self.at("verdict"), wait_until="domcontentloaded")
            for name in ("Sensitivity", "Decisions"):
                page.get_by_role("tab", name=name).click()
                expect(page.get_by_role("tab", name=name)).to_have_attribute("aria-selected", "true")
            self.assertIn("tab=decided", page.url)
            page.go_back()
            expect(page.get_by_role("tab", name="Sensitivity")).to_have_attribute("aria-selected", "true")
            page.go_back()
            expect(page.get_by_role("tab", name="Confidence and limits")).to_have_attribute("aria-selected", "true")
            # What belongs to one stage does not go along to the next.
            page.get_by_role("tab", name="Decisions").click()
            page.get_by_role("link", name=re.compile("^Plan")).click()
            expect(page.get_by_role("tab", name="Setups")).to_have_attribute("aria-selected", "true")
            self.assertNotIn("tab=", page.url)
            # What is judged goes along: the report is of the duty that the verdict was looked at for.
            page.goto(self.at("verdict?duty=strip&tab=decided"), wait_until="domcontentloaded")
            page.get_by_role("link", name=re.compile("^Report")).click()
            page.wait_for_url(re.compile("/sheet"))
            self.assertIn("duty=strip", page.url)
            self.assertNotIn("tab=", page.url)

    def test_a_verdict_and_a_decision_by_the_keyboard_alone(self):
        with self.browser() as page:
            sign_in(page)
            page.goto(self.at("curves"), wait_until="domcontentloaded")
            expect(page.get_by_test_id("sentences")).to_be_visible()
            page.keyboard.press("6")
            expect(page.get_by_test_id("sentence")).to_contain_text("hill climb")
            page.get_by_role("tab", name="Confidence and limits").focus()
            page.keyboard.press("End")
            page.keyboard.press("Enter")
            expect(page.get_by_role("tab", name="Decisions")).to_have_attribute("aria-selected", "true")
            expect(page.get_by_label("Why")).to_be_visible()
            for _ in range(12):
                page.keyboard.press("Tab")
                if page.evaluate("document.activeElement.getAttribute('aria-label')") == "Why":
                    break
            page.keyboard.type("B for the hill")
            page.keyboard.press("Enter")
            expect(page.get_by_text("B for the hill")).to_be_visible()
        self.assertEqual(Decision.objects.latest("pk").reason, "B for the hill")

    def test_every_tab_and_the_help_are_accessible(self):
        with self.browser() as page:
            sign_in(page)
            self.axe(page, *(self.at(f"{stage}?tab={tab}") for stage, tabs in TABS.items() for tab in tabs))
            page.keyboard.press("?")
            expect(page.get_by_role("dialog")).to_be_visible()
            self.assertEqual(self.violations(page), [])

    def test_every_dialog_and_menu_is_accessible(self):
        with self.browser() as page:
            sign_in(page, "ines")
            for screen, *path in OPENED:
                with self.subTest(path[-1]):
                    page.goto(screen if screen.startswith("/") else self.at(screen), wait_until="domcontentloaded")
                    page.get_by_role("button", name=re.compile(path[0])).first.click()
                    for name in path[1:]:
                        page.locator(".v-overlay--active").get_by_text(re.compile(name)).click()
                    page.locator(".v-overlay--active, form").last.wait_for()
                    page.evaluate(SETTLED)
                    self.assertEqual(self.violations(page), [])

    def test_a_list_that_is_open_is_accessible(self):
        with self.browser() as page:
            sign_in(page)
            page.goto("/stacks", wait_until="domcontentloaded")
            field = field_of(page, "Intake manifold of the first stack")
            expect(field).to_be_visible()
            held: list[Route] = []
            page.route("**/part-names*", lambda route: held.append(route))
            field.click()
            page.keyboard.type("manifold")
            expect(page.get_by_role("progressbar", name="Loading").first).to_be_visible()
            self.assertEqual(self.violations(page), [])
            for route in held:
                route.continue_()
            page.unroute("**/part-names*")
            page.get_by_role("option").first.wait_for()
            self.assertEqual(self.violations(page), [])

    def test_nothing_is_wider_than_a_phone(self):
        context = chromium()[0].new_context(viewport=PHONE, base_url=self.base, has_touch=True)
        self.addCleanup(context.close)
        page = context.new_page()
        sign_in(page)
        for screen in (*SHOP_SCREENS, *(self.at(stage) for stage in STAGES)):
            with self.subTest(screen):
                page.goto(screen, wait_until="domcontentloaded")
                page.locator("main").wait_for()
                page.wait_for_load_state("networkidle")
                self.assertLessEqual(page.evaluate(WIDER), 0)


class Touched(StandCase):
    """The stand by finger, on a phone and a tablet, and watched by somebody who may not touch it."""

    def setUp(self) -> None:
        super().setUp()
        self.trumpets = Programme.objects.get(question=TRUMPETS).pk

    def small(self, page: Page) -> list[str]:
        return [f"{words}: {side:.0f} px" for words, side, _ in page.evaluate(TARGETS) if side < GLOVE - 0.5]

    def test_a_pull_is_armed_started_and_aborted_by_finger_and_abort_is_the_largest(self):
        for size in (PHONE, TABLET):
            with self.subTest(size):
                context = chromium()[0].new_context(viewport=size, base_url=self.base, has_touch=True)
                page = context.new_page()
                sign_in(page)
                page.goto(f"/programmes/{self.trumpets}/stand", wait_until="domcontentloaded")
                if size == PHONE:
                    page.get_by_role("button", name=re.compile("have read this: open a session on Stand 1")).tap()
                    expect(page.locator('[data-channel="rpm"]')).not_to_have_text("–")
                    see_to_everything(page)
                self.assertEqual(self.small(page), [])
                page.get_by_role("button", name=re.compile("Setup fitted|Pull again")).tap()
                expect(page.get_by_role("button", name="Hold to start")).to_be_visible()
                page.wait_for_function(OPEN, polling=200)
                self.assertLessEqual(page.evaluate(WIDER), 0)
                self.assertEqual(self.small(page), [])
                self.assertEqual(self.violations(page), [], "armed")
                largest = max(page.evaluate(TARGETS), key=lambda target: target[2])
                self.assertIn("Abort", largest[0])
                if size == PHONE:
                    page.get_by_role("button", name="Abort").tap()
                else:
                    self.hold(page)
                    self.assertEqual(self.violations(page), [], "running")
                    expect(page.get_by_test_id("headline")).not_to_contain_text("running")
                expect(page.get_by_test_id("headline")).not_to_contain_text("armed")
                context.close()
        states = list(Pull.objects.order_by("pk").values_list("state", flat=True))
        self.assertEqual(states[-2:], [PullState.ABORTED, PullState.COMPLETE])

    def hold(self, page: Page) -> None:
        """A finger on the button until the sweep has begun."""
        box = page.get_by_role("button", name="Hold to start").bounding_box()
        assert box is not None
        finger = page.context.new_cdp_session(page)
        point = {"x": box["x"] + box["width"] / 2, "y": box["y"] + box["height"] / 2}
        finger.send("Input.dispatchTouchEvent", {"type": "touchStart", "touchPoints": [point]})
        expect(page.get_by_test_id("headline")).not_to_contain_text("armed")
        finger.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})

    def test_a_viewer_sees_the_same_and_has_no_controls(self):
        with self.browser() as page, self.browser() as other:
            sign_in(page)
            sign_in(other, "juna")
            open_session(page, self.trumpets)
            see_to_everything(page)
            other.goto(f"/programmes/{self.trumpets}/stand", wait_until="domcontentloaded")
            expect(other.get_by_test_id("headline")).to_contain_text("Next:")
            expect(other.locator('[data-channel="rpm"]')).not_to_have_text("–")
            for name in ("Setup fitted", "Hold to start", "Abort", "Close session", "Add note"):
                expect(other.get_by_role("button", name=re.compile(name))).to_have_count(0)
            expect(other.get_by_test_id("watching")).to_be_visible()
            expect(other.get_by_text("Hold Space")).to_have_count(0)
            arm(page)
            expect(other.get_by_test_id("headline")).to_contain_text("armed")
            expect(other.get_by_role("button", name="Abort")).to_have_count(0)
            hold_to_start(page)
            expect(other.get_by_test_id("headline")).not_to_contain_text("armed")
            other.keyboard.press("Escape")  # a watcher's key does nothing to the stand
            expect(page.get_by_test_id("headline")).not_to_contain_text("running")
            self.axe(other, f"/programmes/{self.trumpets}/stand")
        self.assertEqual(Pull.objects.latest("pk").state, PullState.COMPLETE)
