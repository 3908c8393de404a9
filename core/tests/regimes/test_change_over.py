"""Which part leads at which level: zones, crossings by the test turned round, and that nothing is said beyond."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
from django.test import SimpleTestCase
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.difference import DifferenceState
from torvix_core.judging.effects import History, fit
from torvix_core.regimes import change_over, level_curves
from torvix_core.regimes.grid import EMPTY, Grid
from torvix_core.regimes.level_curves import LevelCurves, LevelMap

LEVELS = np.array([0.5, 0.8, 1.1])  # bar
GRIDS = 200
DRIFT = 0.0012  # of a pull, standard deviation over the days


def grid_for(levels: int, parts: int = 2) -> Grid:
    cells = np.arange(parts * levels).reshape(parts, levels)
    return Grid("boost", ("cam",), tuple((str(one),) for one in range(parts)), tuple(map(str, range(levels))), cells)


def curves_of(gaps: list[float], scatter: float = 0.001, levels: np.ndarray = LEVELS) -> LevelCurves:
    """Two parts, the second ahead of the first by these shares at each level."""
    order = np.tile(np.arange(2 * len(levels)), 3)
    logs = np.log1p(levels)[order % len(levels)] + np.r_[np.zeros(len(levels)), gaps][order]
    logs += np.random.default_rng(3).normal(0, scatter, len(order))
    grid = grid_for(len(levels))
    effects = fit(np.exp(logs), Layout.of(order), History(scatter=scatter, weight=20.0, known=True))
    return level_curves.level_curves(effects, grid, np.tile(levels, 2))


class AlongTheLevel(SimpleTestCase):
    def test_two_levels_have_no_curve_between_them(self):
        curves = curves_of([-0.05, 0.05], levels=np.array([0.5, 1.1]))
        self.assertEqual(len(curves.at), 0)
        self.assertEqual((change_over.zones(curves), change_over.crossings(curves)), ((), ()))

    def test_levels_that_were_not_told_apart_make_no_curve(self):
        order = np.tile(np.arange(3), 3)
        effects = fit(np.exp(np.random.default_rng(1).normal(5, 0.001, 9)), Layout.of(order))
        grid = grid_for(3, parts=1)
        self.assertEqual(
            len(level_curves.level_curves(effects, grid, np.array([0.5, 0.51, 1.1]), least_step=0.05).at), 0
        )

    def test_nothing_beyond_the_levels_of_a_part(self):
        order = np.tile(np.arange(6), 3)
        effects = fit(np.exp(np.random.default_rng(1).normal(5, 0.001, 18)), Layout.of(order))
        reached = np.array([0.5, 0.8, 1.1, 0.6, 0.8, 1.3])
        at = np.linspace(0.4, 1.4, 11)
        curves = level_curves.level_curves(effects, grid_for(3), reached, at)
        self.assertEqual(at[curves.is_tested(0)].round(1).tolist(), [0.5, 0.6, 0.7, 0.8, 0.9, 1.0, 1.1])
        both = np.isfinite(curves.difference(0, 1).change)
        self.assertEqual(at[both].round(1).tolist(), [0.6, 0.7, 0.8, 0.9, 1.0, 1.1])

    def test_a_part_with_an_empty_cell_has_none(self):
        order = np.tile(np.arange(5), 3)
        effects = fit(np.exp(np.random.default_rng(1).normal(5, 0.001, 15)), Layout.of(order))
        grid = replace(grid_for(3), cells=np.array([[0, 1, 2], [3, 4, EMPTY]]))
        curves = level_curves.level_curves(effects, grid, np.array([0.5, 0.8, 1.1, 0.5, 0.8]))
        self.assertTrue(curves.is_tested(0).all())
        self.assertFalse(curves.is_tested(1).any())
        self.assertEqual(change_over.zones(curves), ())

    def test_at_a_tested_level_the_curve_is_the_setup_itself(self):
        curves = curves_of([-0.02, 0.0, 0.03])
        at = level_curves.level_curves(curves.effects, curves.grid, curves.reached, LEVELS)
        found = at.difference(1, 0)
        for level in range(3):
            own = curves.effects.difference(3 + level, level)
            self.assertAlmostEqual(float(found.change[level]), float(own.change), places=9)
            self.assertAlmostEqual(float(found.low[level]), float(own.low), places=6)

    def test_a_parabola_through_three_levels_is_met(self):
        def true(level: np.ndarray) -> np.ndarray:
            return 5 + 0.6 * level - 0.2 * level**2

        effects = fit(np.exp(np.tile(true(LEVELS), 2)), Layout.of(np.tile(np.arange(3), 2)))
        at = np.linspace(0.5, 1.1, 13)
        found = level_curves.level_curves(effects, grid_for(3, parts=1), LEVELS, at)
        np.testing.assert_allclose(found.log_mean(0), true(at), atol=1e-9)

    def test_days_that_nothing_links_are_not_held_against_each_other(self):
        order = np.r_[np.tile([0, 1, 2], 3), np.tile([3, 4, 5], 3)]
        layout = Layout.of(order, np.repeat([0, 1], 9))
        effects = fit(np.exp(np.random.default_rng(1).normal(5, 0.001, 18)), layout)
        curves = level_curves.level_curves(effects, grid_for(3), np.tile(LEVELS, 2))
        self.assertTrue(np.isnan(curves.difference(0, 1).change).all())
        self.assertEqual(change_over.crossings(curves), ())


class Zones(SimpleTestCase):
    def test_who_leads_where_with_the_overlap_between(self):
        found = change_over.zones(curves_of([-0.03, 0.0, 0.03]))
        self.assertEqual([zone.leaders for zone in found if zone.state is DifferenceState.AHEAD], [(0,), (1,)])
        self.assertEqual(set(found[1].leaders), {0, 1})
        self.assertAlmostEqual(found[0].low, 0.5)
        self.assertAlmostEqual(found[-1].high, 1.1)
        for one, other in pairwise(found):
            self.assertAlmostEqual(one.high, other.low)

    def test_equal_parts_are_one_zone(self):
        (zone,) = change_over.zones(curves_of([0.0, 0.0, 0.0], scatter=0.0003))
        self.assertEqual(set(zone.leaders), {0, 1})
        self.assertIs(zone.state, DifferenceState.EQUAL)


class Crossings(SimpleTestCase):
    def test_one_crossing_with_its_bounds(self):
        (found,) = change_over.crossings(curves_of([-0.03, 0.0, 0.03]))
        self.assertEqual((found.before, found.after), (0, 1))
        self.assertTrue(found.is_located)
        self.assertLess(found.low, 0.8)
        self.assertGreater(found.high, 0.8)
        self.assertAlmostEqual(found.at, 0.8, delta=0.02)

    def test_bounds_are_those_at_which_the_difference_is_just_told(self):
        curves = curves_of([-0.03, 0.0, 0.03], scatter=0.003)
        (found,) = change_over.crossings(curves)
        for bound in (found.low, found.high):
            there = level_curves.level_curves(curves.effects, curves.grid, curves.reached, np.array([bound]))
            gap = there.difference(1, 0)
            self.assertAlmostEqual(min(abs(float(gap.low[0])), abs(float(gap.high[0]))), 0.0, delta=2e-4)

    def test_open_at_one_end(self):
        (found,) = change_over.crossings(curves_of([-0.03, -0.015, 0.001], scatter=0.002))
        self.assertFalse(found.is_located)
        self.assertIsNone(found.high)
        self.assertGreater(found.low, 0.8)

    def test_there_and_back(self):
        levels = np.array([0.4, 0.7, 1.0, 1.3])
        found = change_over.crossings(curves_of([-0.03, 0.03, 0.03, -0.03], levels=levels))
        self.assertEqual([(one.before, one.after) for one in found], [(0, 1), (1, 0)])
        self.assertLess(found[0].at, found[1].at)

    def test_further_levels_at_which_the_two_are_not_told_apart(self):
        levels = np.array([0.3, 0.5, 0.7, 0.9, 1.1, 1.3])
        (found,) = change_over.crossings(
            curves_of([-0.03, 0.0, -0.02, -0.02, 0.01, 0.04], scatter=0.002, levels=levels)
        )
        self.assertTrue(any(low < 0.5 < high for low, high in found.elsewhere), found)

    def test_equal_parts_have_none(self):
        self.assertEqual(change_over.crossings(curves_of([0.0, 0.0, 0.0], scatter=0.0005)), ())


class BroughtToItsCell(SimpleTestCase):
    def test_a_miss_is_taken_out_along_the_parts_own_curve(self):
        grid, order = grid_for(3, parts=1), np.tile(np.arange(3), 4)
        level = LEVELS[order] + np.random.default_rng(2).uniform(-0.08, 0.08, 12)
        moved = np.log(level_curves.at_cell_level(np.exp(5 + 0.5 * level), Layout.of(order), level, grid))
        for setup in range(3):
            self.assertLess(float(np.ptp(moved[order == setup])), 1e-9)

    def test_one_level_leaves_the_pulls_as_they_are(self):
        grid = Grid("boost", ("cam",), (("m",), ("w",)), ("1",), np.array([[0], [1]]))
        scores = np.array([100.0, 103, 104, 105])
        found = level_curves.at_cell_level(scores, Layout.of([0, 0, 1, 1]), np.array([1.0, 1.1, 1, 1.1]), grid)
        np.testing.assert_allclose(found, scores)


class HiddenTruth(SimpleTestCase):
    """200 boosted grids drawn afresh: two or three pulls a cell, boost missed by up to 0.1 bar, drift, scatter 0.36 %.

    Power follows the pressure in the manifold; a part is worth a share that changes with boost, not quite straight.
    """

    def test_crossings_cover_the_truth_and_equal_parts_have_none(self):
        rng = np.random.default_rng(11)
        located = covered = equal_days = false = backwards = 0
        for day in range(GRIDS):
            levels = LEVELS if day % 2 else np.array([0.4, 0.7, 1.0, 1.3])
            equal, at = day % 4 == 3, rng.uniform(levels[0] + 0.1, levels[-1] - 0.1)
            slope, bend = (0.0, 0.0) if equal else (rng.uniform(0.05, 0.14), rng.uniform(-0.02, 0.02))
            grid, cells = grid_for(len(levels)), 2 * len(levels)
            order = np.r_[np.repeat(np.arange(cells), rng.integers(2, 4, cells)), 0, 0]
            level = levels[order % len(levels)] + np.clip(rng.normal(0, 0.05, len(order)), -0.1, 0.1)
            gain = slope * (level - at) + bend * (level - at) ** 2
            logs = np.log1p(level) + gain * (order >= len(levels))
            logs += rng.normal(0, DRIFT) * np.arange(len(order)) + rng.normal(0, 0.0036, len(order))
            layout, pressure = Layout.of(order), np.log1p(level)
            effects = fit(level_curves.at_cell_level(np.exp(logs), layout, pressure, grid), layout)
            curves = level_curves.level_curves(effects, grid, level_curves.mean_levels(layout, pressure))
            found = [one for one in change_over.crossings(curves) if one.is_located]
            equal_days += equal
            false += bool(equal and found)
            for one in found if not equal else ():
                located += 1
                covered += one.low <= np.log1p(at) <= one.high
                backwards += one.before != 0
        self.assertGreater(located, 100)
        self.assertGreaterEqual(covered / located, 0.90)
        self.assertLessEqual(covered / located, 0.98)
        self.assertLessEqual(backwards, 1)
        self.assertLessEqual(false, 1, f"of {equal_days} equal pairs")


class MapOfManyScores(SimpleTestCase):
    def test_each_bin_is_as_if_it_were_alone(self):
        order = np.tile(np.arange(6), 3)
        gaps = np.array([[-0.03, 0.0, 0.03], [0.02, 0.02, 0.02]]).T  # (levels, bins) of the second part
        logs = np.log1p(LEVELS)[order % 3][:, None] + np.vstack([np.zeros((3, 2)), gaps])[order]
        logs += np.random.default_rng(8).normal(0, 0.002, logs.shape)
        effects = fit(np.exp(logs), Layout.of(order))
        plain = level_curves.level_curves(effects.column(0), grid_for(3), np.tile(LEVELS, 2))
        together = change_over.leading_parts(LevelMap(plain, effects))
        for at in range(2):
            alone = change_over.leading_parts(replace(plain, effects=effects.column(at)))
            for one, other in zip(together[:3], alone[:3], strict=True):
                np.testing.assert_array_equal(one.reshape(*one.shape[:-1], -1, 2)[..., at], other)
            np.testing.assert_allclose(together[3].reshape(-1, 2)[:, at], alone[3], rtol=1e-6)
