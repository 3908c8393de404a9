"""Large files in a process of their own: the same table, and nothing that brings the machine down."""

from unittest import mock

import numpy as np
from django.test import SimpleTestCase

from curves.files import apart
from curves.files.read import read_table
from curves.files.table import FileProblem


def text(rows: int) -> bytes:
    table = np.column_stack([np.arange(rows) / 50, np.linspace(2000, 6900, rows), np.full(rows, 300.25)])
    return b"time [s],rpm,torque [Nm]\n" + b"\n".join(b"%.2f,%.1f,%.2f" % tuple(row) for row in table) + b"\n"


class Apart(SimpleTestCase):
    def setUp(self):
        # Small files as if they were large: what is tried is the process, not the size.
        for name, size in (("LARGE", 1000), ("LARGE_PACKED", 10)):
            smaller = mock.patch.object(apart, name, size)
            smaller.start()
            self.addCleanup(smaller.stop)

    def test_it_is_the_same_table(self):
        content = text(5000)
        here, there = read_table(content), apart.read_table_apart(content)
        self.assertEqual(
            [(column.name, column.unit) for column in here.columns],
            [(column.name, column.unit) for column in there.columns],
        )
        for one, other in zip(here.columns, there.columns, strict=True):
            np.testing.assert_array_equal(one.values, other.values)

    def test_what_is_wrong_with_it_is_told_as_here(self):
        broken = text(500)[:-8] + b"3x0.25\n"
        with self.assertRaises(FileProblem) as here:
            read_table(broken)
        with self.assertRaisesMessage(FileProblem, str(here.exception)):
            apart.read_table_apart(broken)
        with self.assertRaises(FileProblem):
            apart.read_table_apart(b"PK\x03\x04" + b"\0" * 500)

    def test_more_memory_than_there_is_for_it_ends_that_process_and_nothing_else(self):
        little = mock.patch.object(apart, "MOST_MEMORY", 300_000_000)
        with little, self.assertRaisesMessage(FileProblem, "GB of memory to read. Save each pull"):
            apart.read_table_apart(text(400_000))

    def test_one_that_takes_for_ever_is_given_up(self):
        with mock.patch.object(apart, "LONGEST_S", 0.01), self.assertRaisesMessage(FileProblem, "takes longer than"):
            apart.read_table_apart(text(500))
