"""Grids of setups: known as such, and what a part is worth at each level and over all of them."""

from itertools import product

import numpy as np
from django.test import SimpleTestCase
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.effects import fit
from torvix_core.regimes.grid import EMPTY, Grid, grid_of, part_effects

BOOST = ["0.5 bar", "0.8 bar", "1.1 bar"]


def crossed(cams: str, boosts: list[str], **same: str) -> list[dict[str, str]]:
    return [{"camshaft": cam, "boost": boost, **same} for cam, boost in product(cams, boosts)]


class KnownAsAGrid(SimpleTestCase):
    def test_every_cell_holds_its_setup(self):
        found = grid_of(crossed("mw", BOOST, header="log"), {"spark": [], "boost": BOOST})
        assert found is not None
        self.assertEqual(found.part_slots, ("camshaft",))
        self.assertEqual(found.levels, tuple(BOOST))
        self.assertEqual(found.cells.tolist(), [[0, 1, 2], [3, 4, 5]])

    def test_levels_rise_whichever_came_first(self):
        found = grid_of(crossed("mw", BOOST[::-1]), {"boost": BOOST})
        assert found is not None
        self.assertEqual(found.levels, tuple(BOOST))
        self.assertEqual(found.cells[0].tolist(), [2, 1, 0])

    def test_an_empty_cell_is_shown(self):
        found = grid_of(crossed("mw", BOOST)[:-1], {"boost": BOOST})
        assert found is not None
        self.assertEqual(found.empty(), [(1, 2)])
        self.assertEqual((found.row_of(3), found.row_of(9)), (1, None))

    def test_parts_that_vary_together_are_one_row(self):
        setups = [{**one, "header": "long" if one["camshaft"] == "w" else "log"} for one in crossed("mw", BOOST)]
        found = grid_of(setups, {"boost": BOOST})
        assert found is not None
        self.assertEqual(found.parts, (("m", "log"), ("w", "long")))

    def test_no_grid(self):
        ladder = [{"cam": "m", "boost": "1"}, {"cam": "w", "boost": "1"}, {"cam": "w", "boost": "2"}]
        self.assertIsNone(grid_of(ladder, {"boost": ["1", "2"]}), "a ladder")
        self.assertIsNone(grid_of([{"cam": "m"}, {"cam": "w"}], {"boost": []}), "no level")
        self.assertIsNone(grid_of([{"boost": "1"}, {"boost": "2"}], {"boost": ["1", "2"]}), "no part")
        twice = [*crossed("mw", BOOST), {"camshaft": "m", "boost": "0.5 bar"}]
        self.assertIsNone(grid_of(twice, {"boost": BOOST}), "two setups in one cell")
        self.assertIsNone(grid_of([], {"boost": BOOST}), "nothing")


class WorthOfAPart(SimpleTestCase):
    grid = Grid("boost", ("cam",), (("m",), ("w",)), ("1", "2"), np.array([[0, 1], [2, 3]]))

    def found(self, gains: tuple[float, float], grid: Grid | None = None):
        rng, order = np.random.default_rng(4), np.tile([0, 1, 2, 3], 3)
        logs = np.log([200.0, 300, 200 * (1 + gains[0]), 300 * (1 + gains[1])])[order] + rng.normal(0, 0.001, 12)
        return part_effects(fit(np.exp(logs), Layout.of(order)), grid or self.grid)

    def test_the_mean_over_the_levels_and_each_of_them(self):
        (effect,) = self.found((0.02, 0.04))
        self.assertAlmostEqual(effect.change, 0.03, delta=0.002)
        self.assertLess(effect.low, 0.03)
        self.assertGreater(effect.high, 0.03)
        for (level, difference), gain in zip(effect.at_levels, (0.02, 0.04), strict=True):
            self.assertAlmostEqual(float(difference.change), gain, delta=0.003, msg=str(level))

    def test_a_gain_that_depends_on_the_level_interacts(self):
        self.assertTrue(self.found((-0.03, 0.05))[0].interacts)
        self.assertFalse(self.found((0.03, 0.03))[0].interacts)

    def test_only_levels_that_both_have(self):
        one = Grid("boost", ("cam",), (("m",), ("w",)), ("1", "2"), np.array([[0, 1], [2, EMPTY]]))
        order = np.tile([0, 1, 2], 3)
        logs = np.log([200.0, 300, 204])[order] + np.random.default_rng(1).normal(0, 0.001, 9)
        (effect,) = part_effects(fit(np.exp(logs), Layout.of(order)), one)
        self.assertEqual([level for level, _ in effect.at_levels], [0])
        self.assertFalse(effect.interacts)

    def test_days_that_nothing_links_are_not_compared(self):
        layout = Layout.of([0, 1, 0, 1, 2, 3, 2, 3], [0, 0, 0, 0, 1, 1, 1, 1])
        self.assertEqual(part_effects(fit(np.array([200.0, 300, 201, 301, 204, 306, 205, 307]), layout), self.grid), ())
