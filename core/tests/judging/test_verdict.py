"""Ranks, groups that are not separated, and what may not be chosen."""

from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.difference import Difference, DifferenceState
from torvix_core.judging.drift import NO_DRIFT
from torvix_core.judging.effects import History, fit
from torvix_core.judging.multiple_comparisons import tail_of_all_pairs
from torvix_core.judging.verdict import (
    Placing,
    groups_together,
    not_separated,
    nowhere_worse,
    rank,
    state_of_level,
    winner,
)

SURE = History(drift=NO_DRIFT)


def ranked(scores: list[float], setup: list[int], session: list[int] | None = None, out=()):
    return rank(fit(np.array(scores), Layout.of(setup, session), SURE), 0, out=out)


class Ranking(SimpleTestCase):
    def test_a_clear_winner(self):
        placings = ranked([100, 100.2, 110, 110.2, 105, 105.2], [0, 0, 1, 1, 2, 2])
        self.assertEqual([placing.setup for placing in placings], [1, 2, 0])
        self.assertEqual(winner(placings), 1)
        self.assertEqual([placing.groups for placing in placings], [(), (), ()])

    def test_setups_that_cannot_be_separated_share_a_group_and_nobody_wins(self):
        placings = ranked([100, 101, 110, 111, 110.5, 111.5], [0, 0, 1, 1, 2, 2])
        self.assertIsNone(winner(placings))
        groups = {placing.setup: placing.groups for placing in placings}
        self.assertEqual(groups[1], groups[2])
        self.assertEqual(groups[0], ())

    def test_a_chain_of_pairs_makes_two_groups_with_the_middle_in_both(self):
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
    def test_groups_are_the_largest_and_no_pair_in_one_is_separated(self):
        """Any pattern: checked against all subsets."""
        dice = np.random.default_rng(3)
        for _ in range(40):
            together = dice.random((5, 5)) < 0.6
            together = together | together.T | np.eye(5, dtype=bool)
            found = {frozenset(group) for group in groups_together(together)}
            subsets = [{one for one in range(5) if mask >> one & 1} for mask in range(1, 32)]
            whole = [subset for subset in subsets if all(together[one, other] for one in subset for other in subset)]
            largest = {frozenset(each) for each in whole if len(each) > 1 and not any(each < other for other in whole)}
            self.assertEqual(found, largest)

    def test_all_pairs_at_once_are_the_pairs_one_by_one(self):
        """Two days, one of them without a return, three setups and one that nothing links."""
        layout = Layout.of([0, 1, 0, 1, 0, 0, 2, 2, 3, 3], [0, 0, 0, 0, 1, 1, 1, 1, 2, 2])
        effects = fit(np.exp(np.random.default_rng(4).normal(5, 0.004, 10)), layout)
        gap, low, high = effects.all_pairs()
        tail = tail_of_all_pairs(3, round(float(effects.degrees_of_freedom), 3))
        strict = replace(effects, tail=tail)
        for one in range(4):
            for other in range(4):
                if effects.linked(one, other) and one != other:
                    alone = strict.difference(one, other)
                    assert_allclose([low[one, other], high[one, other]], np.log1p([alone.low, alone.high]), rtol=1e-6)
                    assert_allclose(gap[one, other], effects.log_mean[one] - effects.log_mean[other])
                elif one != other:
                    self.assertEqual((low[one, other], high[one, other]), (-np.inf, np.inf))

    def test_not_separated_is_so_both_ways(self):
        together = not_separated(fit(np.array([100.0, 101, 101.2, 102.2]), Layout.of([0, 0, 1, 1]), SURE))
        self.assertTrue((together == together.T).all())


class LeaderAgainstEach(SimpleTestCase):
    def test_of_four_equal_setups_a_false_winner_is_called_in_at_most_5_of_100_days(self):
        """The leader is chosen by the same pulls; to be ahead of all it must be ahead of each. 3000 drifting days."""
        layout, days = Layout.of([*np.repeat([0, 1, 2, 3], 3), 0, 0]), 3000
        logs = np.random.default_rng(8).normal(0, 0.0035, (14, days)) - 0.0035 * layout.place[:, None]
        found = fit(np.exp(logs), layout)
        best, clear = found.log_mean.argmax(axis=0), np.ones(days, dtype=bool)
        for leader in range(4):
            for other in range(4):
                if other != leader:
                    clear &= (best != leader) | found.difference(leader, other).apart()
        self.assertLess(float(clear.mean()), 0.05)

    def test_the_state_of_the_level_is_the_least_that_is_sure(self):
        """Differences by hand: B equal to A, C undecided."""

        def against(low: float, high: float) -> Difference:
            return Difference(*(np.array(value) for value in ((low + high) / 2, low, high, 0.3)))

        best = Placing(0, 100.0, None, None, True)
        equal = Placing(1, 99.9, None, against(-0.002, 0.001), True)
        undecided = Placing(2, 99.0, None, against(-0.03, 0.004), True)
        behind = Placing(3, 90.0, None, against(-0.12, -0.08), False)
        self.assertIs(state_of_level([best, equal, behind]), DifferenceState.EQUAL)
        self.assertIs(state_of_level([best, equal, undecided]), DifferenceState.UNDECIDED)
        self.assertIsNone(state_of_level([best, behind]))


class NowhereWorse(SimpleTestCase):
    def test_better_low_and_equal_high_is_nowhere_worse(self):
        a = np.full(8, 100.0)
        b = np.array([103.0] * 4 + [100.05] * 4)
        quiet = History(0.001, 20.0, NO_DRIFT)
        found = nowhere_worse(fit(np.stack([a, a * 1.0004, b, b * 1.0004]), Layout.of([0, 0, 1, 1]), quiet), 1)
        self.assertEqual(found, [0])

    def test_better_low_and_worse_high_is_not(self):
        a = np.full(8, 100.0)
        b = np.array([103.0] * 4 + [98.0] * 4)
        found = nowhere_worse(fit(np.stack([a, a * 1.0004, b, b * 1.0004]), Layout.of([0, 0, 1, 1]), SURE), 1)
        self.assertEqual(found, [])
