"""A short soak run with a seed; the long one is `./torvix perf --soak`."""

from django.test import TransactionTestCase

from stand.tests.soak import LOSS_S, Soak


class ShortSoak(TransactionTestCase):
    def test_each_fault_once_at_a_random_moment_of_a_pull(self):
        soak = Soak(seed=20261125)
        self.addCleanup(soak.stop)
        soak.go(6)
        self.assertEqual(len(soak.done), 6)
        self.assertLess(soak.worst_loss_s, LOSS_S)
