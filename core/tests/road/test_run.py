"""Runs against closed forms, an independent solver, and the recalled rules of a strip."""

from typing import Any

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from scipy.integrate import solve_ivp
from torvix_core.road.acceleration import SPEED_OF_RPM, gear_tables, resistance
from torvix_core.road.rolling import grade_held, rolling_time
from torvix_core.road.run import QUARTER_MILE, TRAP, standing_run, time_at_rpm
from torvix_core.road.shifts import SAME_TIME, best_shifts, searched_run
from torvix_core.road.vehicle import FOOT, GRAVITY, Conventions, GripAt, InertiaAt, TorqueBetween, Vehicle

BINS = np.arange(2000.0, 6601, 100)
PLAIN = Conventions(rollout=0.0)
# Nothing but mass: closed forms hold
BARE = Vehicle(
    1000.0, (1.0,), 4.0, 0.32, launch_rpm=2000.0, drag_area=0.0, rolling_resistance=0.0, efficiency=1.0, grip=50.0,
    engine_inertia=0.0, wheel_inertia=0.0, shift_time=0.0, conventions=PLAIN,
)  # fmt: skip
CAR = Vehicle(1450.0, (2.75, 1.57, 1.0, 0.7), 3.42, 0.33, stall_rpm=2400.0, shift_time=0.15, grip=0.75)
CLUTCH = Vehicle(1300.0, (2.85, 2.02, 1.45, 1.0), 3.4, 0.30, launch_rpm=3500.0)


def bent(peak_rpm: float, torque: float, width: float = 3200.0) -> np.ndarray:
    return np.asarray(torque * (1 - 0.35 * ((BINS - peak_rpm) / width) ** 2))


CURVES = np.stack([bent(3900, 520.0), bent(4600, 500.0, 2800.0)])


class ClosedForms(SimpleTestCase):
    def test_constant_force_is_the_square_root_of_twice_the_way_over_the_acceleration(self):
        """t = √(2·s/a) [phys]; the single gear reaches so far that the whole eighth mile lies in it."""
        tall = Vehicle(**{**vars(BARE), "final_drive": 2.2})
        force = 300.0 * tall.ratio(0) / tall.tire_radius
        run = standing_run(tall, gear_tables(tall, BINS, np.full((1, len(BINS)), 300.0)), np.zeros((1, 0)))
        assert_allclose(run.sixty, np.sqrt(2 * 60 * FOOT / (force / 1000)), rtol=1e-9)
        assert_allclose(run.eighth, np.sqrt(2 * 660 * FOOT / (force / 1000)), rtol=1e-9)

    def test_constant_power_grows_with_the_cube_root(self):
        """From v0 on, x = m/(3·P)·(v³ - v0³) and t = m/(2·P)·(v² - v0²) [phys]."""
        power = 150_000.0
        (table,) = gear_tables(BARE, BINS, np.array([power / (BINS * SPEED_OF_RPM)]))
        low, high = 2600.0 / table.rpm_per_speed, 6400.0 / table.rpm_per_speed
        assert_allclose(rolling_time(table, low, high), 1000 / (2 * power) * (high**2 - low**2), rtol=2e-4)
        gone = table.at(np.array([high]))[1] - table.at(np.array([low]))[1]
        assert_allclose(gone, 1000 / (3 * power) * (high**3 - low**3), rtol=2e-4)

    def test_a_grade_that_is_held_leaves_no_force(self):
        grade = grade_held(CLUTCH, 3, 40.0, BINS, CURVES)
        for curve, steep in enumerate(grade.tolist()):
            on_it = Vehicle(**{**vars(CLUTCH), "grade": steep})
            torque = np.interp(40.0 * CLUTCH.ratio(3) / CLUTCH.tire_radius / SPEED_OF_RPM, BINS, CURVES[curve])
            drive = torque * CLUTCH.ratio(3) * CLUTCH.efficiency / CLUTCH.tire_radius
            self.assertAlmostEqual(float(resistance(on_it, 40.0)) / drive, 1.0, places=9)


