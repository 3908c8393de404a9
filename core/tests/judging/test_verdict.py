"""Ranks, groups that are a wash, and what may not be chosen."""

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.effects import History, fit
from torvix_core.judging.verdict import nowhere_worse, rank, wash_groups, washes, winner

SURE = History(drift_per_pull=0.0)


def ranked(scores: list[float], setup: list[int], session: list[int] | None = None, out=()):
    return rank(fit(np.array(scores), Layout.of(setup, session), SURE), 0, out=out)


class Ranking(SimpleTestCase):
    def test_a_clear_winner(self):
        placings = ranked([100, 100.2, 110, 110.2, 105, 105.2], [0, 0, 1, 1, 2, 2])
        self.assertEqual([placing.setup for placing in placings], [1, 2, 0])
        self.assertEqual(winner(placings), 1)
        self.assertEqual([placing.groups for placing in placings], [(), (), ()])

    def test_setups_that_cannot_be_told_apart_share_a_group_and_nobody_wins(self):
        placings = ranked([100, 101, 110, 111, 110.5, 111.5], [0, 0, 1, 1, 2, 2])
        self.assertIsNone(winner(placings))
        groups = {placing.setup: placing.groups for placing in placings}
        self.assertEqual(groups[1], groups[2])
        self.assertEqual(groups[0], ())

    def test_a_chain_of_washes_makes_two_groups_with_the_middle_in_both(self):
        placings = ranked([100, 100.6, 100.9, 101.5, 101.8, 102.4], [0, 0, 1, 1, 2, 2])
        groups = {placing.setup: set(placing.groups) for placing in placings}
        self.assertTrue(groups[0] & groups[1] and groups[1] & groups[2])
        self.assertFalse(groups[0] & groups[2])

    def test_a_setup_of_another_day_comes_last_without_a_difference(self):
        placings = ranked([100, 100.2, 99, 99.2, 150, 150.2], [0, 0, 1, 1, 2, 2], [0, 0, 0, 0, 1, 1])
        self.assertEqual(placings[-1].setup, 2)
        self.assertEqual((placings[-1].supported, placings[-1].to_baseline), (False, None))

    def test_what_does_not_keep_its_limits_may_not_win_and_keeps_its_numbers(self):
        free, kept = (ranked([100, 100.2, 110, 110.2], [0, 0, 1, 1], out=out) for out in ((), {1}))
        self.assertEqual((winner(free), winner(kept)), (1, 0))
        self.assertEqual([placing.score for placing in free], [placing.score for placing in kept])

    def test_one_setup_alone_wins_nothing(self):
        self.assertIsNone(winner(ranked([100, 101], [0, 0])))


class Groups(SimpleTestCase):
    def test_groups_are_the_largest_and_every_pair_in_one_is_a_wash(self):
        """Any pattern of washes: checked against all subsets."""
        dice = np.random.default_rng(3)
        for _ in range(40):
            washed = dice.random((5, 5)) < 0.6
            washed = washed | washed.T | np.eye(5, dtype=bool)
            found = {frozenset(group) for group in wash_groups(washed)}
            subsets = [{one for one in range(5) if mask >> one & 1} for mask in range(1, 32)]
            whole = [subset for subset in subsets if all(washed[one, other] for one in subset for other in subset)]
            largest = {frozenset(each) for each in whole if len(each) > 1 and not any(each < other for other in whole)}
            self.assertEqual(found, largest)

    def test_all_pairs_at_once_are_the_pairs_one_by_one(self):
        """Two days, one of them without a return, three setups and one that nothing links."""
        layout = Layout.of([0, 1, 0, 1, 0, 0, 2, 2, 3, 3], [0, 0, 0, 0, 1, 1, 1, 1, 2, 2])
        effects = fit(np.exp(np.random.default_rng(4).normal(5, 0.004, 10)), layout)
        gap, half = effects.all_pairs()
        for one in range(4):
            for other in range(4):
                if effects.linked(one, other) and one != other:
                    assert_allclose(half[one, other], effects.half_width(one, other))
                    assert_allclose(gap[one, other], effects.log_mean[one] - effects.log_mean[other])
                elif one != other:
                    self.assertEqual(half[one, other], np.inf)

    def test_a_wash_is_one_both_ways(self):
        washed = washes(fit(np.array([100.0, 101, 101.2, 102.2]), Layout.of([0, 0, 1, 1]), SURE))
        self.assertTrue((washed == washed.T).all())


class NowhereWorse(SimpleTestCase):
    def test_better_low_and_equal_high_is_nowhere_worse(self):
        a = np.full(8, 100.0)
        b = np.array([103.0] * 4 + [100.05] * 4)
        found = nowhere_worse(
            fit(np.stack([a, a * 1.0004, b, b * 1.0004]), Layout.of([0, 0, 1, 1]), SURE, bent=False), 1
        )
        self.assertEqual(found, [0])

    def test_better_low_and_worse_high_is_not(self):
        a = np.full(8, 100.0)
        b = np.array([103.0] * 4 + [98.0] * 4)
        found = nowhere_worse(
            fit(np.stack([a, a * 1.0004, b, b * 1.0004]), Layout.of([0, 0, 1, 1]), SURE, bent=False), 1
        )
        self.assertEqual(found, [])
