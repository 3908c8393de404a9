"""The house keeps its order: one name for one thing, small rooms, and docs that point to files that are there."""

import ast
import re
from collections import defaultdict
from pathlib import Path
from unittest import TestCase

ROOT = Path(__file__).resolve().parents[2]
HOUSES = (ROOT / "core" / "torvix_core", ROOT / "server")
# The row of a database, and the value of the core that it keeps.
ROW_AND_VALUE = {"FlowTable"}
# What a use case's folder has.
OF_EACH_FOLDER = {"service.py", "schemas.py", "messages.py", "api.py"}


def modules(*beside: str) -> list[Path]:
    """Every module of core and server, but migrations, commands and what is named beside."""
    left_out = {"migrations", "commands", *beside}
    return [file for house in HOUSES for file in house.rglob("*.py") if not left_out.intersection(file.parts)]


class Names(TestCase):
    def test_no_two_public_classes_share_a_name(self):
        homes = defaultdict(list)
        for file in modules("tests"):
            for node in ast.parse(file.read_text()).body:
                if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                    homes[node.name].append(str(file.relative_to(ROOT)))
        self.assertGreater(len(homes), 500)
        self.assertEqual(
            {name: files for name, files in homes.items() if len(files) > 1 and name not in ROW_AND_VALUE}, {}
        )


class Rooms(TestCase):
    def test_a_folder_holds_18_modules_at_most(self):
        rooms: dict[Path, int] = defaultdict(int)
        for file in modules():
            rooms[file.parent] += file.name != "__init__.py"
        self.assertEqual({str(room.relative_to(ROOT)): count for room, count in rooms.items() if count > 18}, {})

    def test_endpoints_are_imported_by_the_router_alone(self):
        endpoints = [file for file in modules("tests") if "api" in (file.stem, file.parent.name)]
        self.assertGreater(len(endpoints), 25)
        self.assertEqual(
            [file.name for house in HOUSES for file in house.rglob("*_api.py") if "tests" not in file.parts], []
        )
        wrong = []
        for file in modules():
            if file.relative_to(ROOT).parts[:2] != ("server", "config"):
                for node in ast.walk(ast.parse(file.read_text())):
                    if isinstance(node, ast.ImportFrom) and "api" in (node.module or "").split("."):
                        wrong.append(f"{file.relative_to(ROOT)}:{node.lineno}")
        self.assertEqual(wrong, [])

    def test_no_import_of_ours_hides_in_a_function(self):
        ours = {"torvix_core", *(app.name for app in (ROOT / "server").iterdir() if (app / "apps.py").exists())}
        hidden = []
        for file in modules("tests", "apps.py"):
            for function in ast.walk(ast.parse(file.read_text())):
                if isinstance(function, ast.FunctionDef | ast.AsyncFunctionDef):
                    hidden += [
                        f"{file.relative_to(ROOT)}:{node.lineno}"
                        for node in ast.walk(function)
                        if isinstance(node, ast.ImportFrom) and (node.module or "").split(".")[0] in ours
                    ]
        self.assertEqual(hidden, [])


class Docs(TestCase):
    def test_every_file_that_the_docs_name_is_there(self):
        """A path as the docs write it: from the root, or from server, core or web/src; a bare name finds nothing."""
        path = re.compile(r"`((?:[\w.-]+/)*[\w.-]+\.(?:py|ts|vue|md|toml))`")
        roots = (ROOT, *(ROOT / house for house in ("server", "core", "web/src")))
        named = {
            (str(doc.relative_to(ROOT)), name)
            for doc in (*ROOT.glob("*.md"), *ROOT.glob("docs/*.md"))
            for name in path.findall(doc.read_text())
        }
        self.assertGreater(len(named), 50)
        self.assertEqual(
            [
                at
                for at in sorted(named)
                if at[1] not in OF_EACH_FOLDER and not any((root / at[1]).exists() for root in roots)
            ],
            [],
        )


class FrontEnd(TestCase):
    """The component library has its parts; what stands beside it is counted, and only falls."""

    MOST_SCOPED_CSS = 1200  # lines
    MOST_INPUTS = 4  # native ones, inside our own widgets: the file button, and what a password manager reads
    LONGEST_PAGE = 300  # lines

    def setUp(self):
        self.components = {file: file.read_text() for file in (ROOT / "web" / "src").rglob("*.vue")}
        self.assertGreater(len(self.components), 100)

    def test_no_native_control_where_the_library_has_one(self):
        native = re.compile(r"<(select|textarea|details|dialog|table)\b")
        found = {file.name: native.findall(text) for file, text in self.components.items() if native.search(text)}
        self.assertEqual(found, {})

    def test_a_native_button_is_the_one_that_is_held(self):
        found = [file.name for file, text in self.components.items() if re.search(r"<button\b", text)]
        self.assertEqual(found, ["HoldButton.vue"])

    def test_styles_win_by_their_layer_and_never_by_shouting(self):
        styles = {**self.components, **{file: file.read_text() for file in (ROOT / "web" / "src").rglob("*.css")}}
        self.assertEqual([file.name for file, text in styles.items() if re.search(r"!important\s*;", text)], [])

    def test_what_is_left_of_our_own_controls_and_styles_does_not_grow(self):
        inputs = sum(len(re.findall(r"<input\b", text)) for text in self.components.values())
        scoped = sum(
            block.count("\n")
            for text in self.components.values()
            for block in re.findall(r"<style scoped>\n(.*?)</style>", text, re.DOTALL)
        )
        self.assertLessEqual(inputs, self.MOST_INPUTS)
        self.assertLessEqual(scoped, self.MOST_SCOPED_CSS)

    def test_a_page_is_put_together_from_parts(self):
        pages = {
            file.name: text.count("\n") for file, text in self.components.items() if file.name.endswith("Page.vue")
        }
        self.assertGreater(len(pages), 15)
        self.assertEqual({name: lines for name, lines in pages.items() if lines > self.LONGEST_PAGE}, {})