def integrated(vehicle: Vehicle, torque: np.ndarray, shifts: list[float], way: float) -> float:
    """The same run by an adaptive solver in time, tolerances of 1e-10: written anew, from the docstrings alone."""
    rules, locked = vehicle.conventions, 0.96 if vehicle.stall_rpm else 1.0

    def rate(gear: int, speed: float) -> float:
        ratio = vehicle.gears[gear] * vehicle.final_drive
        turning = speed * ratio / vehicle.tire_radius * 60 / (2 * np.pi)
        start = vehicle.launch_rpm or vehicle.stall_rpm or 0.0
        rpm = min(max(turning / locked, start), BINS[-1])
        multiply = 1.0 if vehicle.launch_rpm else 1 + (1 - min(turning / rpm / 0.9, 1.0))
        drive = float(np.interp(rpm, BINS, torque)) * multiply * ratio * vehicle.efficiency / vehicle.tire_radius
        against = float(resistance(vehicle, speed))
        inertia = 0.0 if turning / locked < start else vehicle.engine_inertia * ratio**2 / vehicle.tire_radius**2
        if rules.inertia is InertiaAt.BEFORE:
            inertia *= vehicle.efficiency
        moved = vehicle.mass + vehicle.wheel_inertia / vehicle.tire_radius**2 + inertia
        held = vehicle.grip * vehicle.mass * GRAVITY
        if rules.grip is GripAt.GROUND:
            return min((drive - against) / moved, (held - against) / vehicle.mass)
        return (min(drive, held) - against) / moved

    def until(event: Any, gear: int, state: list[float], time: float) -> Any:
        event.terminal = True
        return solve_ivp(lambda _, y: [y[1], rate(gear, y[1])], (time, time + 60), state, events=[event, line],
                         rtol=1e-10, atol=1e-10, max_step=0.01)  # fmt: skip

    def reached(_: float, y: Any) -> float:
        return float(y[0] - way)

    line: Any = reached
    line.terminal = True
    state, time = [0.0, 0.0], 0.0
    for gear in range(len(vehicle.gears)):
        ratio = vehicle.gears[gear] * vehicle.final_drive
        limit = (shifts[gear] if gear < len(shifts) else BINS[-1]) * locked
        top = limit * vehicle.tire_radius / ratio * 2 * np.pi / 60
        solved = until(lambda _, y, top=top: y[1] - top, gear, state, time)
        state, time = solved.y[:, -1].tolist(), float(solved.t[-1])
        if len(solved.t_events[1]):
            return float(solved.t_events[1][0])
        slows = float(resistance(vehicle, state[1])) / vehicle.mass
        spent = vehicle.shift_time
        state = [state[0] + state[1] * spent - slows * spent**2 / 2, state[1] - slows * spent]
        time += spent
    return float("nan")


class AgainstAnotherSolver(SimpleTestCase):
    def test_a_quarter_mile_is_that_of_a_tight_adaptive_solution(self):
        """Within 1 ms, and differences of setups within 1 ms, under every pair of conventions; measured: 0.1 ms."""
        for base in (CAR, CLUTCH):
            shifts = np.tile([6000.0, 6100.0, 6200.0], (2, 1))
            for grip in GripAt:
                for inertia in InertiaAt:
                    with self.subTest(base=base.gears, grip=grip, inertia=inertia):
                        vehicle = Vehicle(**{**vars(base), "conventions": Conventions(grip, inertia, rollout=0.0)})
                        run = standing_run(vehicle, gear_tables(vehicle, BINS, CURVES), shifts)
                        exact = [integrated(vehicle, curve, [6000.0, 6100.0, 6200.0], QUARTER_MILE) for curve in CURVES]
                        assert_allclose(run.quarter, exact, atol=1e-3)
                        self.assertAlmostEqual(run.quarter[1] - run.quarter[0], exact[1] - exact[0], delta=1e-3)

    def test_a_finer_grid_moves_nothing(self):
        from torvix_core.road import acceleration

        coarse = standing_run(CAR, gear_tables(CAR, BINS, CURVES), np.full((2, 3), 6000.0)).quarter
        self.addCleanup(setattr, acceleration, "STEP", acceleration.STEP)
        acceleration.STEP = acceleration.STEP / 4
        fine = standing_run(CAR, gear_tables(CAR, BINS, CURVES), np.full((2, 3), 6000.0)).quarter
        assert_allclose(coarse, fine, atol=2e-4)


