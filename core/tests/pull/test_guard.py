"""Who watches a pull: blocks of any size, and channels that protect nothing."""

from dataclasses import replace
from typing import Any

import numpy as np
from django.test import SimpleTestCase
from torvix_core.pull.guard import STILL_RPM, UNSEEN_S, Cause, Guard
from torvix_core.pull.limits import USUAL, Limit, in_force

BY_KEY = {limit.key: limit for limit in USUAL}


class Blocks(SimpleTestCase):
    """A block of samples must trip where the same samples one by one would."""

    def by_block(self, guard: Guard, block: dict[str, np.ndarray], size: int) -> int | None:
        count = len(block["rpm"])
        for start in range(0, count, size):
            part = {name: values[start : start + size] for name, values in block.items()}
            if (trip := guard.watch(part)) is not None:
                return int(np.flatnonzero(block["coolant_temperature"] == trip.value)[0])
        return None

    def test_any_cut_of_the_samples_trips_at_the_same_one(self):
        rng = np.random.default_rng(8)
        coolant = rng.normal(381.0, 2.0, 400)
        coolant[rng.random(400) < 0.1] = np.nan
        block = {"rpm": np.full(400, 4000.0), "coolant_temperature": coolant}
        places = {size: self.by_block(Guard([BY_KEY["coolant"]]), block, size) for size in (1, 2, 3, 7, 40, 400)}
        self.assertEqual(len(set(places.values())), 1, places)
        self.assertIsNotNone(places[1])

    def test_the_first_of_two_limits_in_a_block_is_told(self):
        block = {"rpm": np.full(20, 4000.0), "coolant_temperature": np.where(np.arange(20) >= 10, 400.0, 355.0),
                 "oil_temperature": np.where(np.arange(20) >= 5, 420.0, 360.0)}  # fmt: skip
        self.assertEqual(Guard(USUAL).watch(block).limit.key, "oil")

    def test_a_column_that_is_shorter_than_the_rest_is_judged_all_the_same(self):
        """Whatever a stand sends, the guard goes on: one column of a block may lack its first samples."""
        block = {"rpm": np.full(3, 4000.0), "throttle": np.ones(2), "oil_temperature": np.full(3, 360.0)}
        guard = Guard([BY_KEY["coolant"], BY_KEY["oil"]])
        for _ in range(2):
            self.assertIsNone(guard.watch({**block, "coolant_temperature": [400.0]}))
        trip = guard.watch({**block, "coolant_temperature": [400.0]})
        self.assertEqual((trip.limit.key, trip.value, trip.speed_rpm), ("coolant", 400.0, 4000.0))
        self.assertEqual(
            Guard([BY_KEY["oil"]]).watch({"rpm": [4000.0], "oil_temperature": np.full(3, 420.0)}).value, 420
        )

    def test_an_empty_block_and_an_unknown_channel_trip_nothing(self):
        self.assertIsNone(Guard(USUAL).watch({}))
        self.assertIsNone(Guard(USUAL).watch({"odd": np.array([9e9])}))


RATE = 50.0
SECONDS = np.arange(0, 12, 1 / RATE)
DICE = np.random.default_rng(4)


def sweep(**channels: np.ndarray | float) -> dict[str, np.ndarray]:
    """A sweep of 350 rpm/s in which all is well, but for what is given."""
    count = len(SECONDS)
    fine = {"rpm": 2500 + 350 * SECONDS + DICE.normal(0, 1.5, count), "throttle": np.ones(count),
            "oil_pressure": 600_000 + DICE.normal(0, 2000, count), "lambda": 0.87 + DICE.normal(0, 0.003, count),
            "coolant_temperature": np.full(count, 355.0), "oil_temperature": np.full(count, 365.0),
            "exhaust_temperature": 1000 + np.round(10 * SECONDS), "knock": np.zeros(count)}  # fmt: skip
    return {name: np.broadcast_to(values, count) for name, values in (fine | channels).items()}


def found(block: dict[str, np.ndarray], size: int = 5, **changes: object) -> tuple[Guard, Any, int]:
    """The guard, its trip, and how many samples it had seen by then."""
    limits: list[Limit] = [replace(limit, **changes) for limit in in_force(USUAL, redline=7200.0)]  # type: ignore[arg-type]
    guard = Guard(limits, RATE)
    for start in range(0, len(SECONDS), size):
        part = {name: values[start : start + size] for name, values in block.items()}
        if trip := guard.watch(part):
            return guard, trip, start + size
    return guard, None, len(SECONDS)


