"""A day planned from nothing in the browser: setups, what they can tell, the running order, odds, expectations."""

import re

from django.utils import timezone
from playwright.sync_api import Page, expect

from browser_tests.at_the_stand import see_to_everything
from browser_tests.case import StandCase, field_of, home, pick, sign_in, step
from programmes.models import Programme
from stand.models import Pull

SETUPS = (
    ("A", "As it runs", "Long-runner manifold", "Six-into-one header", ""),
    ("B", "Short", "Short-runner manifold", "Six-into-one header", ""),
    ("C", "Short, new header", "Short-runner manifold", "Stepped header", ""),
    ("D", "Middle", "Middle-runner manifold", "Six-into-one header", ""),
    ("E", "Middle, spaced", "Middle-runner manifold", "Six-into-one header", "Plenum spacer 20 mm"),
)
NUMBERS = (("Sweep from", "2000"), ("Sweep to", "7500"), ("Sweep rate", "350"), ("Compared from", "3000"),
           ("Compared to", "6500"))  # fmt: skip


def fill_in(page: Page) -> None:
    page.get_by_role("textbox", name="Question").fill("Which manifold, and does the header pay?")
    pick(page, "Engine", "2.9 L in-line six, hill-climb car, rev 2")
    for label, text in NUMBERS:
        page.get_by_label(label, exact=True).fill(text)
    step(page, "Setups").click()
    for _ in range(3):
        page.get_by_role("button", name="Add setup").click()
    for letter, name, manifold, header, spacer in SETUPS:
        page.get_by_label(f"Name of setup {letter}").fill(name)
        page.get_by_role("combobox", name=f"Intake manifold of setup {letter}", exact=True).fill(manifold)
        page.get_by_role("option", name=manifold, exact=True).click()  # one of many: found by typing
        pick(page, f"Header of setup {letter}", header)
        if spacer:
            pick(page, f"Spacer of setup {letter}", spacer)


def letters(page: Page) -> list[str]:
    return page.get_by_test_id("order").locator("li").evaluate_all("rows => rows.map(row => row.dataset.setup)")


def minutes(page: Page) -> int:
    return int(page.get_by_test_id("finish").inner_text().split(" ")[0])


