"""The beginning and end of a sweep, found in what a stand sends that tells no states."""

import numpy as np
from django.test import SimpleTestCase
from torvix_core.pull.sweeps import COVERED, Event, SweepFinder

HZ = 100.0


def samples(*, end_rpm=6900.0, throttle=True, holds=(), noise=1.5, idle_s=5.0, load_s=1.2):
    """Idle, load at 2000 rpm, a sweep of 350 rpm/s with speeds held on the way, throttle shut at the end."""
    rng = np.random.default_rng(4)
    speed = [np.full(int(idle_s * HZ), 1100.0), np.full(int(load_s * HZ), 2000.0)]
    at = 2000.0
    for rpm, seconds in (*holds, (end_rpm, 0.0)):
        speed.append(np.arange(at, rpm, 350 / HZ))
        speed.append(np.full(int(seconds * HZ), rpm))
        at = rpm
    loaded = sum(len(part) for part in speed[1:])
    speed.append(np.maximum(1100.0, end_rpm - 1800 * np.arange(0, 4, 1 / HZ)))
    rpm = np.concatenate(speed)
    rpm = rpm + rng.normal(0, noise, len(rpm))
    load = np.zeros(len(rpm))
    load[int(idle_s * HZ) : int(idle_s * HZ) + loaded] = 1.0
    block = {"rpm": rpm, "torque": np.where(load > 0, 250.0, 6.0) + rng.normal(0, 2, len(rpm))}
    if throttle:
        block["throttle"] = np.where(load > 0, 1.0, 0.05)
    return np.arange(len(rpm)) / HZ, block, (idle_s, idle_s + loaded / HZ)


def found(finder, times, block, chunk=13):
    events = []
    for start in range(0, len(times), chunk):
        part = slice(start, start + chunk)
        if event := finder.follow(times[part], {name: values[part] for name, values in block.items()}):
            events.append(event)
    return events


class FindingTheSweep(SimpleTestCase):
    def finder(self) -> SweepFinder:
        return SweepFinder(2000.0, 6900.0, 350.0)

    def test_it_begins_where_the_load_came_on_and_ends_where_the_throttle_shuts(self):
        for throttle in (True, False):
            with self.subTest(throttle=throttle):
                finder = self.finder()
                times, block, (began, ended) = samples(throttle=throttle)
                first, last = found(finder, times, block)
                self.assertEqual((first.event, last.event), (Event.BEGAN, Event.ENDED))
                self.assertAlmostEqual(first.at, began, delta=0.15)
                self.assertAlmostEqual(last.at, ended, delta=0.5)
                self.assertAlmostEqual(last.high_rpm, 6900, delta=10)
                self.assertTrue(finder.covers())

    def test_speeds_that_are_held_end_nothing(self):
        finder = self.finder()
        times, block, _ = samples(holds=[(3000.0, 3.0), (4000.0, 3.0), (5000.0, 3.0)])
        self.assertEqual([event.event for event in found(finder, times, block)], [Event.BEGAN, Event.ENDED])
        self.assertTrue(finder.covers())

    def test_a_sweep_that_is_broken_off_does_not_cover_the_range(self):
        finder = self.finder()
        times, block, _ = samples(end_rpm=4000.0)
        self.assertEqual(len(found(finder, times, block)), 2)
        self.assertFalse(finder.covers())
        self.assertLess((4000 - 2000) / (6900 - 2000), COVERED)

    def test_a_blip_of_the_throttle_and_idling_are_no_sweep(self):
        finder = self.finder()
        times = np.arange(0, 10, 1 / HZ)
        rpm = 1100 + 300 * (np.abs(times - 5) < 0.2)
        self.assertEqual(found(finder, times, {"rpm": rpm, "throttle": np.where(rpm > 1200, 0.9, 0.05)}), [])

    def test_a_load_that_stands_for_minutes_before_belongs_to_no_sweep(self):
        finder = self.finder()
        times, block, (began, _) = samples(load_s=30.0)
        first, _ = found(finder, times, block)
        self.assertGreater(first.at, began + 27)

    def test_missing_samples_and_a_stand_without_speed_find_nothing_wrong(self):
        times, block, _ = samples()
        block["rpm"][::7] = np.nan
        self.assertEqual(len(found(self.finder(), times, block)), 2)
        self.assertEqual(found(self.finder(), times, {"torque": block["torque"]}), [])

    def test_a_sweep_that_cannot_be_is_refused(self):
        for arguments in ((3000.0, 2000.0, 300.0), (0.0, 5000.0, 300.0), (2000.0, 5000.0, 0.0)):
            with self.assertRaises(ValueError):
                SweepFinder(*arguments)
