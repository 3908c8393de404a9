"""How long a running order takes to prove, and simulated days against drawing their dice."""

from __future__ import annotations

import time

import numpy as np
from torvix_core.planning import changeover, running_order, simulated_days
from torvix_core.planning.day_plan import OrderProblem, Paid, Task
from torvix_core.planning.simulated_days import Habits

from perf.ratio import measure
from perf.report import TINY, size, tell

DAYS, SETUPS = size(1000, 100), size(12, 4)
SLOTS = {"intake_manifold": 4, "carburetor": 3, "spacer": 2, "header": 2, "cylinder_head": 2}


def setups(count: int, seed: int) -> list[dict[str, str]]:
    """So many different setups of a few slots, as a busy shop would plan them."""
    dice, found = np.random.default_rng(seed), list[dict[str, str]]()
    while len(found) < count:
        drawn = {slot: f"{slot} {dice.integers(kinds)}" for slot, kinds in SLOTS.items()}
        if drawn not in found:
            found.append(drawn)
    return found


def orders() -> None:
    """Seconds until an order is proven the shortest, over several plans; with the longest, as people wait for that."""
    for count in (4,) if TINY else (6, 10, 12):
        taken, proven = [], 0
        for seed in range(size(6, 1)):
            change = changeover.matrix(setups(count, seed), changeover.usual_works())
            tasks = tuple(Task(16.0, worth=index) for index in range(count))
            problem = OrderProblem(change, tasks, opening_min=16, return_min=12, warm_up_min=20, sessions=(Paid(),))
            started = time.perf_counter()
            proven += running_order.solve(problem).proven
            taken.append(time.perf_counter() - started)
        told = f"median {np.median(taken):.2f} s, longest {max(taken):.2f} s, {proven} of {len(taken)} proven"
        tell(f"running order of {count} setups until it is proven the shortest", told, "a few seconds for 12")


def days() -> None:
    visits = [(0, 0, 3), *((setup, 0, 3) for setup in range(1, SETUPS)), (0, 0, 2)]
    layout = simulated_days.lay_out(visits, 240.0, 1)
    worth, pulls = np.linspace(0, 0.02, SETUPS), len(layout.setup)

    def ours() -> object:
        dice = np.random.default_rng(1)
        return simulated_days.judge(layout, simulated_days.scores(layout, worth, Habits(), DAYS, dice))

    def dice_alone() -> object:
        return np.random.default_rng(1).normal(size=(pulls, DAYS))

    tell(measure(f"{DAYS} simulated days of {SETUPS} setups / drawing their dice", ours, dice_alone, "under 10 s"))
