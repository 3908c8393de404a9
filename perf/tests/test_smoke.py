"""Every benchmark runs to its end in its tiny size; how fast it is, is asked by ./torvix perf."""

from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from django.test import TransactionTestCase

import perf.__main__ as command
from perf import benchmarks, report
from perf.benchmarks import (  # noqa: F401  # these are run as they are
    BesideHeavyRequests,
    Crowd,
    FullRate,
    Judging,
    Latency,
    LongTest,
    Matrix,
    Queue,
    Typing,
)


class EachFunction(TransactionTestCase):
    def test_it_tells_figures(self):
        for name, benchmark in benchmarks.ALL:
            if isinstance(benchmark, type):
                continue
            with self.subTest(name), mock.patch("builtins.print"):
                before = len(report.FIGURES)
                benchmark()
                self.assertGreater(len(report.FIGURES), before)

    def test_every_test_case_of_the_list_is_run_here(self):
        cases = {benchmark.__name__ for _, benchmark in benchmarks.ALL if isinstance(benchmark, type)}
        self.assertEqual(cases - set(globals()), set())


class WholeRun(TransactionTestCase):
    def test_one_that_fails_is_told_and_the_rest_go_on(self):
        def fails() -> None:
            raise ValueError("no such thing")

        done = []
        listed = [("first", fails), ("second", lambda: done.append(True))]
        with mock.patch.object(benchmarks, "ALL", listed), mock.patch("traceback.print_exc") as told:
            self.assertEqual(command.run(soak=False), ["first"])
        self.assertEqual((done, told.call_count), ([True], 1))

    def test_the_table_has_each_figure_beside_what_was_wanted(self):
        figures = [report.Figure("reading", "1.20", "at most 1.5"), report.Figure("a sheet", "5 ms")]
        with TemporaryDirectory() as folder:
            table = Path(folder) / "performance.md"
            with mock.patch.object(report, "TABLE", table), mock.patch.object(report, "FIGURES", figures):
                report.write_table("2 cores", "2026-11-28", ["crowd"])
            written = table.read_text()
        self.assertIn("| reading | 1.20 | at most 1.5 |", written)
        self.assertIn("| a sheet | 5 ms | for information |", written)
        self.assertIn("These did not run to their end: crowd.", written)
