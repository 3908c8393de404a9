import math

import numpy as np
from django.test import SimpleTestCase
from torvix_core.pull.reduction import Options, StandInertia, reduce_sweep
from torvix_core.pull.trace import Trace

from stand.live.display import Display
from stand.pulls.gates import Gate
from stand.worker.line import Hello
from stand.worker.live_state import LiveState

HELLO = Hello(
    stand="S", rate_hz=50, names=("rpm", "torque", "oil_temperature", "odd"), units=("rpm", "lb-ft", "°F", "furlong"),
    weather=(), can=frozenset(), inertia_in_torque="not_included", inertia=0.45, simulated=True,
)  # fmt: skip
UNITS = {"torque": "lb-ft", "power": "hp", "temperature": "°F", "air_pressure": "kPa", "oil_pressure": "psi",
         "mass_flow": "lb/h"}  # fmt: skip


def take(picture: LiveState, at: float, row: list[float], *, sweeping: bool) -> None:
    picture.take(np.array([at]), np.array([row]), sweeping=sweeping)


class LivePicture(SimpleTestCase):
    def test_values_are_in_si_and_unknown_units_are_left_out(self):
        picture = LiveState(HELLO)
        take(picture, 0.0, [3000.0, 100.0, 194.0, 7.0], sweeping=False)
        self.assertAlmostEqual(picture.values["torque"], 135.58179, places=4)
        self.assertAlmostEqual(picture.values["oil_temperature"], 363.15)
        self.assertNotIn("odd", picture.values)
        self.assertEqual(list(picture.points), [])

    def test_a_channel_that_sends_nothing_or_the_impossible_is_faulty(self):
        picture = LiveState(HELLO)
        take(picture, 0.0, [3000.0, math.nan, 9999.0, 7.0], sweeping=False)
        self.assertEqual(picture.faulty, ["torque", "oil_temperature"])

    def test_gaps_between_samples_are_counted(self):
        picture = LiveState(HELLO)
        step = 1 / HELLO.rate_hz
        for at in (0.0, step, 2 * step, 2 * step + 0.9):
            take(picture, at, [3000.0, 100.0, 194.0, 7.0], sweeping=False)
        self.assertEqual(picture.steps_taken(), {"gaps": 1.0, "longest_s": 0.9, "jitter_s": 0.0})

    def rests(self, speeds: list[float]) -> list[int]:
        """At which of samples 0.3 s apart a standstill was noticed."""
        picture = LiveState(HELLO)
        return [
            at for at, rpm in enumerate(speeds)
            if picture.take(np.array([at * 0.3]), np.array([[rpm, 8.0, 194.0, 7.0]]), sweeping=False)
        ]  # fmt: skip

    def test_a_standstill_is_noticed_once_and_a_signal_that_fails_is_none(self):
        speeds = [0.0, 1100.0, 1090.0, math.nan, 1080.0, 400.0, 30.0, 0.0, 0.0, 0.0, 200.0, 20.0, 0.0, 0.0, 900.0, 0.0,
                  math.nan, 0.0]  # fmt: skip
        self.assertEqual(self.rests(speeds), [8, 17])  # cranking alone starts nothing

    def test_a_sample_or_two_near_nought_are_a_lost_signal(self):
        self.assertEqual(self.rests([900.0, 0.0, 900.0, 0.0, 0.0, 900.0, 0.0, 0.0, 1100.0]), [])

    def test_an_engine_that_stops_within_one_frame_of_samples_is_noticed(self):
        picture = LiveState(HELLO)
        rows = np.array([[900.0, 8.0, 194.0, 7.0], [10.0, 0.0, 194.0, 7.0], [0.0, 0.0, 194.0, 7.0]])
        self.assertTrue(picture.take(np.array([0.0, 0.1, 0.7]), rows, sweeping=False))

    def test_live_points_lie_on_the_curve_that_the_reduction_will_make(self):
        """Same samples, same inertia: a pull must not seem to gain or lose torque when it ends."""
        time = np.arange(0, 12, 0.02)
        speed, brake = 2000 + 400 * time, 180 + 20 * np.sin(time / 3)
        picture = LiveState(HELLO)
        for at, rpm, torque in zip(time, speed, brake, strict=True):
            take(picture, at, [rpm, torque, 194.0, 0.0], sweeping=True)
        points = np.array(picture.points)[20:]
        trace = Trace(time, ("rpm", "torque"), np.stack([speed, brake * 1.3558179483]))
        curve = reduce_sweep(trace, Options(stand_inertia=StandInertia.NOT_INCLUDED, inertia=0.45))
        live = np.interp(curve.speed_rpm[2:-2], points[:, 0], points[:, 1])
        np.testing.assert_allclose(live, curve.torque[2:-2], rtol=2e-3)

    def test_a_fast_stand_does_not_make_long_frames(self):
        picture = LiveState(HELLO)
        for number in range(1000):
            take(picture, number / 1000, [2000.0 + number, 100.0, 194.0, 0.0], sweeping=True)
        self.assertLessEqual(len(picture.take_points()), 41)
        self.assertEqual(picture.take_points(), [])


