"""Where the restriction is: swaps outweigh channels and rules of thumb, and nothing is named against a swap."""

from django.test import SimpleTestCase
from torvix_core.engine.breathing import head_flow_power
from torvix_core.regimes.restriction import (
    Clue,
    ClueKind,
    ClueSide,
    Site,
    ceiling_gain,
    depression_gain,
    hint,
    rough_clue,
    weigh,
)

EVERY = list(Site)
CFM, HP, INHG = 4.719474e-4, 745.7, 3386.4


def swap(place: Site, gain: float, half: float = 0.005) -> Clue:
    return Clue(place, ClueKind.SWAP, gain, gain - half, gain + half)


class Clues(SimpleTestCase):
    def test_a_swap_speaks_for_against_or_not_at_all(self):
        self.assertIs(swap(Site.HEAD, 0.03).side(), ClueSide.FOR)
        self.assertIs(swap(Site.HEAD, 0.002).side(), ClueSide.AGAINST)
        self.assertIs(swap(Site.HEAD, 0.01, 0.02).side(), ClueSide.OPEN)
        self.assertIs(swap(Site.HEAD, 0.006).side(), ClueSide.OPEN, "more than nothing, and less than a part is worth")

    def test_full_throttle_vacuum_is_worth_its_share_of_the_air(self):
        """Common practice, no source: 1.8 inHg under a 650 at the top; a larger one gave single hp of 470."""
        gain = depression_gain(1.8 * INHG, 29.9 * INHG)
        self.assertAlmostEqual(gain, 0.064, delta=0.001)
        clue = rough_clue(Site.INTAKE, ClueKind.CHANNEL, gain)
        self.assertTrue(clue.low < 5 / 470 < clue.high)

    def test_a_head_at_its_ceiling_counts_and_one_far_below_does_not(self):
        """Common practice, no source: 265 to 270 CFM hold a 406 in³ near 560 hp."""
        ceiling = float(head_flow_power(268 * CFM, 8))
        self.assertGreater(ceiling_gain(559 * HP, ceiling), 0.025)
        self.assertLess(ceiling_gain(330 * HP, ceiling), 0.001)


class Weighed(SimpleTestCase):
    def test_a_swap_outweighs_what_a_channel_promises(self):
        found = weigh([rough_clue(Site.INTAKE, ClueKind.CHANNEL, 0.06), swap(Site.INTAKE, 0.004, 0.003)], EVERY)
        intake = next(one for one in found if one.place is Site.INTAKE)
        self.assertAlmostEqual(intake.gain, 0.004, delta=0.002)
        self.assertTrue(intake.against_by_swap)

    def test_a_null_with_its_bound_counts_against(self):
        """Headers: at most +0.8 %, so it is not there."""
        found = weigh([swap(Site.EXHAUST, 0.003), swap(Site.HEAD, 0.05)], EVERY)
        self.assertEqual((found[0].place, found[-1].place), (Site.HEAD, Site.EXHAUST))

    def test_what_nothing_is_known_of_is_between(self):
        found = [one.place for one in weigh([swap(Site.EXHAUST, 0.0), swap(Site.HEAD, 0.05)], EVERY)]
        self.assertTrue(found.index(Site.HEAD) < found.index(Site.MANIFOLD) < found.index(Site.EXHAUST))


class Hints(SimpleTestCase):
    def test_nothing_is_named_without_evidence(self):
        self.assertIsNone(hint(weigh([], EVERY)).place)
        self.assertIsNone(hint(weigh([swap(Site.HEAD, 0.01, 0.03)], EVERY)).place)

    def test_nothing_is_named_against_a_swap(self):
        clues = [
            swap(Site.INTAKE, 0.004, 0.003),
            *(rough_clue(Site.INTAKE, ClueKind.CHANNEL, 0.2) for _ in range(50)),
        ]
        weighed = weigh(clues, EVERY)
        self.assertTrue(next(one for one in weighed if one.place is Site.INTAKE).against_by_swap)
        self.assertIsNot(hint(weighed).place, Site.INTAKE)

    def test_the_next_swap_goes_where_most_may_be_gained_and_none_has_settled_it(self):
        clues = [
            swap(Site.HEAD, 0.05),
            swap(Site.EXHAUST, 0.0),
            rough_clue(Site.INTAKE, ClueKind.CHANNEL, 0.06),
        ]
        self.assertIs(hint(weigh(clues, EVERY)).next_place, Site.INTAKE)
        every = [swap(place, 0.0) for place in EVERY]
        self.assertIsNone(hint(weigh(every, EVERY)).next_place)
