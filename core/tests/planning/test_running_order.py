"""Running orders against every order of small cases, and what a plan breaks, waits for or lets fall off."""

from itertools import pairwise, permutations

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from torvix_core.judging import design
from torvix_core.planning import changeover, day, running_order
from torvix_core.planning.changeover import DependencyCycle, Work
from torvix_core.planning.day import Doing
from torvix_core.planning.day_plan import NoRoom, OrderPlace, OrderProblem, Paid, Task, Visit

from ops.effort import LONG

NAMES = "ABCDEFGHIJ"


def change_of(count: int, seed: int) -> np.ndarray:
    """Change-over minutes of setups that differ in a few slots, as they come from a real matrix of parts."""
    dice = np.random.default_rng(seed)
    works = {"manifold": Work(7, 10), "spacer": Work(0.5, 1, ("carburetor",)), "carburetor": Work(1.5, 2.5)}
    setups = [
        {"manifold": f"m{dice.integers(3)}", "spacer": ["", "open"][dice.integers(2)], "carburetor": f"c{place % 3}"}
        for place in range(count)
    ]
    return changeover.matrix(setups, works)


def every_order(problem: OrderProblem):
    """All orders of one session that keep the rules, with what they take: laid out by hand, not by the planner."""
    others = [index for index in range(1, len(problem.tasks)) for _ in range(problem.tasks[index].visits)]
    last = [index for index in others if problem.tasks[index].place is OrderPlace.LAST]
    middle = [index for index in others if index not in last]
    for order in set(permutations(middle)):
        for cuts in range(2 ** max(len(middle) - 1, 0)):
            visits = [0]
            for place, setup in enumerate(order):
                visits.append(setup)
                if place < len(order) - 1 and cuts >> place & 1:
                    visits.append(0)
            visits += [0, *last]
            if any(one == other and one for one, other in pairwise(visits)):
                continue
            laid = day.schedule(problem, [Visit(setup) for setup in visits], NAMES)
            if not laid.broken:
                yield laid.total_min, visits


class AgainstEveryOrder(SimpleTestCase):
    def check(self, **more):
        # Of six there are a hundred times as many orders as of four.
        for count, seed in ((3, 1), (4, 2), (5, 3), (6, 4))[: 4 if LONG else 3]:
            tasks = [Task(0), *(Task(11.0) for _ in range(count - 1))]
            for index, task in more.get("tasks", {}).items():
                tasks[index] = task
            problem = OrderProblem(change_of(count, seed), tuple(tasks), opening_min=12, return_min=8, warm_up_min=20,
                              return_every=more.get("return_every", 2))  # fmt: skip
            with self.subTest(count=count, seed=seed):
                found = running_order.solve(problem)
                best = min(total for total, _ in every_order(problem))
                self.assertTrue(found.proven)
                self.assertEqual(found.dropped, ())
                self.assertAlmostEqual(found.total_min, best)
                laid = day.of_order(problem, found, NAMES)
                self.assertEqual(laid.broken, ())
                self.assertAlmostEqual(laid.total_min, best)

    def test_takes_no_longer_than_the_best_of_all_orders(self):
        self.check()

    def test_with_a_return_after_every_setup(self):
        self.check(return_every=1)

    def test_with_the_customers_setup_last(self):
        self.check(tasks={1: Task(11.0, place=OrderPlace.LAST)})

    def test_with_one_fixed_first_and_a_part_that_arrives_late(self):
        self.check(tasks={1: Task(11.0, available_min=95.0), 2: Task(11.0, place=OrderPlace.FIRST)})

    def test_with_a_setup_that_builds_on_another(self):
        self.check(tasks={1: Task(11.0, after=2)}, return_every=3)

    def test_with_a_setup_that_is_pulled_twice(self):
        self.check(tasks={1: Task(11.0, visits=2)}, return_every=3)

    def test_of_equally_short_orders_the_one_that_spreads_the_returns(self):
        """All changes alike: four setups with at most three in a row are best cut in the middle."""
        problem = OrderProblem(np.full((5, 5), 10.0) - 10 * np.eye(5), tuple(Task(11.0) for _ in range(5)),
                          opening_min=12, return_min=8, return_every=3)  # fmt: skip
        visits = [visit.setup for visit in running_order.solve(problem).visits]
        self.assertEqual([place for place, setup in enumerate(visits) if setup == 0], [0, 3, 6])