class NotSeen(SimpleTestCase):
    """From the third second on a channel protects nothing."""

    def from_the_third_second(self, channel: str, value: float) -> dict[str, np.ndarray]:
        return sweep(**{channel: np.where(SECONDS < 3, sweep()[channel], value)})

    def test_a_sweep_in_which_all_is_well_trips_nothing(self):
        """Temperatures and the knock flag stand still for a whole sweep, and that is how it should be."""
        self.assertEqual(found(sweep())[1], None)

    def test_each_channel_that_dies_or_says_the_impossible_stops_the_pull_within_half_a_second(self):
        for limit in in_force(USUAL, redline=7200.0):
            for value, cause in ((np.nan, Cause.SILENT), (-1e4 if limit.channel != "rpm" else -50.0, Cause.IMPOSSIBLE)):
                if limit.key == "oil_pressure" and cause is Cause.IMPOSSIBLE:
                    continue  # it is crossed at once
                with self.subTest(key=limit.key, cause=cause):
                    _, trip, seen = found(self.from_the_third_second(limit.channel, value))
                    self.assertEqual((trip.limit.key, trip.cause), (limit.key, cause))
                    self.assertLessEqual(seen / RATE, 3 + UNSEEN_S + 0.1)

    def test_one_that_is_stuck_is_found_out_while_the_engine_speeds_up(self):
        for key, value in (("oil_pressure", 600_000.0), ("lean", 0.871)):
            with self.subTest(key=key):
                _, trip, seen = found(self.from_the_third_second(BY_KEY[key].channel, value))
                self.assertEqual((trip.limit.key, trip.cause, trip.value), (key, Cause.STILL, value))
                self.assertLessEqual(seen / RATE, 3 + STILL_RPM / 350 + 0.2)

    def test_a_speed_that_stands_still_is_broken_in_a_sweep_and_as_asked_in_a_step(self):
        stuck = self.from_the_third_second("rpm", 3550.0)
        self.assertEqual(found(stuck)[1].cause, Cause.STILL)
        held = Guard(in_force([BY_KEY["over_speed"]], redline=7200.0), RATE, climbing=False)
        self.assertIsNone(held.watch(stuck))

    def test_without_load_nothing_has_to_move(self):
        self.assertIsNone(found(sweep(**{"throttle": 0.1, "lambda": 0.99, "oil_pressure": np.nan}))[1])

    def test_one_that_only_tells_is_told_once_and_the_others_go_on_watching(self):
        block = self.from_the_third_second("lambda", np.nan)
        guard, trip, _ = found(block, stops_unseen=False)
        self.assertIsNone(trip)
        self.assertEqual([(trip.limit.key, trip.cause) for trip in guard.warned], [("lean", Cause.SILENT)])
        hot = {**block, "coolant_temperature": np.where(SECONDS < 6, 355.0, 390.0)}
        _, trip, _ = found(hot, stops_unseen=False)
        self.assertEqual((trip.limit.key, trip.cause), ("coolant", Cause.CROSSED))

    def test_any_cut_of_the_samples_finds_the_same(self):
        for channel, value in (("lambda", np.nan), ("lambda", 0.871), ("coolant_temperature", 100.0), ("rpm", 3550.0)):
            block = self.from_the_third_second(channel, value)
            trips = [found(block, size)[1] for size in (1, 2, 3, 7, 40, 600)]
            with self.subTest(channel=channel, value=value):
                self.assertEqual(len({(trip.limit.key, trip.cause, trip.speed_rpm) for trip in trips}), 1)

    def test_at_any_rate_it_is_time_that_counts(self):
        """A channel that is silent for a tenth of a second is no matter at 1000 samples a second."""
        block = {"rpm": np.linspace(3000, 3035, 100), "throttle": np.ones(100), "lambda": np.full(100, np.nan)}
        self.assertIsNone(Guard([BY_KEY["lean"]], 1000.0).watch(block))
        self.assertIsNotNone(Guard([BY_KEY["lean"]], 100.0).watch(block))
