"""Hidden restrictions in the simulated engine: the hint names the true place, and never against a swap."""

from unittest import TestCase

import numpy as np
from torvix_core.engine.breathing import head_flow_power
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.effects import fit
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

from standin.engine import EIGHT
from standin.stand import Stand

SPEEDS = [float(rpm) for rpm in range(4600, 6100, 100)]
SIZES = {Site.INTAKE: "carburetor.carburetor_rating", Site.HEAD: "cylinder_head.intake_flow",
         Site.EXHAUST: "header.primary_diameter"}  # fmt: skip
PULLEYS = (0.090, 0.085)
GRIDS = 200
PLACES = [Site.INTAKE, Site.MANIFOLD, Site.HEAD, Site.EXHAUST]
LARGER = 1.4


class HiddenRestrictions(TestCase):
    def bolted(self, sizes: dict[Site, float], pulley: float) -> tuple[float, Stand]:
        """Mean torque at the top on the blower, and the stand; sizes over the engine's own."""
        stand = Stand(engine=EIGHT)
        parts = [{"slot": SIZES[place].split(".")[0], "name": "Heads as cast",
                  "values": {SIZES[place].split(".")[1]: EIGHT.own[SIZES[place]] * size}}
                 for place, size in sizes.items()]  # fmt: skip
        parts.append({"slot": "pulley", "name": "Heads as cast",
                      "values": {"crank_pulley": 0.162, "blower_pulley": pulley}})  # fmt: skip
        stand.command("fit", {"label": "x", "parts": parts, "settings": {}})
        return float(np.mean(stand.truth(SPEEDS))), stand

    def test_the_true_place_comes_first_and_no_swap_is_contradicted(self):
        """200 engines drawn afresh, each a grid of a part swapped at two places by two pulleys, two pulls a cell."""
        rng = np.random.default_rng(17)
        right = contradicted = wrong = 0
        for _ in range(GRIDS):
            sizes = {
                Site.INTAKE: rng.uniform(1.1, 1.4),
                Site.HEAD: rng.uniform(1.2, 1.5),
                Site.EXHAUST: 1.0,
            }
            narrow = (Site.INTAKE, Site.HEAD)[int(rng.integers(2))]
            sizes[narrow] = rng.uniform(0.5, 0.65)
            gains = {place: self.bolted({**sizes, place: sizes[place] * LARGER}, PULLEYS[0])[0] for place in SIZES}
            true = max(gains, key=lambda place: gains[place])
            swapped = [list(SIZES)[number] for number in rng.permutation(len(SIZES))[:2]]
            rows = [sizes, *({**sizes, place: sizes[place] * LARGER} for place in swapped)]
            cells = [self.bolted(row, pulley) for row in rows for pulley in PULLEYS]
            order = np.r_[np.repeat(np.arange(len(cells)), 2), 0, 0]
            pulls = np.array([torque for torque, _ in cells])[order] * np.exp(
                rng.normal(0, 0.0036, len(order)) + rng.normal(0, 0.001) * np.arange(len(order))
            )
            effects, clues = fit(pulls, Layout.of(order)), []
            for row, place in enumerate(swapped, 1):
                shares = np.zeros(len(cells))
                shares[[2 * row, 2 * row + 1]], shares[[0, 1]] = 0.5, -0.5
                gain, low, high = (float(np.expm1(each)) for each in effects.contrast(shares))
                clues.append(Clue(place, ClueKind.SWAP, gain, low, high))
            torque, stand = cells[0]
            depression = 1000 * stand.fitted.depression(stand._swallowed(SPEEDS[-1], 1.2)[1])
            clues.append(rough_clue(Site.INTAKE, ClueKind.CHANNEL, depression_gain(depression, 101_325.0)))
            power = torque * float(np.mean(SPEEDS)) * np.pi / 30
            ceiling = float(head_flow_power(sizes[Site.HEAD] * EIGHT.own["cylinder_head.intake_flow"], 8))
            clues.append(rough_clue(Site.HEAD, ClueKind.PAPER, ceiling_gain(power, ceiling)))
            weighed = weigh(clues, PLACES)
            named = hint(weighed).place
            right += weighed[0].place is true
            wrong += named not in (None, true)
            contradicted += any(
                clue.place is named and clue.kind is ClueKind.SWAP and clue.side() is ClueSide.AGAINST for clue in clues
            )
        self.assertGreaterEqual(right / GRIDS, 0.80)
        self.assertLessEqual(wrong / GRIDS, 0.05)
        self.assertEqual(contradicted, 0)