class Displayed(SimpleTestCase):
    def test_a_frame_is_in_the_units_of_the_person(self):
        picture = LiveState(HELLO)
        take(picture, 0.0, [3000.0, 100.0, 194.0, 7.0], sweeping=True)
        shown = Display(UNITS).frame(picture.frame(5, 1, "sweeping", 9))
        self.assertAlmostEqual(shown["values"]["torque"], 100.0, places=3)
        self.assertAlmostEqual(shown["values"]["oil_temperature"], 194.0, places=3)
        speed, torque, power = shown["points"][0]
        self.assertEqual(speed, 3000.0)
        self.assertAlmostEqual(torque, 100.0, places=1)
        self.assertAlmostEqual(power, 100.0 * 3000.0 / 5252.113, places=1)  # lb-ft times rpm over 5252 is hp
        self.assertEqual((shown["n"], shown["pull"]), (5, 9))

    def test_a_gate_says_on_which_side_a_value_lies(self):
        sides = {
            value: Gate("oil_temperature", "Oil", 350.0, 370.0, value).side for value in (340.0, 350.0, 371.0, None)
        }
        self.assertEqual(sides, {340.0: "low", 350.0: "inside", 371.0: "high", None: "silent"})
        told = Display(UNITS).gate(Gate("oil_temperature", "Oil", 353.15, 373.15, None))
        self.assertEqual((round(told["low"]), round(told["high"]), told["value"]), (176, 212, None))


class WhenAGateOpens(SimpleTestCase):
    GATES = [Gate("oil_temperature", "Oil", 353.15, 373.15, None)]

    def picture(self, celsius_at, seconds: float = 60, *, sweeping: bool = False) -> LiveState:
        picture = LiveState(HELLO)
        for at in np.arange(0, seconds, 0.5):
            take(picture, at, [1100.0, 5.0, celsius_at(at) * 1.8 + 32, 7.0], sweeping=sweeping)
        return picture

    def opens(self, picture: LiveState) -> dict[str, float]:
        return Display(UNITS).opens(self.GATES, picture.frame(1, 1, "idle", None))

    def test_at_the_present_rate(self):
        """From 50 °C by 0.1 K a second: at 59.5 s 55.95 °C, and 80 °C lies 240.5 s away."""
        found = self.opens(self.picture(lambda at: 50 + 0.1 * at))
        self.assertAlmostEqual(found["oil_temperature"], 240.5, delta=2)
        cooling = self.opens(self.picture(lambda at: 110 - 0.05 * at))
        self.assertAlmostEqual(cooling["oil_temperature"], (107.025 - 100) / 0.05, delta=2)

    def test_one_that_is_not_on_its_way_or_inside_or_too_young_tells_nothing(self):
        for picture in (
            self.picture(lambda at: 50.0), self.picture(lambda at: 50 - 0.1 * at), self.picture(lambda at: 90.0),
            self.picture(lambda at: 50 + 0.1 * at, seconds=6), self.picture(lambda at: 50 + 0.1 * at, sweeping=True),
            self.picture(lambda at: 50 + 0.0001 * at),
        ):  # fmt: skip
            self.assertEqual(self.opens(picture), {})