class Limits(SimpleTestCase):
    def problem(self, **more) -> OrderProblem:
        worth = {1: 3, 2: 1, 3: 2}
        base = {"change_min": np.full((4, 4), 10.0) - 10 * np.eye(4), "return_every": 3, "opening_min": 12,
                "tasks": (Task(0), *(Task(11.0, worth=worth[index], fuel=2.0) for index in worth)),
                "return_min": 8, "warm_up_min": 20, "fuel_warm_up": 3, "fuel_opening": 2, "fuel_return": 1}  # fmt: skip
        return OrderProblem(**{**base, **more})

    def test_what_does_not_fit_falls_off_the_least_informative_first(self):
        # All of it takes 20 + 12 + 3 * 21 + 18 = 113 minutes, without one setup 92, without two 71.
        for paid, dropped, total in ((113, (), 113), (112.9, (2,), 92), (91, (2, 3), 71), (70, (1, 2, 3), 32)):
            with self.subTest(paid=paid):
                found = running_order.solve(self.problem(sessions=(Paid(0, paid),)))
                self.assertEqual((found.dropped, found.total_min, found.proven), (dropped, total, True))

    def test_fuel_counts_like_time(self):
        for fuel, dropped in ((12, ()), (11.9, (2,)), (8, (2, 3))):
            with self.subTest(fuel=fuel):
                self.assertEqual(running_order.solve(self.problem(fuel=fuel)).dropped, dropped)

    def test_an_hour_more_brings_the_most_informative_back(self):
        short = running_order.solve(self.problem(sessions=(Paid(0, 75),))).dropped
        longer = running_order.solve(self.problem(sessions=(Paid(0, 135),))).dropped
        self.assertEqual((short, longer), ((2, 3), ()))

    def test_a_second_session_begins_warm_with_the_baseline_and_ends_with_it(self):
        problem = self.problem(sessions=(Paid(0, 75), Paid(1440, 95)))
        found = running_order.solve(problem)
        self.assertEqual(found.dropped, ())
        by_session = [[visit.setup for visit in found.visits if visit.session == session] for session in (0, 1)]
        for visits in by_session:
            self.assertEqual((visits[0], visits[-1]), (0, 0))
        self.assertEqual(sorted(len(visits) for visits in by_session), [3, 4])
        laid = day.of_order(problem, found, NAMES)
        self.assertEqual(laid.broken, ())
        self.assertEqual([block.start_min for block in laid.blocks if block.doing is Doing.WARM_UP], [0, 1440])

    def test_a_part_that_arrives_after_the_paid_time_falls_off(self):
        problem = self.problem(sessions=(Paid(0, 150),))
        late = Task(11.0, worth=3, available_min=200.0)
        found = running_order.solve(self.problem(sessions=problem.sessions, tasks=(Task(0), late, *problem.tasks[2:])))
        self.assertEqual(found.dropped, (1,))

    def test_not_even_the_baseline_fits(self):
        with self.assertRaisesMessage(NoRoom, "warm-up and the baseline take 32 minutes, 30 minutes are paid"):
            running_order.solve(self.problem(sessions=(Paid(0, 30),)))
        with self.assertRaisesMessage(NoRoom, "fuel does not reach"):
            running_order.solve(self.problem(fuel=4))

    def test_one_setup_alone(self):
        found = running_order.solve(OrderProblem(np.zeros((1, 1)), (Task(0),), opening_min=12))
        self.assertEqual(([visit.setup for visit in found.visits], found.total_min), ([0], 12))

    def test_all_equal(self):
        problem = OrderProblem(np.zeros((6, 6)), tuple(Task(11.0) for _ in range(6)), opening_min=12, return_min=8)
        found = running_order.solve(problem)
        self.assertEqual((found.total_min, found.proven), (12 + 5 * 11 + 2 * 8, True))

    def test_two_cannot_both_be_last(self):
        tasks = (Task(0), Task(1, place=OrderPlace.LAST), Task(1, place=OrderPlace.LAST))
        with self.assertRaisesMessage(ValueError, "only one setup can be last"):
            running_order.solve(OrderProblem(np.zeros((3, 3)), tasks))

    def test_thirty_setups_bring_an_order_with_its_bound(self):
        problem = OrderProblem(change_of(30, 5), tuple(Task(11.0) for _ in range(30)), opening_min=12, return_min=8)
        told: list[tuple[float, float]] = []

        def report(total: float, bound: float) -> bool:
            told.append((total, bound))
            return True

        found = running_order.solve(problem, 4.0, report)
        self.assertEqual(sorted({visit.setup for visit in found.visits}), list(range(30)))
        self.assertLessEqual(found.bound_min, found.total_min)
        self.assertEqual(day.of_order(problem, found, [str(place) for place in range(30)]).broken, ())
        self.assertTrue(told)

    def test_a_search_that_nobody_wants_any_more_stops(self):
        problem = OrderProblem(change_of(30, 5), tuple(Task(11.0) for _ in range(30)), opening_min=12, return_min=8)
        asked: list[float] = []

        def refuse(total: float, bound: float) -> bool:
            asked.append(total)
            return False

        running_order.solve(problem, 60.0, refuse)
        self.assertLess(len(asked), 20)


