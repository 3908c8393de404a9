"""Promises that hold for any plan: changes, orders and days, on random cases."""

import math

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from torvix_core.judging import design
from torvix_core.planning import changeover, day, running_order
from torvix_core.planning.changeover import Work
from torvix_core.planning.day import Doing
from torvix_core.planning.day_plan import NoRoom, OrderProblem, Paid, Task

from ops.effort import effort

SLOTS = ("manifold", "spacer", "carburetor", "header")
LEVELS = st.sampled_from(["", "one", "two"])
SETUPS = st.lists(st.fixed_dictionaries(dict.fromkeys(SLOTS, LEVELS)), min_size=2, max_size=6)
MINUTES = st.integers(0, 40)
# Only what stands later in the list can lie above, so that no ring comes about.
WORKS = st.tuples(*(st.tuples(MINUTES, MINUTES, st.booleans()) for _ in SLOTS)).map(lambda rows: {
    slot: Work(remove, install, SLOTS[place + 1 : place + 2] if covered else ())
    for place, (slot, (remove, install, covered)) in enumerate(zip(SLOTS, rows, strict=True))
})  # fmt: skip


class ChangeOvers(SimpleTestCase):
    @settings(max_examples=effort(80), deadline=None)
    @given(SETUPS, WORKS)
    def test_no_change_costs_nothing_and_a_way_round_is_never_shorter(self, setups, works):
        """With a stop between, every row is touched at least as often as without one."""
        table = changeover.matrix(setups, works)
        self.assertTrue((np.diag(table) == 0).all())
        self.assertTrue((table >= 0).all())
        for middle in range(len(setups)):
            self.assertTrue((table <= table[:, [middle]] + table[[middle], :] + 1e-9).all())


class AnyPlan(SimpleTestCase):
    @settings(max_examples=effort(25), deadline=None)
    @given(SETUPS, WORKS, st.integers(1, 4), st.one_of(st.none(), st.integers(20, 400)), st.integers(0, 2**31))
    def test_an_order_keeps_every_rule_and_the_day_adds_up(self, setups, works, every, paid, seed):
        dice = np.random.default_rng(seed)
        worth = design.drop_order(setups)
        tasks = [Task(0.0)]
        tasks += [
            Task(float(dice.integers(4, 20)), worth=worth.index(index), available_min=float(dice.choice([0, 0, 60])))
            for index in range(1, len(setups))
        ]
        problem = OrderProblem(
            changeover.matrix(setups, works), tuple(tasks), return_every=every, opening_min=10, return_min=8,
            warm_up_min=15, sessions=(Paid(0, math.inf if paid is None else float(paid)),),
        )  # fmt: skip
        try:
            found = running_order.solve(problem, 6.0)
        except NoRoom:
            self.assertLess(paid, 25)
            return
        names = [str(index) for index in range(len(setups))]
        visited = {visit.setup for visit in found.visits}
        self.assertEqual(visited | set(found.dropped), set(range(len(setups))))
        self.assertFalse(visited & set(found.dropped))
        laid = day.of_order(problem, found, names)
        kept = [line for line in laid.broken if "times" not in line]  # what fell off is visited no times
        self.assertEqual(kept, [])
        self.assertAlmostEqual(laid.total_min, found.total_min, places=3)
        for before, after in zip(laid.blocks, laid.blocks[1:], strict=False):
            self.assertAlmostEqual(before.end_min, after.start_min, places=6)
        for block in laid.blocks:
            if block.doing is Doing.VISIT and block.setup:
                self.assertGreaterEqual(block.start_min, tasks[block.setup].available_min - 1e-9)


class WhatIsTold(SimpleTestCase):
    @settings(max_examples=effort(60), deadline=None)
    @given(SETUPS)
    def test_one_more_setup_never_answers_less(self, setups):
        answered = {
            found.question for found in design.answers(setups[:-1]) if found.standing in ("direct", "adding_up")
        }
        with_more = {found.question: found.standing for found in design.answers(setups)}
        for question in answered:
            self.assertIn(with_more[question], ("direct", "adding_up"))

    @settings(max_examples=effort(40), deadline=None)
    @given(SETUPS)
    def test_the_setup_that_would_help_answers_what_it_says(self, setups):
        added = design.best_addition(setups)
        if added is None:
            return
        for question in added.answers:
            self.assertIn(design.answer([*setups, added.setup], question).standing, ("direct", "adding_up"))