class OfTheStrip(SimpleTestCase):
    def test_recalled_formulas_of_a_strip(self):
        """ET ≈ 5.825·(lb/hp)^(1/3), trap ≈ 234·(hp/lb)^(1/3) [mem]: within 6 %, as of cars that hook up."""
        run, _ = searched_run(CAR, gear_tables(CAR, BINS, CURVES), BINS[0], BINS[-1])
        pounds = CAR.mass / 0.45359237
        power = (CURVES * BINS * SPEED_OF_RPM).max(axis=1) / 745.69987
        assert_allclose(run.quarter, 5.825 * (pounds / power) ** (1 / 3), rtol=0.06)
        assert_allclose(run.quarter_speed / 0.44704, 234 * (power / pounds) ** (1 / 3), rtol=0.06)

    def test_two_very_different_curves_are_within_a_tenth(self):
        """A long runner with over 60 lb-ft more against a short one with some 30 hp more: within 0.1 s, 13.25 s and
        2.16 s to 60 ft with a 3.42 axle and a stall of 2400, shifted near 6100, the other later (common practice, no
        source)."""
        torque, power = bent(3400, 570.0, 2500.0), bent(4700, 480.0, 2700.0)
        peaks = [float((one * BINS * SPEED_OF_RPM).max()) / 745.69987 for one in (torque, power)]
        self.assertGreaterEqual(round(peaks[1] - peaks[0]), 28)
        self.assertGreater((torque.max() - power.max()) / 1.3558179, 60)
        slow = Vehicle(**{**vars(CAR), "mass": 1650.0, "gears": (3.06, 1.63, 1.0, 0.7), "grip": 0.62})
        run, found = searched_run(slow, gear_tables(slow, BINS, np.stack([torque, power])), BINS[0], BINS[-1])
        self.assertLess(abs(run.quarter[0] - run.quarter[1]), 0.1)
        assert_allclose(run.quarter, 13.25, atol=0.15)
        assert_allclose(run.sixty, 2.16, atol=0.1)
        self.assertTrue((found.best[1, :2] > found.best[0, :2]).all())
        assert_allclose(found.best[0, :2], 6100, atol=250)

    def test_the_trap_speed_is_the_mean_over_the_last_66_feet(self):
        run = standing_run(CLUTCH, gear_tables(CLUTCH, BINS, CURVES), np.full((2, 3), 6300.0))
        shorter = QUARTER_MILE - TRAP
        self.assertTrue((run.quarter_speed > shorter / run.quarter).all())
        self.assertTrue((run.quarter > run.eighth).all() and (run.eighth > run.sixty).all())

    def test_a_rollout_takes_off_the_time_of_its_foot(self):
        """About 0.3 s on street tires [prac]."""
        tables = gear_tables(CLUTCH, BINS, CURVES)
        shifts = np.full((2, 3), 6300.0)
        without = Vehicle(**{**vars(CLUTCH), "conventions": PLAIN})
        taken = standing_run(without, tables, shifts).quarter - standing_run(CLUTCH, tables, shifts).quarter
        self.assertTrue(((taken > 0.15) & (taken < 0.4)).all(), taken)

    def test_cubic_between_bins_hardly_moves_it(self):
        smooth = Vehicle(**{**vars(CAR), "conventions": Conventions(torque=TorqueBetween.CUBIC)})
        shifts = np.full((2, 3), 6000.0)
        one, other = (standing_run(each, gear_tables(each, BINS, CURVES), shifts).quarter for each in (CAR, smooth))
        assert_allclose(one, other, atol=2e-3)