class ByHand(SimpleTestCase):
    """An order that somebody dragged together is laid out as it is, with what it breaks."""

    def setUp(self):
        change = np.full((3, 3), 10.0) - 10 * np.eye(3)
        self.problem = OrderProblem(change, (Task(0), Task(11, available_min=100), Task(11)), return_every=1,
                               opening_min=12, return_min=8, warm_up_min=20, sessions=(Paid(0, 120),))  # fmt: skip

    def broken(self, *setups: int) -> tuple[str, ...]:
        return day.schedule(self.problem, [Visit(setup) for setup in setups], "ABC").broken

    def test_rules_that_are_not_kept_are_told(self):
        self.assertIn("The day does not begin with the baseline, A.", self.broken(1, 0))
        self.assertIn("The day does not come back to A at its end: drift cannot be seen.", self.broken(0, 1))
        self.assertIn("2 setups stand between two visits to A; at most 1 should.", self.broken(0, 1, 2, 0))
        self.assertIn("C is visited 2 times, 1 are planned.", self.broken(0, 2, 0, 2, 0))
        self.assertIn("The day runs 19 minutes over the paid time.", self.broken(0, 1, 0))

    def test_a_part_is_waited_for(self):
        laid = day.schedule(self.problem, [Visit(0), Visit(1), Visit(0)], "ABC")
        self.assertEqual([(block.doing.value, block.start_min, block.end_min) for block in laid.blocks], [
            ("warm_up", 0, 20), ("visit", 20, 32), ("wait", 32, 100), ("change", 100, 110), ("visit", 110, 121),
            ("change", 121, 131), ("visit", 131, 139)])  # fmt: skip
        self.assertEqual((laid.waited_min, [block.unpaid for block in laid.blocks[-3:]]), (68, [True, True, True]))

    def test_a_visit_to_nowhere_is_refused(self):
        with self.assertRaisesMessage(ValueError, "visit 1 names what is not in the plan"):
            day.schedule(self.problem, [Visit(7)], "ABC")


