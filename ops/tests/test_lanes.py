"""The test runner itself."""

import unittest

from django.test import SimpleTestCase

from ops.lanes import LaneRunner


class Interrupted(SimpleTestCase):
    def code(self, run: int) -> int:
        runner = LaneRunner(verbosity=0)
        runner.found = 2
        result = unittest.TestResult()
        result.testsRun = run
        return runner.suite_result(unittest.TestSuite(), result)

    def test_a_run_that_ends_before_its_last_test_is_not_green(self):
        self.assertEqual((self.code(2), self.code(1)), (0, 1))
