"""A jetting afternoon in the browser: advice, jets changed, the prediction held against what came, a spark step."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from browser_tests.at_the_stand import TRUMPETS, keep, pull, ready, see_to_everything
from browser_tests.case import StandCase, pick, sign_in
from programmes.models import Programme
from stand.models import Pull

START = {
    "setting:main_jet_primary": "82", "setting:main_jet_secondary": "92", "setting:spark_advance": "30 °",
    "setting:mixture_target": "0.865 lambda",
}  # fmt: skip


class Jetting(StandCase):
    def setUp(self) -> None:
        super().setUp()
        self.programme = Programme.objects.get(question=TRUMPETS)
        for setup in self.programme.setups.all():
            for key, text in START.items():
                setup.settings.create(key=key, text=text, value=float(text.split()[0]))

    def test_from_rich_to_the_band_and_a_step_of_spark(self) -> None:
        with self.browser() as page:
            sign_in(page)
            ready(page, self.programme.pk)
            # A check pass first: go or no go, no peak; what was not measured is named.
            page.get_by_test_id("pull-options").get_by_role("button").click()
            pick(page, "This pull is a", "Check pass")
            pull(page)
            check = page.get_by_test_id("check-pass")
            expect(check).to_contain_text("Go: the full sweep may follow.")
            expect(check).to_contain_text("Mixture lambda 0.")
            pull(page)
            advice = page.get_by_test_id("mixture")
            expect(advice).to_contain_text("First pull after a change: pull once more before going leaner.")
            pull(page)
            expect(page.get_by_test_id("jets")).to_contain_text(re.compile(r"Try main jet \d+ primary \(-\d\)"))
            page.get_by_role("button", name="These jets are fitted").click()
            expect(page.get_by_text("Fitted from the next pull on")).to_be_visible()
            keep(page)
            # The jets were out: spilled fuel is wiped up before anything is armed.
            expect(page.get_by_test_id("before-pull")).to_contain_text("Spilled fuel wiped up, vapor gone")
            see_to_everything(page)
            pull(page)
            page.get_by_role("button", name="What the advice rests on").click()
            expect(advice).to_contain_text(re.compile(r"1 jet change of this carburetor"))
            expect(page.get_by_text("Fitted from the next pull on")).to_have_count(0)  # that was of the pull before
            expect(advice).to_contain_text(re.compile(r"lambda 0\.\d+ predicted, .* came, (inside|outside)\."))
            # Free text where a size belongs is refused at the field.
            self.adjust(page, "Main jet, primary", "PV 6.5")
            expect(page.get_by_text("Type the number that is stamped on it")).to_be_visible()
            self.retime(page, "34", "34 °")
            expect(page.get_by_test_id("spark")).to_contain_text("30° to 34°")
            expect(page.get_by_test_id("spark")).to_contain_text("Pull a third setting to find the best one.")
            self.assertEqual(self.violations(page), [])
            # Too far: the ladder says so, and the timing goes back.
            self.retime(page, "46", "46 °")
            expect(page.get_by_test_id("spark")).to_contain_text("Worse beyond scatter: go back to 34°.")
            self.retime(page, "34", "34 °")
            keep(page)
            last = Pull.objects.filter(session__programme=self.programme).latest("pk")
            page.goto(f"/programmes/{self.programme.pk}/pulls", wait_until="domcontentloaded")
            row = page.locator(f"#pull-{last.number}")
            expect(row).to_contain_text("Ignition timing 34 °")
            expect(row).to_contain_text("Changed since the pull before: Ignition timing: 46 ° → 34 °")
            page.goto(f"/programmes/{self.programme.pk}/pulls/{last.pk}", wait_until="domcontentloaded")
            expect(page.get_by_test_id("tune")).to_contain_text("the one that counts is: the last one at the mixture")
            self.axe(page, f"/programmes/{self.programme.pk}/pulls/{last.pk}")
            self.to_a_verdict(page)

    def to_a_verdict(self, page: Page) -> None:
        """B stays as rich as it came, A was tuned: one question for each policy, and a report with what ran."""
        a, b = self.programme.setups.all()
        page.goto(f"/programmes/{self.programme.pk}/stand", wait_until="domcontentloaded")
        for setup, counted in ((b, 2), (a, 1)):
            page.get_by_role("group", name="Setup to pull next").get_by_text(setup.name).click()
            expect(page.get_by_test_id("headline")).to_contain_text(f"Next: {setup.letter}")
            see_to_everything(page)
            pull(page)  # the first one warms the part
            for _ in range(counted):
                pull(page)
                keep(page)
        # One mixture and one timing for all: B is still where it came, so there is nothing to compare A with yet.
        page.goto(f"/programmes/{self.programme.pk}/verdict", wait_until="domcontentloaded")
        main = page.locator("main")
        expect(page.get_by_test_id("sentence")).to_contain_text("nothing to compare")
        expect(main).to_contain_text(
            "ignition timing 34 ° (the last one at the mixture target): pulls 5, 7 and 12 count"
        )
        expect(main).to_contain_text(re.compile(r"Pull 9 against pull \d+: (mixture, )?ignition timing\."))
        # As delivered, each with its own tune: the same pulls are compared, and the verdict says what they carry.
        page.goto(f"/programmes/{self.programme.pk}/plan/change", wait_until="domcontentloaded")
        pick(page, "Mixture", "Every setup as delivered")
        page.get_by_role("button", name="Save plan").click()
        expect(page.get_by_role("tab", name=re.compile("Versions"))).to_be_visible()
        page.goto(f"/programmes/{self.programme.pk}/verdict", wait_until="domcontentloaded")
        expect(page.get_by_test_id("ranking").get_by_role("row")).to_have_count(3)
        expect(main).to_contain_text("Every setup ran as delivered: a difference is the part's together with its tune.")
        expect(main).not_to_contain_text("No accepted pull of B yet.")
        page.goto(f"/programmes/{self.programme.pk}/sheet", wait_until="domcontentloaded")
        paper = page.get_by_test_id("paper")
        expect(paper).to_contain_text("Ignition timing 34 °")  # A as it ran, and B as it ran
        expect(paper).to_contain_text("Ignition timing 30 °")
        self.assertEqual(self.problems, [])

    def retime(self, page: Page, degrees: str, shown: str) -> None:
        """The pull that is on is kept, and the next one made with another timing of the first setup."""
        self.adjust(page, "Ignition timing", degrees)
        expect(page.get_by_label("New value")).to_have_value("")
        keep(page)
        first = self.programme.setups.all()[0]
        page.get_by_role("group", name="Setup to pull next").get_by_text(first.name).click()
        pull(page)
        expect(page.get_by_test_id("after-pull")).to_contain_text(f"→ {shown}")

    def adjust(self, page: Page, what: str, value: str) -> None:
        pick(page, "What was adjusted", re.compile(f"^{what}"))
        page.get_by_label("New value").fill(value)
        page.get_by_role("button", name="From the next pull on").click()
