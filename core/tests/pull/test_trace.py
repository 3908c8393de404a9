import numpy as np
from django.test import SimpleTestCase
from torvix_core.pull.trace import Trace, TraceProblem, check


def sweep(samples: int = 500) -> dict[str, np.ndarray]:
    generator = np.random.default_rng(5)
    return {
        "time": np.arange(samples) * 0.02,
        "rpm": 2000 + np.arange(samples) * 8.0 + generator.normal(0, 1.5, samples),
        "torque": 250 + generator.normal(0, 1.5, samples),
        "lambda": 0.87 + generator.normal(0, 0.004, samples),
    }


def traced(columns: dict[str, np.ndarray]) -> Trace:
    names = tuple(name for name in columns if name != "time")
    return Trace(columns["time"], names, np.stack([columns[name] for name in names]))


class Checks(SimpleTestCase):
    def found(self, columns: dict[str, np.ndarray]) -> list[tuple[TraceProblem, str, int]]:
        return [(finding.problem, finding.channel, finding.samples) for finding in check(traced(columns))]

    def test_a_sound_trace_has_no_finding(self):
        self.assertEqual(self.found(sweep()), [])

    def test_time_that_runs_backwards(self):
        columns = sweep()
        columns["time"][100] = columns["time"][98]
        self.assertIn((TraceProblem.TIME_BACKWARDS, "", 1), self.found(columns))

    def test_a_gap_is_told_with_its_place(self):
        columns = {name: np.delete(values, slice(200, 215)) for name, values in sweep().items()}
        (finding,) = check(traced(columns))
        self.assertEqual((finding.problem, finding.samples), (TraceProblem.GAP, 1))
        self.assertAlmostEqual(finding.first_s, 199 * 0.02)

    def test_a_jump_in_speed(self):
        columns = sweep()
        columns["rpm"][300] += 900
        self.assertIn((TraceProblem.RPM_JUMP, "rpm", 2), self.found(columns))

    def test_a_stuck_torque_sensor(self):
        columns = sweep()
        columns["torque"][:400] = 250.0
        self.assertIn((TraceProblem.STUCK, "torque", 399), self.found(columns))

    def test_a_silent_channel(self):
        columns = sweep()
        columns["lambda"][:] = np.nan
        self.assertEqual(self.found(columns), [(TraceProblem.MISSING, "lambda", 500)])

    def test_a_channel_with_a_slower_rate_of_its_own_lacks_nothing_between_its_readings(self):
        columns = sweep()
        columns["oil_temperature"] = np.full(500, np.nan)
        columns["oil_temperature"][::10] = 363.15
        self.assertEqual(self.found(columns), [])
        columns["oil_temperature"][200:300] = np.nan
        self.assertEqual(self.found(columns), [(TraceProblem.MISSING, "oil_temperature", 109)])

    def test_a_single_impossible_sample(self):
        columns = sweep()
        columns["lambda"][17] = 9999.0
        self.assertEqual(self.found(columns), [(TraceProblem.IMPLAUSIBLE, "lambda", 1)])

    def test_missing_and_impossible_are_separated_in_one_channel(self):
        columns = sweep()
        columns["lambda"][17], columns["lambda"][30:33] = 9999.0, np.nan
        self.assertEqual(
            self.found(columns), [(TraceProblem.MISSING, "lambda", 3), (TraceProblem.IMPLAUSIBLE, "lambda", 1)]
        )

    def test_an_empty_trace_is_a_finding_not_an_error(self):
        (finding,) = check(Trace(np.empty(0), ("rpm",), np.empty((1, 0))))
        self.assertEqual(finding.problem, TraceProblem.MISSING)

    def test_columns_that_do_not_fit_are_refused(self):
        with self.assertRaisesMessage(ValueError, "a row for each of 2 channels"):
            Trace(np.arange(3.0), ("rpm", "torque"), np.zeros((1, 3)))

    def test_a_channel_that_is_not_there_is_named_with_those_that_are(self):
        with self.assertRaisesMessage(ValueError, "no channel 'boost'; it has rpm, torque, lambda"):
            traced(sweep()).channel("boost")
