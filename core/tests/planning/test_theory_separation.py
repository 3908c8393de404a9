"""Which setup tells two explanations apart."""

from django.test import SimpleTestCase
from torvix_core.judging import repeats
from torvix_core.planning import theory_separation


class Separating(SimpleTestCase):
    def test_the_setup_on_which_they_differ_most_comes_first_with_the_pulls_it_takes(self):
        """Runner length against plenum: both expect a gain of the first setup, only one of them of the second."""
        length = [(0.01, 0.02), (0.0, 0.0), None]
        plenum = [(0.015, 0.03), (0.012, 0.02), (0.1, 0.1)]
        found = theory_separation.separations(length, plenum)
        self.assertEqual([each.setup for each in found], [1, 0])
        self.assertAlmostEqual(found[0].apart, 0.012)
        self.assertEqual(found[0].pulls, repeats.pulls_needed(0.012).pulls)
        self.assertEqual((found[1].apart, found[1].pulls), (0.0, None))

    def test_a_falling_range_is_refused(self):
        with self.assertRaisesMessage(ValueError, "must rise"):
            theory_separation.separations([(0.02, 0.01)], [(0.0, 0.0)])
