"""The house keeps its order: one name for one thing, small rooms, and docs that point to files that are there."""

import ast
from collections import defaultdict
from pathlib import Path
from unittest import TestCase

ROOT = Path(__file__).resolve().parents[2]
HOUSES = (ROOT / "core" / "torvix_core", ROOT / "server")
# The row of a database, and the value of the core that it keeps.
ROW_AND_VALUE = {"FlowTable"}


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