class Shifts(SimpleTestCase):
    def test_no_shift_nearby_is_better(self):
        tables = gear_tables(CLUTCH, BINS, CURVES)
        found = best_shifts(CLUTCH, tables, BINS[0], BINS[-1])
        best = standing_run(CLUTCH, tables, found.best).quarter
        for change in range(3):
            for moved in (-300.0, 300.0):
                other = found.best.copy()
                other[:, change] = np.clip(other[:, change] + moved, BINS[0], BINS[-1])
                self.assertTrue((standing_run(CLUTCH, tables, other).quarter >= best - 2e-4).all())

    def test_within_its_range_the_time_is_the_same_and_beyond_it_is_not(self):
        tables = gear_tables(CLUTCH, BINS, CURVES)
        found = best_shifts(CLUTCH, tables, BINS[0], BINS[-1])
        best = standing_run(CLUTCH, tables, found.best).quarter
        for ends in (found.low, found.high):
            shifts = found.best.copy()
            shifts[:, 0] = ends[:, 0]
            self.assertTrue((standing_run(CLUTCH, tables, shifts).quarter <= best + SAME_TIME + 1e-9).all())

    def test_a_curve_that_still_climbs_is_shifted_at_the_end_of_the_sweep_and_open_above(self):
        climbing = np.asarray([300.0 + 0.03 * BINS])
        found = best_shifts(CLUTCH, gear_tables(CLUTCH, BINS, climbing), BINS[0], BINS[-1])
        self.assertTrue(found.open_above[0, 0])
        self.assertEqual(found.best[0, 0], BINS[-1])


class Outside(SimpleTestCase):
    def test_a_launch_outside_the_sweep_is_refused(self):
        with self.assertRaisesMessage(ValueError, "the launch at 1500 rpm lies outside the sweep of 2000 to 6600 rpm"):
            gear_tables(Vehicle(1000, (3.0,), 4.0, 0.3, launch_rpm=1500.0), BINS, CURVES)

    def test_a_shift_that_drops_the_engine_below_the_sweep_gives_no_time(self):
        wide = Vehicle(**{**vars(CLUTCH), "gears": (4.0, 1.2), "launch_rpm": 3000.0})
        run = standing_run(wide, gear_tables(wide, BINS, CURVES), np.full((2, 1), 6000.0))
        self.assertTrue(np.isnan(run.quarter).all())
        self.assertTrue(np.isfinite(run.sixty).all() or np.isnan(run.sixty).all())

    def test_what_is_beyond_the_last_gear_is_not_reached(self):
        short = Vehicle(**{**vars(CLUTCH), "gears": (2.85, 2.02)})
        run = standing_run(short, gear_tables(short, BINS, CURVES), np.full((2, 1), 6000.0))
        self.assertTrue(np.isnan(run.quarter).all())
        self.assertTrue(np.isfinite(run.sixty).all())

    def test_what_contradicts_itself_is_refused_in_words(self):
        for more, words in (
            ({"stall_rpm": 2400.0}, "not both"), ({"launch_rpm": None}, "not both"), ({"gears": ()}, "each gear"),
            ({"gears": (2.0, 3.0)}, "must fall"), ({"mass": -1.0}, "mass"), ({"efficiency": 1.2}, "cannot give"),
        ):  # fmt: skip
            with self.subTest(words=words), self.assertRaisesRegex(ValueError, words):
                Vehicle(**{**vars(CLUTCH), **more})


class TimeAtRpm(SimpleTestCase):
    def test_shares_add_up_and_stay_inside_what_the_run_uses(self):
        tables = gear_tables(CLUTCH, BINS, CURVES)
        shares = time_at_rpm(CLUTCH, tables, np.full((2, 3), 6000.0), BINS)
        assert_allclose(shares.sum(axis=1), 1.0)
        self.assertTrue((shares >= -1e-12).all())
        self.assertEqual(float(shares[:, BINS > 6100].sum()), 0.0)
        self.assertGreater(float(shares[0, BINS == 3500].sum()), float(shares[0, BINS == 3600].sum()))
