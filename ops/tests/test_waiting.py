"""No test waits a fixed time: it would be too short on a slow machine, and lost on a fast one."""

import ast
from pathlib import Path
from unittest import TestCase

ROOT = Path(__file__).resolve().parents[2]
SLEEPS = {"sleep", "wait_for_timeout"}
# A script of a fixed length is what these are about: how long something takes in them is not waited for.
MEANT = {
    "adapters/tests/test_measure_delay.py": "a line that is late by a given time is what is measured",
    "server/config/tests/soak.py": "random moments of a pull are its subject",
    "server/stand/tests/worker/test_stand_worker.py": "a write that takes two seconds is the fault that is tried",
    "server/jobs/tests/test_services.py": "work of a given length is what the job does",
}


def fixed_waits(source: str) -> list[int]:
    """Lines where something sleeps outside a loop that looks whether it still has to."""
    found = []

    def look(node: ast.AST, polling: bool) -> None:
        if isinstance(node, ast.Call):
            name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
            nothing = [ast.literal_eval(one) for one in node.args if isinstance(one, ast.Constant)] == [0]
            # wait_for_timeout holds up the page also where it stands in a loop; to sleep for 0 lets others have a turn.
            if name == "wait_for_timeout" or (name in SLEEPS and not polling and not nothing):
                found.append(node.lineno)
        polling = polling or isinstance(node, ast.While)
        for child in ast.iter_child_nodes(node):
            look(child, polling)

    look(ast.parse(source), False)
    return found


class NoFixedWait(TestCase):
    def test_no_test_sleeps_a_fixed_time(self):
        files = [*ROOT.glob("browser_tests/*.py"), *ROOT.glob("*/tests/**/*.py"), *ROOT.glob("server/*/tests/**/*.py")]
        self.assertGreater(len(files), 100)
        found = {}
        for file in files:
            name = str(file.relative_to(ROOT))
            if name not in MEANT and (lines := fixed_waits(file.read_text())):
                found[name] = lines
        self.assertEqual(found, {})

    def test_a_fixed_wait_is_found_and_a_look_from_time_to_time_is_not(self):
        self.assertEqual(fixed_waits("page.wait_for_timeout(900)"), [1])
        self.assertEqual(fixed_waits("import time\ndef test():\n    time.sleep(1)"), [3])
        self.assertEqual(fixed_waits("for _ in range(9):\n    sleep(1)"), [2])
        self.assertEqual(fixed_waits("while not there():\n    time.sleep(0.05)"), [])
        self.assertEqual(fixed_waits("while not there():\n    page.wait_for_timeout(50)"), [2])
