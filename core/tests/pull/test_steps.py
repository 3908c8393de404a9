import numpy as np
from django.test import SimpleTestCase
from torvix_core.pull.reduction import CutBy, NotASweep, Options
from torvix_core.pull.steps import reduce_steps
from torvix_core.pull.trace import Trace


def held(speeds: list[float], seconds: float = 4.0, hz: float = 50.0, noise: float = 0.0) -> Trace:
    """A step test: ramps of 0.7 s between the speeds, then the throttle is closed."""
    dice = np.random.default_rng(9)
    parts = [np.full(int(hz), 1200.0)]
    for speed in speeds:
        parts += [np.linspace(parts[-1][-1], speed, int(0.7 * hz)), np.full(int(seconds * hz), speed)]
    parts.append(np.linspace(speeds[-1], 900, int(hz)))
    swept = np.concatenate(parts)
    open_throttle = np.ones(len(swept))
    open_throttle[: int(hz)] = open_throttle[-int(hz) :] = 0.05
    torque = np.where(open_throttle > 0.5, 250 - 12 * ((swept - 4000) / 1500) ** 2, 5.0)
    values = np.stack(
        [swept + dice.normal(0, noise, len(swept)), torque + dice.normal(0, noise, len(swept)), open_throttle]
    )
    return Trace(np.arange(len(swept)) / hz, ("rpm", "torque", "throttle"), values)


class Steps(SimpleTestCase):
    def test_each_hold_is_a_point_and_nothing_lies_between(self):
        found = reduce_steps(held([3000, 4000, 5000], noise=1.5), Options())
        self.assertEqual(found.speed_rpm.tolist(), [3000, 4000, 5000])
        truth = 250 - 12 * ((found.speed_rpm - 4000) / 1500) ** 2
        self.assertLess(float(np.abs(found.torque - truth).max()), 0.5)
        self.assertEqual(found.cut.sweep_rate_rpm_s, 0.0)
        self.assertGreater(int(found.samples.min()), 150)

    def test_a_speed_held_off_the_grid_is_brought_to_it_along_the_curve(self):
        found = reduce_steps(held([3030, 4020, 4980]), Options())
        self.assertEqual(found.speed_rpm.tolist(), [3000, 4000, 5000])
        self.assertLess(float(np.abs(found.torque - (250 - 12 * ((found.speed_rpm - 4000) / 1500) ** 2)).max()), 0.4)

    def test_idling_before_the_throttle_opens_is_no_hold(self):
        self.assertNotIn(1200.0, reduce_steps(held([3000, 4000]), Options()).speed_rpm)

    def test_a_sweep_is_no_step_test_and_a_cut_by_hand_leaves_holds_out(self):
        time = np.arange(0, 10, 0.02)
        sweep = Trace(time, ("rpm", "torque"), np.stack([2000 + 400 * time, 200 + 0 * time]))
        with self.assertRaisesMessage(NotASweep, "no step test"):
            reduce_steps(sweep, Options())
        found = reduce_steps(held([3000, 4000, 5000]), Options(cut_end_s=11.0))
        self.assertEqual((found.speed_rpm.tolist(), found.cut.end_by), ([3000, 4000], CutBy.HAND))
