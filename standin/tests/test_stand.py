from unittest import TestCase

from standin.engine import SIX, filling
from standin.faults import Fault
from standin.stand import CHANNELS, Refused, Stand, State
from standin.weather import Day

NAMES = [name for name, _, _ in CHANNELS]
SWEEP = {"start_rpm": 2000, "end_rpm": 6900, "rate_rpm_s": 350}


def warm_stand(seed: int = 1) -> Stand:
    stand = Stand(seed=seed)
    stand.skip(3000)
    return stand


def pulled(stand: Stand, hz: float = 50.0) -> list[list[float | None]]:
    stand.command("arm", SWEEP)
    stand.command("start", {})
    rows = []
    while stand.state in (State.SWEEPING, State.ROLLING_OFF):
        rows.append(stand.step(1 / hz))
    return rows


def column(rows: list[list[float | None]], name: str) -> list[float]:
    return [row[NAMES.index(name)] for row in rows]


def six(runner_length: float) -> dict[str, object]:
    part = {"slot": "intake_manifold", "name": "Middle-runner manifold", "values": {"runner_length": runner_length}}
    return {"label": f"{runner_length}", "parts": [part]}


def full_torque(rpm: float, runner_length: float = 0.33, **warmth: float) -> float:
    stand = Stand()
    stand.command("fit", six(runner_length))
    return stand.truth([rpm], **warmth)[0]


class Truth(TestCase):
    """What the demonstration engine must show (common practice, no source)."""

    def test_a_longer_runner_pulls_lower_and_a_short_one_higher(self):
        low, high = ([full_torque(rpm, length) for length in (0.42, 0.33, 0.24)] for rpm in (3600, 6300))
        self.assertEqual(low, sorted(low, reverse=True))
        self.assertEqual(high, sorted(high))

    def test_a_cold_manifold_reads_about_one_percent_high(self):
        cold, hot = (full_torque(4200, skin=skin) for skin in (22, 47))
        self.assertAlmostEqual(cold / hot - 1, 0.01, delta=0.003)

    def test_cold_oil_costs_torque(self):
        self.assertLess(full_torque(4200, oil=60), full_torque(4200, oil=90))

    def test_filling_stays_plausible(self):
        for rpm in range(1500, 7400, 100):
            self.assertTrue(0.6 < filling(SIX, rpm, 0.33) < 1.05, rpm)


class Pulls(TestCase):
    def test_a_seeded_day_repeats_exactly(self):
        self.assertEqual(pulled(warm_stand(seed=5)), pulled(warm_stand(seed=5)))
        self.assertNotEqual(pulled(warm_stand(seed=5)), pulled(warm_stand(seed=6)))

    def test_what_idled_before_does_not_change_the_noise_of_a_pull(self):
        quiet, busy = warm_stand(), warm_stand()
        for _ in range(40):
            busy.step(1e-9)
        self.assertEqual(column(pulled(quiet), "torque"), column(pulled(busy), "torque"))

    def test_the_sweep_has_load_in_a_steady_rate_and_roll_off(self):
        rows = pulled(warm_stand())
        speed, torque = column(rows, "rpm"), column(rows, "torque")
        self.assertAlmostEqual(speed[0], 2000, delta=10)
        self.assertGreater(max(speed), 6890)
        self.assertLess(speed[-1], 1400)
        rate = (speed[400] - speed[200]) / 4.0
        self.assertAlmostEqual(rate, 350, delta=3)
        self.assertLess(min(torque[-20:]), 0)

    def test_the_day_drifts_slowly(self):
        first, later = Day().at(0), Day().at(4 * 3600)
        self.assertGreater(later.temperature, first.temperature)
        self.assertLess(later.barometer, first.barometer)


class Commands(TestCase):
    def refused(self, stand: Stand, name: str, **arguments: object) -> str:
        with self.assertRaises(Refused) as refusal:
            stand.command(name, arguments)
        return str(refusal.exception)

    def test_what_cannot_be_done_is_refused_with_the_reason(self):
        stand = warm_stand()
        self.assertIn("not armed", self.refused(stand, "start"))
        self.assertIn("limit is 7400 rpm", self.refused(stand, "arm", **SWEEP | {"end_rpm": 8000}))
        self.assertIn("between 50 and 1000", self.refused(stand, "arm", **SWEEP | {"rate_rpm_s": 5000}))
        self.assertIn("no command 'dance'", self.refused(stand, "dance"))
        stand.command("arm", SWEEP)
        self.assertIn("stopped engine", self.refused(stand, "fit", **six(0.3)))

    def test_a_new_part_is_cold_and_the_same_part_is_not_refitted(self):
        stand = warm_stand()
        stand.command("fit", six(0.24))
        self.assertAlmostEqual(stand.skin, stand.weather().temperature)
        stand.skip(1500)
        warm = stand.skin
        stand.command("fit", six(0.24))
        self.assertEqual(stand.skin, warm)

    def test_abort_closes_the_throttle(self):
        stand = warm_stand()
        stand.command("arm", SWEEP)
        stand.command("start", {})
        for _ in range(200):
            stand.step(0.02)
        stand.command("abort", {})
        self.assertEqual(stand.state, State.ROLLING_OFF)


class Faults(TestCase):
    def test_a_channel_can_be_silent_nonsense_or_stuck_and_come_back(self):
        stand = warm_stand()
        before = stand.step(0.02)[NAMES.index("rpm")]
        for kind, wanted in ((Fault.SILENT, None), (Fault.NONSENSE, 9999.0), (Fault.STUCK, before)):
            stand.command("fault", {"channel": "rpm", "kind": kind})
            self.assertEqual(stand.step(0.02)[NAMES.index("rpm")], wanted)
        stand.command("fault", {"channel": "rpm", "kind": None})
        self.assertNotEqual(stand.step(0.02)[NAMES.index("rpm")], before)
