"""An engine with its tests is saved as one file and read in again, by a job, under another name."""

import re

from playwright.sync_api import expect

from browser_tests.case import BrowserCase, sign_in
from engines.models import Engine
from programmes.models import Programme


class Archives(BrowserCase):
    def test_an_engine_goes_out_and_comes_in_again(self):
        self.start_workers("long")
        engine = Engine.objects.filter(name__contains="ski boat").first()
        assert engine is not None
        tests = Programme.objects.filter(build__engine=engine).count()
        with self.browser() as page:
            sign_in(page)
            page.goto("/engines", wait_until="domcontentloaded")
            page.get_by_label("Search").fill(engine.name)
            page.get_by_role("button", name=f"Archive or delete {engine.name}").click()
            with page.expect_download() as saved:
                page.get_by_text("Save with its tests as a file").click()
            self.assertTrue(saved.value.suggested_filename.endswith(".zip"))
            page.goto("/", wait_until="domcontentloaded")
            page.get_by_label("Tests in one file").set_input_files(saved.value.path())
            dialog = page.get_by_test_id("import-tests")
            expect(dialog.get_by_label("Name of the engine")).to_have_value(engine.name)
            own = dialog.get_by_label(re.compile("^Use your own, the same in every value"))
            expect(own).to_be_checked()
            expect(dialog.get_by_role("button", name="Import 0 tests")).to_be_disabled()
            dialog.get_by_label(re.compile("^Skip .* that this shop has")).uncheck()
            dialog.get_by_label("Name of the engine").fill("The one from the barn")
            self.assertEqual(self.violations(page), [])

            # The window is closed, and opened again: the file is there, and stays when it is only looked into.
            page.reload(wait_until="domcontentloaded")
            page.get_by_role("button", name=re.compile("^Continue with ")).click()
            dialog.get_by_role("button", name="Cancel").click()
            page.get_by_role("button", name=re.compile("^Continue with ")).click()
            dialog.get_by_label(re.compile("^Skip .* that this shop has")).uncheck()
            dialog.get_by_label("Name of the engine").fill("The one from the barn")
            dialog.get_by_role("button", name=re.compile(f"Import {tests} tests?$")).click()
            expect(dialog.get_by_text(re.compile(f"{tests} tests? imported"))).to_be_visible()
            dialog.get_by_role("button", name="Close").click()
            expect(page.get_by_role("button", name=re.compile("^Continue with "))).to_be_hidden()
            page.goto("/engines", wait_until="domcontentloaded")
            page.get_by_label("Search").fill("barn")
            expect(page.get_by_role("row", name=re.compile("The one from the barn"))).to_be_visible()
        self.assertEqual(Programme.objects.filter(build__engine__name="The one from the barn").count(), tests)
        self.assertEqual(self.problems, [])