class Planning(StandCase):
    def test_a_day_of_five_setups_from_nothing(self):
        self.start_workers("quick", "long")
        with self.browser() as page:
            sign_in(page)
            home(page)
            page.get_by_role("link", name="New test").click()
            page.get_by_role("button", name="Create test").click()
            expect(page.get_by_text("Choose the engine. Describe one first")).to_be_visible()
            fill_in(page)

            # What the setups can answer, while they are written down; two changes at once are a package.
            questions = page.get_by_test_id("questions")
            expect(questions).to_contain_text("Separated by B against A, which differ in nothing else.")
            expect(questions).to_contain_text("Header: Stepped header against Six-into-one header?")
            pick(page, "Spacer of setup D", "Plenum spacer 20 mm")
            expect(page.get_by_text("E has the same in every row as D")).to_be_visible()
            pick(page, "Spacer of setup D", "none")

            # The order follows the setups, and no order is shorter.
            step(page, "Day").click()
            expect(page.get_by_test_id("proven")).to_have_text("No order is shorter.")
            order = letters(page)
            self.assertEqual((order[0], order[-1], sorted(set(order))), ("A", "A", ["A", "B", "C", "D", "E"]))
            page.get_by_role("button", name="Add session").click()
            page.get_by_label("Session 1 is paid for").fill("9 h")
            expect(page.get_by_test_id("timeline")).to_contain_text("paid until 18:00")
            expect(page.get_by_test_id("finish")).to_contain_text("done at")
            best = minutes(page)

            # Dragged apart, it takes longer, and says by how much.
            rows = page.get_by_test_id("order").locator("li")
            rows.nth(letters(page).index("C")).drag_to(rows.nth(letters(page).index("D")))
            expect(page.get_by_test_id("cost")).to_contain_text("min more than the best order")
            self.assertNotEqual(letters(page), order)
            self.assertGreater(minutes(page), best)
            page.get_by_role("button", name="Remove visit 1", exact=True).click()
            expect(page.get_by_test_id("broken")).to_contain_text("does not begin with the baseline")

            # A day too short says so, what falls off, and what an hour more would buy.
            page.get_by_label("Session 1 is paid for").fill("25 min")
            page.get_by_role("button", name="Find the best order").click()
            expect(page.get_by_text("The day is too short:")).to_be_visible()
            page.get_by_label("Session 1 is paid for").fill("3 h")
            expect(page.get_by_test_id("advice")).to_contain_text("Falls off, least informative first:")
            expect(page.get_by_test_id("advice")).to_contain_text("One more hour buys")
            page.get_by_label("Session 1 is paid for").fill("9 h")
            expect(page.get_by_test_id("advice")).to_have_count(0)
            expect(page.get_by_test_id("proven")).to_have_text("No order is shorter.")
            order = letters(page)  # with the hours that are paid it may be another of the same length

            # Slips are named at their place, and the draft is kept, also over a reload.
            page.get_by_role("button", name="Create test").click()
            expect(step(page, "Question (1 to fix)")).to_be_visible()
            expect(page.get_by_text("must not be above the redline")).to_be_visible()
            page.reload(wait_until="domcontentloaded")
            expect(page.get_by_text("This is the draft you left.")).to_be_visible()
            page.get_by_label("Sweep to", exact=True).fill("6900")
            page.get_by_role("button", name="Create test").click()

            matrix = page.get_by_test_id("matrix")
            expect(matrix).to_contain_text("Middle, spaced")
            page.get_by_role("tab", name="Predictions").click()
            pick(page, "Setup", "B Short")
            gain = page.get_by_label("Predicted gain")
            gain.fill("a lot")
            page.get_by_role("button", name="Save prediction").click()
            expect(page.get_by_text("“a lot” is not a number.")).to_be_visible()
            gain.fill("3 to 5 %")
            page.get_by_label("Reason").fill("Breathes at the top")
            page.get_by_role("button", name="Save prediction").click()
            predicted = page.get_by_test_id("expectations")
            expect(predicted).to_contain_text("+3.0 to +5.0 %")
            # A second one names a region; taken back, its words stand in the fields again.
            gain.fill("soft below 4000")
            page.get_by_role("button", name="Save prediction").click()
            expect(predicted).to_contain_text("less below 4000 rpm")
            page.get_by_role("button", name="Edit less below 4000 rpm for B").click()
            expect(predicted).not_to_contain_text("less below 4000 rpm")
            expect(gain).to_have_value("less below 4000 rpm")
            # One pull of this engine was repeated once, and simulated pulls say nothing of it: the default stands.
            expect(page.get_by_text("default (too few repeat pulls on this engine)")).to_be_visible()
            page.get_by_label("Difference in per cent").fill("5")
            expect(page.get_by_test_id("needed")).to_have_text("2 pulls per setup")
            page.get_by_label("Difference in per cent").fill("0")
            expect(page.get_by_text("it lies between 0.01 and 50 per cent")).to_be_visible()

            page.get_by_role("tab", name="Odds").click()
            expect(page.get_by_label("Assumed effect of B")).to_have_value("4")
            page.get_by_role("button", name="Simulate").click()
            expect(page.get_by_test_id("odds")).to_contain_text("With the returns to the baseline")
            plan = page.url.split("?")[0]
            # What was worked on in the background is a list of one's own.
            page.get_by_role("button", name="Units and sign-out").click()
            page.get_by_role("link", name="Background work").click()
            for work in ("Odds of a plan", "Running order"):
                row = page.get_by_role("row").filter(has_text=work).first
                expect(row).to_contain_text("Which manifold, and does the header pay?")
                expect(row).to_contain_text("Done")
            page.get_by_label("Search jobs").fill("no such test")
            expect(page.get_by_text("Nothing matches “no such test”.")).to_be_visible()
            self.axe(page, "/background-work")
            page.goto(plan, wait_until="domcontentloaded")
            self.seal(page, plan)
            self.axe(page, "/programmes/new", f"{page.url.split('?')[0]}?tab=day", page.url.split("?")[0])
        programme = Programme.objects.get(question="Which manifold, and does the header pay?")
        self.assertEqual([step.setup.letter for step in programme.steps.all()], order)
        self.assertEqual(programme.setups.get(position=1).expectations.get().sentence, "Breathes at the top")
        self.assertEqual(programme.build.revision, 2)
        self.assertEqual(programme.versions.get().number, 1)
        self.assertEqual(self.problems, [])

    def test_a_plan_with_pulls_is_changed_as_a_new_version_and_what_was_pulled_stays(self):
        finished = Programme.objects.get(question="Which manifold for the hill climb?").pk
        with self.browser() as page:
            sign_in(page)
            page.goto(f"/programmes/{finished}/plan", wait_until="domcontentloaded")
            on_paper = page.get_by_test_id("on-paper")
            expect(on_paper).to_contain_text("The engine on paper")
            expect(on_paper.get_by_test_id("against")).to_contain_text("A Long runner")
            expect(on_paper).to_contain_text("Runner and cylinder as a resonator")
            page.goto(f"/programmes/{finished}/plan/change", wait_until="domcontentloaded")
            expect(page.get_by_role("textbox", name="Question")).to_have_value("Which manifold for the hill climb?")
            page.get_by_role("tab", name="Setups").click()
            expect(page.get_by_label("Intake manifold of setup B")).to_be_disabled()
            page.get_by_role("button", name="Add setup").click()
            page.get_by_label("Name of setup D").fill("Long, spaced")
            pick(page, "Add slot or setting", "Spacer")
            pick(page, "Spacer of setup D", "Plenum spacer 20 mm")
            page.get_by_role("tab", name="Day").click()
            expect(page.get_by_text("The day has begun: drag what is left.")).to_be_visible()
            page.get_by_role("button", name="Add D").click()
            page.get_by_role("button", name="Save plan").click()
            page.get_by_role("tab", name="Versions (2)").click()
            versions = page.get_by_test_id("versions")
            expect(versions).to_contain_text("D Long, spaced added")
            expect(versions).to_contain_text("Running order: A 2×, B 3×, C 3×, A 1× → A 2×, B 3×, C 3×, A 1×, D 3×.")
            page.get_by_role("tab", name="Day").click()
            expect(page.get_by_test_id("projected")).to_contain_text("It will be over at")
            expect(page.get_by_test_id("timeline")).to_contain_text("as it goes, from")
            self.axe(page, page.url)
        here = Pull.objects.filter(session__filed=False)
        self.assertEqual(set(here.values_list("plan_version", flat=True)), {1})
        self.assertLess(here.latest("started_at").started_at, timezone.now())
        self.assertEqual(self.problems, [])

    def seal(self, page: Page, plan: str) -> None:
        """The first arming of a setup seals what is expected of it."""
        page.get_by_role("link", name=re.compile("^Dyno")).click()
        page.get_by_role("button", name=re.compile("open a session on Stand 1")).click()
        page.get_by_role("group", name="Setup to pull next").get_by_role("button", name="Short", exact=True).click()
        see_to_everything(page)
        page.get_by_role("button", name=re.compile("Setup fitted")).click()
        expect(page.get_by_test_id("headline")).to_contain_text("armed")
        page.goto(f"{plan}?tab=expected", wait_until="domcontentloaded")
        expect(page.get_by_test_id("expectations")).to_contain_text("locked")
        field_of(page, "Setup").click()
        still_open = page.get_by_role("listbox").get_by_role("option")
        expect(still_open).to_have_text(["C Short, new header", "D Middle", "E Middle, spaced"])
