"""A programme planned from nothing in the browser, and what its plan says before anything is bolted on."""

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from browser_tests.case import BrowserCase, sign_in
from programmes.models import Programme


class Planning(BrowserCase):
    def test_a_programme_from_nothing_names_its_package_and_the_pulls_it_needs(self):
        with self.browser() as page:
            sign_in(page)
            page.get_by_role("link", name="New programme").click()
            page.get_by_label("Question").fill("Short manifold and a hotter cam?")
            page.get_by_role("button", name="Plan it").click()
            expect(page.get_by_text("Choose the engine.")).to_be_visible()
            page.get_by_label("Engine").select_option(label="2.9 L in-line six, hill-climb car, rev 2")
            for letter, name in (("A", "As it is"), ("B", "Both")):
                page.get_by_label(f"Name of setup {letter}").fill(name)
            page.get_by_label("Intake manifold of setup A").select_option(label="Long-runner manifold")
            page.get_by_label("Camshaft of setup A").select_option(label="Hill-climb cams 272/268")
            expect(page.get_by_label("Camshaft of setup B")).not_to_have_value("")  # the baseline's, until changed
            page.get_by_label("Intake manifold of setup B").select_option(label="Short-runner manifold")
            page.get_by_label("Camshaft of setup B").select_option(label="none")
            for label, text in (("Sweep from", "2000"), ("Sweep to", "7500"), ("Sweep rate", "350"),
                                ("Compared from", "3000"), ("Compared to", "6500")):  # fmt: skip
                page.get_by_label(label, exact=True).fill(text)
            page.get_by_role("button", name="Plan it").click()
            expect(page.get_by_text("must not be above the redline")).to_be_visible()
            expect(page.get_by_label("Name of setup B")).to_have_value("Both")
            page.get_by_label("Sweep to", exact=True).fill("6900")
            page.get_by_role("button", name="Plan it").click()

            questions = page.get_by_test_id("questions")
            expect(questions).to_contain_text("Only together with the camshaft.")
            expect(page.get_by_text("One setup more, A with")).to_contain_text("2 more questions")
            # This engine has been pulled before: its own scatter counts, not the default.
            expect(page.get_by_text("from 1 programme of this engine, 6 degrees of freedom")).to_be_visible()
            page.get_by_label("Difference in per cent").fill("5")
            expect(page.get_by_test_id("needed")).to_have_text("2 pulls a side")
            page.get_by_label("Difference in per cent").fill("0")
            expect(page.get_by_text("it lies between 0.01 and 50 per cent")).to_be_visible()

            page.get_by_label("Expected gain").fill("a lot")
            page.get_by_role("button", name="Expect it").click()
            expect(page.get_by_text("“a lot” is not a number.")).to_be_visible()
            page.get_by_label("Expected gain").fill("3 to 5 %")
            page.get_by_label("Why it is expected").fill("Both help the top end")
            page.get_by_role("button", name="Expect it").click()
            expect(page.get_by_test_id("expectations")).to_contain_text("+3.0 to +5.0 %")

            found: list[str] = []
            for screen in (page.url, "/programmes/new"):
                page.goto(screen, wait_until="domcontentloaded")
                page.get_by_role("navigation").first.wait_for()
                page.wait_for_timeout(900)
                for violation in Axe().run(page).response["violations"]:
                    places = "; ".join(node["html"][:110] for node in violation["nodes"][:3])
                    found.append(f"{screen}: {violation['id']}: {places}")
            self.assertEqual(found, [])
        programme = Programme.objects.get(question="Short manifold and a hotter cam?")
        self.assertEqual([step.setup.letter for step in programme.steps.all()], ["A", "B", "A"])
        self.assertEqual(programme.setups.get(position=1).expectations.get().sentence, "Both help the top end")
        self.assertEqual(programme.build.revision, 2)
        self.assertEqual(self.problems, [])
