"""Which setup tells two explanations apart."""

from django.test import SimpleTestCase
from torvix_core.judging import repeats
from torvix_core.judging.effects import USUAL, History
from torvix_core.planning import theory_separation


class Separating(SimpleTestCase):
    def test_the_setup_on_which_they_differ_most_comes_first_with_the_pulls_it_takes(self):
        """Runner length against plenum: both expect a gain of the first setup, only one of them of the second."""
        length = [(0.01, 0.02), (0.0, 0.0), None]
        plenum = [(0.015, 0.03), (0.012, 0.02), (0.1, 0.1)]
        found = theory_separation.separations(length, plenum, [USUAL] * 3)
        self.assertEqual([each.case for each in found], [1, 0])
        self.assertAlmostEqual(found[0].apart, 0.012)
        self.assertEqual(found[0].pulls, repeats.pulls_needed(0.012).pulls)
        self.assertEqual((found[1].apart, found[1].pulls), (0.0, None))

    def test_a_falling_range_is_refused(self):
        with self.assertRaisesMessage(ValueError, "must rise"):
            theory_separation.separations([(0.02, 0.01)], [(0.0, 0.0)], [USUAL])

    def test_an_open_end_reaches_as_far_as_it_may(self):
        """ "The stumble gets worse" against "nothing changes there": apart only where the second leaves a gap."""
        worse, gains = [(None, -0.01), (None, 0.0)], [(0.0, 0.0), (0.0, None)]
        found = {each.case: each for each in theory_separation.separations(worse, gains, [USUAL] * 2)}
        self.assertAlmostEqual(found[0].apart, 0.01)
        self.assertEqual((found[1].apart, found[1].pulls), (0.0, None))

    def test_the_scatter_of_the_figure_decides_not_the_gap_alone(self):
        """Two per cent of a figure that scatters by 5 % tells less than one of a figure that scatters by 0.3 %."""
        rough, fine = History(0.05, 6.0, known=True), History(0.003, 6.0, known=True)
        found = theory_separation.separations([(0.02, 0.02), (0.01, 0.01)], [(0.0, 0.0)] * 2, [rough, fine])
        self.assertEqual([each.case for each in found], [1, 0])

    def test_without_a_known_scatter_the_gap_is_told_and_no_pulls(self):
        (found,) = theory_separation.separations([(0.02, 0.02)], [(0.0, 0.0)], [None])
        self.assertEqual((found.apart, found.pulls), (0.02, None))
