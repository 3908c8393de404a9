"""One stream of what comes at its own time: nothing is made up, and clocks that jump do not bend it."""

import math
import unittest
from itertools import pairwise

from adapters import stand_map
from adapters.stream import SourceClock, Stream

MAP = stand_map.checked({
    "stand": "Cell 2", "rate_hz": 100,
    "sources": [{"kind": "modbus", "name": "brake", "host": "192.0.2.10"}],
    "channels": [
        {"name": "rpm", "unit": "rpm", "register": 1},
        {"name": "torque", "unit": "N·m", "register": 2, "scale": 0.1, "offset": -5, "missing": [65_535]},
        {"name": "oil_temperature", "unit": "°C", "register": 3, "rate_hz": 2},
    ],
    "weather": [{"name": "barometer", "unit": "kPa", "register": 4, "scale": 0.01}],
})  # fmt: skip


class Streams(unittest.TestCase):
    def setUp(self):
        self.now = 0.0
        self.sent: list[tuple[float, list[float | None]]] = []
        self.stream = Stream(MAP, lambda: self.now, lambda at, row: self.sent.append((at, row)))

    def take(self, at: float, **readings: float) -> None:
        self.now = at
        places = {"rpm": 0, "torque": 1, "oil": 2, "air": 3}
        self.stream.take({places[name]: value for name, value in readings.items()})

    def test_a_sample_is_made_by_the_speed_and_holds_what_came_since(self):
        self.take(1.0, torque=3050)
        self.take(1.001, oil=90)
        self.take(1.002, rpm=3000)
        self.take(1.012, rpm=3004, torque=3060)
        self.take(1.022, rpm=3008)
        self.assertEqual(self.sent, [(1.002, [3000, 300.0, 90]), (1.012, [3004, 301.0, None]),
                                     (1.022, [3008, None, None])])  # fmt: skip

    def test_what_the_sensor_calls_missing_is_missing_before_it_is_scaled(self):
        self.take(1.0, rpm=3000, torque=65_535, oil=math.nan)
        self.assertEqual(self.sent[0][1], [3000, None, None])

    def test_times_grow_where_readings_come_in_a_heap(self):
        for rpm in (3000, 3004, 3008):
            self.take(1.0, rpm=rpm)
        times = [at for at, _ in self.sent]
        self.assertTrue(all(one < other for one, other in pairwise(times)), times)

    def test_the_weather_is_the_last_that_came(self):
        self.take(1.0, air=9720)
        self.take(1.1, air=math.nan)
        self.assertEqual(self.stream.weather, [None])
        self.take(1.2, air=9730)
        self.assertEqual(self.stream.weather, [97.3])

    def test_what_was_read_before_the_speed_was_lost_is_in_no_sample_after_it(self):
        self.take(1.0, rpm=3000)
        self.take(1.005, torque=3050)
        self.stream.interrupt()
        self.take(60.0, rpm=1100)
        self.assertEqual(self.sent[-1], (60.0, [1100, None, None]))

    def test_gaps_and_jitter_are_counted(self):
        at = 0.0
        for step in [0.01] * 50 + [0.035] + [0.01] * 50:
            at += step
            self.take(at, rpm=3000)
        self.assertEqual((self.stream.health.gaps, round(self.stream.health.longest_s, 4)), (1, 0.035))
        self.assertLess(self.stream.health.jitter_s, 0.001)


class Delays(unittest.TestCase):
    """A mixture that comes 0.15 s late from another source is put where it belongs."""

    def setUp(self):
        self.now = 0.0
        self.sent: list[tuple[float, list[float | None]]] = []
        found = stand_map.checked({
            "stand": "Cell 2", "rate_hz": 10,
            "sources": [{"kind": "modbus", "name": "brake", "host": "192.0.2.10"},
                        {"kind": "mqtt", "name": "engine computer", "host": "192.0.2.11", "delay_s": 0.15}],
            "channels": [
                {"name": "rpm", "unit": "rpm", "register": 1},
                {"name": "torque", "unit": "N·m", "register": 2},
                {"name": "lambda", "unit": "lambda", "topic": "ecu", "source": "engine computer"},
            ],
        })  # fmt: skip
        self.stream = Stream(found, lambda: self.now, lambda at, row: self.sent.append((round(at, 3), row)))

    def test_each_reading_is_in_the_sample_of_its_own_time(self):
        for step in range(8):
            self.now = step / 10
            self.stream.take({0: 3000 + step, 1: 300}, self.now)
            self.now += 0.049  # what comes now was read just before (step - 1) / 10
            self.stream.take({2: float(step - 1)}, self.now)
        self.now = 2.0
        self.stream.release(self.now)
        self.assertEqual([(at, row[0], row[2]) for at, row in self.sent],
                         [(step / 10, 3000 + step, step if step < 7 else None) for step in range(8)])  # fmt: skip

    def test_samples_wait_no_longer_than_for_the_slowest_source(self):
        self.stream.take({0: 3000, 1: 300}, 0.0)
        self.assertEqual(self.sent, [])
        self.stream.release(0.14)
        self.assertEqual(self.sent, [])
        self.stream.release(0.15)
        self.assertEqual(self.sent, [(0.0, [3000, 300, None])])

    def test_the_state_comes_in_its_place_between_the_samples(self):
        """What lies between sweeping and idle is the pull: a state that overtakes samples takes them from it."""
        document = stand_map.plain(self.stream.of) | {"control": {
            "watchdog_s": 1, "state": {"register": 9, "idle": [0], "sweeping": [2]},
            "start": {"register": 10}, "abort": {"register": 11}, "watchdog": {"register": 12},
        }}  # fmt: skip
        came: list[str] = []
        stream = Stream(stand_map.checked(document), lambda: self.now, lambda at, row: came.append(f"{at:.1f}"),
                        lambda at, raw: came.append(f"state {raw:g}"))  # fmt: skip
        state = stream.of.state_place
        for step, raw in enumerate((0, 0, 2, 2, 2, 0)):
            self.now = step / 10
            stream.take({0: 3000, 1: 300, state: raw}, self.now)
        stream.release(9.0)
        self.assertEqual(came, ["0.0", "state 0", "0.1", "0.2", "state 2", "0.3", "0.4", "0.5", "state 0"])
        stream.interrupt()
        self.now = 10.0
        stream.take({0: 3000, 1: 300, state: 0}, self.now)
        stream.interrupt()
        self.assertEqual(came[-1], "state 0", "said again to whoever links anew")


class Clocks(unittest.TestCase):
    def test_delay_on_the_way_does_not_move_a_reading(self):
        clock = SourceClock()
        found = [clock.at(100 + n / 100, 5 + n / 100 + delay) - n / 100
                 for n, delay in enumerate([0.004, 0.001, 0.05, 0.002, 0.2, 0.001])]  # fmt: skip
        self.assertEqual([round(one, 3) for one in found], [5.004, 5.001, 5.001, 5.001, 5.001, 5.001])

    def test_a_clock_that_runs_slow_is_followed(self):
        clock, last = SourceClock(), 0.0
        for second in range(3600):
            last = clock.at(second * (1 - 1e-4), float(second))
        self.assertAlmostEqual(last, 3599, delta=0.01)

    def test_a_clock_that_is_set_is_taken_up_again_and_counted(self):
        clock = SourceClock()
        clock.at(100.0, 5.0)
        self.assertEqual((clock.at(4000.0, 6.0), clock.jumps), (6.0, 1))
        self.assertAlmostEqual(clock.at(4000.5, 6.5), 6.5)