class ChangeOver(SimpleTestCase):
    WORKS = {"carburetor": Work(1.5, 2.5), "spacer": Work(0.5, 1.0, ("carburetor",)),
             "intake_manifold": Work(7, 10), "cylinder_head": Work(70, 110, ("intake_manifold",))}  # fmt: skip
    BASE = {"carburetor": "650", "spacer": "", "intake_manifold": "dual", "cylinder_head": "iron"}

    def test_usual_times_are_those_of_common_practice(self):
        """Common practice, no source: an intake manifold about 17 minutes, a carburetor under 5, heads hours."""
        works = changeover.usual_works()
        total = {slot: work.remove_min + work.install_min for slot, work in works.items()}
        self.assertEqual(total["intake_manifold"], 17)
        self.assertLess(total["carburetor"], 5)
        self.assertGreater(total["cylinder_head"], 120)
        changeover.check_dependencies(works)

    def test_by_hand(self):
        for changed, expected in (
            ({}, 0.0),
            ({"carburetor": "750"}, 4.0),
            ({"spacer": "open"}, 1.0 + 4.0),  # the carburetor comes off and goes on again
            ({"intake_manifold": "single"}, 17.0),
            ({"cylinder_head": "aluminium"}, 180.0 + 17.0),
            ({"cylinder_head": "aluminium", "intake_manifold": "single"}, 180.0 + 17.0),  # lifted anyway
        ):
            with self.subTest(changed=changed):
                assert_allclose(changeover.minutes(self.BASE, {**self.BASE, **changed}, self.WORKS), expected)

    def test_taking_off_costs_only_the_taking_off(self):
        with_spacer = {**self.BASE, "spacer": "open"}
        self.assertEqual(changeover.minutes(with_spacer, self.BASE, self.WORKS), 0.5 + 4.0)

    def test_a_ring_of_slots_is_named(self):
        works = {"a": Work(1, 1, ("b",)), "b": Work(1, 1, ("c",)), "c": Work(1, 1, ("a",))}
        with self.assertRaises(DependencyCycle) as caught:
            changeover.matrix([{"a": "1"}, {"a": "2"}], works)
        self.assertEqual(caught.exception.path, ("a", "b", "c", "a"))
        self.assertEqual(str(caught.exception), "a under b under c under a: nothing could ever come off")

    def test_nine_runs_in_four_paid_hours(self):
        """Common practice, no source: at least nine runs, one manifold swap and two carburetor swaps in four hours."""
        setups = [self.BASE, {**self.BASE, "carburetor": "750"}, {**self.BASE, "intake_manifold": "single"}]
        problem = OrderProblem(changeover.matrix(setups, self.WORKS), (Task(0), Task(16), Task(16)), return_every=2,
                          opening_min=16, return_min=12, warm_up_min=20, sessions=(Paid(0, 240),))  # fmt: skip
        found = running_order.solve(problem)
        self.assertEqual(found.dropped, ())
        self.assertLess(found.total_min, 150)  # with 11 pulls of 4 minutes; the rest of the time goes into tuning


class WhatFallsOffFirst(SimpleTestCase):
    def test_a_setup_that_alone_answers_a_question_stays_longest(self):
        setups = [{"m": "a", "s": ""}, {"m": "b", "s": ""}, {"m": "c", "s": "open"}, {"m": "b", "s": "open"}]
        # Without B (1) or D (3) the spacer and the manifold are one package; C (2) brings one question of its own.
        order = design.drop_order(setups)
        self.assertEqual(order[0], 2)
        self.assertEqual(sorted(order), [1, 2, 3])

    def test_a_copy_goes_first(self):
        self.assertEqual(design.drop_order([{"m": "a"}, {"m": "b"}, {"m": "c"}, {"m": "b"}])[0], 3)

    def test_one_setup_and_none(self):
        self.assertEqual((design.drop_order([{"m": "a"}]), design.drop_order([])), ([], []))
