"""What the first screen weighs on the line: scripts, styles and fonts that a browser fetches before it shows a test."""

import gzip
import re
from pathlib import Path
from unittest import TestCase

from ops.machine import ROOT

MOST_KB = 350
BUILT = ROOT / "web" / "dist"
IMPORTED = re.compile(r"""(?:from|import)\s*["']\./([^"']+\.js)["']""")
# What every page shows: both weights of the reading face, and the face of running text.
FONTS = ("b612-latin-400-normal", "b612-latin-700-normal", "source-sans-3-latin-wght-normal")


def stem(file: Path) -> str:
    """The name without its fingerprint, which may hold a dash."""
    return file.stem[:-9]


def on_the_line(file: Path) -> int:
    """Fonts are packed already; the rest is served packed."""
    raw = file.read_bytes()
    return len(raw) if file.suffix == ".woff2" else len(gzip.compress(raw, 9))


class FirstScreen(TestCase):
    def with_imports(self, first: set[Path]) -> set[Path]:
        found: set[Path] = set()
        left = list(first)
        while left:
            script = left.pop()
            if script not in found:
                found.add(script)
                left += [script.parent / name for name in IMPORTED.findall(script.read_text())]
        return found

    def test_the_tests_of_the_shop_come_in_a_light_parcel(self):
        assets = BUILT / "assets"
        self.assertTrue(assets.is_dir(), "the front end is not built: ./torvix test builds it")
        page = (BUILT / "index.html").read_text()
        entry = {assets / name for name in re.findall(r"/assets/([^\"]+\.js)", page)}
        screen = {file for file in assets.glob("*.js") if stem(file) in ("HomePage", "ShopFrame")}
        self.assertEqual(len(screen), 2)
        scripts = self.with_imports(entry | screen)
        names = {stem(script) for script in scripts}
        styles = {file for file in assets.glob("*.css") if stem(file) in names}
        fonts = {file for file in assets.glob("*.woff2") if stem(file) in FONTS}
        self.assertEqual(len(fonts), len(FONTS))
        weight = sum(map(on_the_line, scripts | styles | fonts)) / 1000
        self.assertNotIn("charts", names)
        self.assertGreater(weight, 100)
        self.assertLessEqual(weight, MOST_KB)
