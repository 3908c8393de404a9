"""A short soak run with a seed; the long one is `./torvix perf --soak`."""

from django.test import TransactionTestCase

from config.tests.soak import Soak
from ops.effort import effort


class ShortSoak(TransactionTestCase):
    def test_each_fault_at_a_random_moment_of_a_pull(self):
        """How much a kill may cost in seconds is asked by the long one, which has the machine to itself."""
        soak = Soak(seed=20261125)
        self.addCleanup(soak.stop)
        soak.go(effort(24))
        self.assertEqual(len(soak.done), min(effort(24), 9))
