"""Limits at the stand: set by the owner, tripped by faults that the simulated stand is told, and on record."""

from typing import Any, ClassVar
from unittest import mock

import numpy as np
import scenes
from django.test import SimpleTestCase, TestCase
from torvix_core.pull.guard import Cause, Guard, Trip
from torvix_core.pull.limits import LOADED, USUAL, in_force

from ops.effort import LONG
from programmes.models import Programme, SetupSetting
from shop.models import Person, Role, Stand
from shop.refusals import Invalid, NotAllowed
from stand.limits import service as limits
from stand.models import Pull, PullState, Session, StandLimit
from stand.pulls import arming, starting, stopping
from stand.tests.worker.test_stand_worker import PATIENT, BenchCase
from stand.worker.line import Hello
from stand.worker.live_state import LiveState


class Owners(TestCase):
    owner: Person
    stand: Stand

    @classmethod
    def setUpTestData(cls):
        cls.owner = scenes.person(Role.OWNER)
        cls.stand = Stand.objects.create(name="Stand 1")

    def test_an_owner_sets_his_own_and_goes_back_to_the_usual(self):
        limits.set_limit(self.owner, self.stand, "coolant", "105 °C", "4", "5", watched=True)
        found = {one.limit.key: one for one in limits.of_stand(self.stand)}
        self.assertAlmostEqual(found["coolant"].limit.value, 378.15)
        self.assertEqual((found["coolant"].limit.samples, found["coolant"].own, found["oil"].own), (4, True, False))
        limits.set_limit(self.owner, self.stand, "coolant", "", "3", "4", watched=True)
        self.assertAlmostEqual(limits.of_stand(self.stand)[2].limit.value, 383.15)

    def test_slips_are_named_at_their_fields(self):
        for text, samples, of, field in (
            ("hot", "3", "4", "text"), ("5 °C", "3", "4", "text"), ("3 bar", "3", "4", "text"),
            ("105", "5", "4", "samples"), ("105", "3", "0", "of"),
        ):  # fmt: skip
            with self.subTest(text=text, samples=samples), self.assertRaises(Invalid) as refused:
                limits.set_limit(self.owner, self.stand, "coolant", text, samples, of, watched=True)
            self.assertIn(field, refused.exception.fields)
        self.assertFalse(StandLimit.objects.exists())

    def test_only_the_owner_sets_limits(self):
        for role in (Role.OPERATOR, Role.VIEWER):
            with self.assertRaises(NotAllowed):
                limits.set_limit(scenes.person(role), self.stand, "coolant", "105", "3", "4", watched=True)


class OfAPull(TestCase):
    operator: Person
    programme: Programme
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.operator = scenes.person(Role.OPERATOR)
        cls.programme = scenes.programme(cls.operator)
        cls.session = scenes.session(cls.programme, cls.operator)
        scenes.link(cls.session.stand)

    def keys(self) -> dict[str, float]:
        setup = self.programme.setups.first()
        pull = Pull(session=self.session, setup=setup, build=self.programme.build)
        return {limit.key: limit.value for limit in limits.for_pull(pull)}

    def test_the_redline_and_the_boost_target_guard_it_too(self):
        self.assertEqual(self.keys()["over_speed"], 7200)
        self.assertNotIn("boost", self.keys())
        target = SetupSetting(
            setup=self.programme.setups.first(), key="setting:boost_target", text="0.8 bar", value=8e4
        )
        target.save()
        self.assertEqual(self.keys()["boost"], 95_000.0)

    def test_what_is_not_watched_does_not_guard(self):
        limits.set_limit(scenes.person(Role.OWNER), self.session.stand, "lean", "", "8", "10", watched=False)
        self.assertNotIn("lean", self.keys())


class Told(TestCase):
    """What the screen says of each limit, with the engine of the setup that is shown."""

    owner: Person
    programme: Programme
    session: Session

    @classmethod
    def setUpTestData(cls):
        cls.owner = scenes.person(Role.OWNER)
        cls.programme = scenes.programme(cls.owner)
        cls.session = scenes.session(cls.programme, cls.owner)
        scenes.link(cls.session.stand)

    def rows(self, **query: Any) -> dict[str, dict]:
        self.client.force_login(self.owner)
        answer = self.client.get(f"/api/stands/{self.session.stand_id}/limits", query)
        return {row["key"]: row for row in answer.json()["limits"]}

    def test_the_redline_stands_there_in_figures(self):
        rows = self.rows(setup_id=self.programme.setups.first().pk)
        self.assertEqual((rows["over_speed"]["threshold"], rows["over_speed"]["set"]), ("7200 rpm (redline)", True))

    def test_what_nothing_gives_a_value_is_not_set(self):
        rows = self.rows(setup_id=self.programme.setups.first().pk)
        self.assertEqual(
            [key for key, row in rows.items() if not row["set"]], ["boost", "turbine", "back_pressure", "charge"]
        )
        self.assertFalse(rows["turbine"]["blind"])  # there is nothing to watch against
        self.assertTrue(rows["knock"]["blind"])

    def test_a_boosted_engine_asks_for_what_right_boost_does_not_guard(self):
        setup = self.programme.setups.first()
        self.assertEqual([key for key, row in self.rows(setup_id=setup.pk).items() if row["asked_for"]], [])
        self.programme.boost_policy = "equal_boost"
        self.programme.save()
        link = self.session.stand.link
        link.hello["channels"] += [["exhaust_pressure", "kPa"], ["inlet_temperature", "°C"]]
        link.save()
        asked = [key for key, row in self.rows(setup_id=setup.pk).items() if row["asked_for"]]
        self.assertEqual(asked, ["back_pressure", "charge"])  # no turbine is read on this stand
        limits.set_limit(self.owner, self.session.stand, "charge", "75 °C", "3", "4", watched=True)
        limits.set_limit(self.owner, self.session.stand, "back_pressure", "", "3", "4", watched=False)
        self.assertEqual([key for key, row in self.rows(setup_id=setup.pk).items() if row["asked_for"]], [])

    def test_a_confidential_engine_tells_a_viewer_nothing(self):
        engine = self.programme.build.engine
        engine.confidential = True
        engine.save()
        self.client.force_login(scenes.person(Role.VIEWER))
        address = f"/api/stands/{self.session.stand_id}/limits?setup_id={self.programme.setups.first().pk}"
        self.assertEqual(self.client.get(address).status_code, 404)


FAULTS = (
    ("coolant", "coolant_temperature", 118.0, "coolant 118 °C, above 110 °C"),
    ("oil", "oil_temperature", 140.0, "oil 140 °C, above 135 °C"),
    ("oil_pressure", "oil_pressure", 0.6, "oil pressure 0.6 bar, below"),
    ("lean", "lambda", 1.08, "lean under load 1.08 lambda, above 0.98 lambda"),
    ("exhaust", "exhaust_temperature", 990.0, "exhaust temperature 990 °C, above 950 °C"),
)


class Faulty(BenchCase):
    def tell(self, channel: str, kind: str | None, value: float | None = None) -> None:
        self.bench.line.send(0, "fault", {"channel": channel, "kind": kind, "value": value})


class EachLimit(Faulty):
    """Five times faster than real: an aborted pull is over soon."""

    stand_options = (*PATIENT, "--warm", "--seed", "3", "--speed", "5")

    def test_each_fault_stops_the_pull_and_says_why(self):
        for key, channel, value, told in FAULTS:
            with self.subTest(key=key):
                pull = arming.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)
                self.by.until(lambda: self.bench.state == "armed" and not self.bench.waiting, "arming")
                self.tell(channel, "reads", value)
                if key in ("oil_pressure", "lean"):  # these count under load
                    starting.start(self.operator, pull, "To see the limit trip")
                ended = self.until_ended(pull)
                self.tell(channel, None)
                self.by.until(lambda: self.bench.state == "idle", "the engine to idle")
                self.assertEqual((ended.state, ended.tripped), (PullState.ABORTED, key))
                self.assertIn(f"Stopped by the limit: {told}", ended.ended_why)
                self.assertIn(key, dict(ended.active_limits))
                self.assertFalse(hasattr(ended, "reduced"))


class InTime(Faulty):
    stand_options = (*PATIENT, "--warm", "--seed", "3", "--rate", "100")

    def test_the_stand_is_stopped_by_the_block_of_samples_that_trips_before_another_is_read(self):
        """Lean needs 8 of 10 samples. How many come in a block depends on the machine."""
        pull = arming.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)
        self.by.until(lambda: self.bench.state == "armed" and not self.bench.waiting, "arming")
        self.tell("lambda", "reads", 1.08)
        happened: list[str] = []
        lean: list[int] = []  # samples under load, by block
        watch, send = Guard.watch, self.bench.line.send

        def watched(guard: Guard, block: Any) -> Trip | None:
            lean.append(int((block["throttle"] >= LOADED).sum()))
            trip = watch(guard, block)
            happened.append("trip" if trip else "read")
            return trip

        def sent(identity: int, name: str, arguments: dict[str, Any]) -> None:
            happened.append(name)
            send(identity, name, arguments)

        with mock.patch.object(Guard, "watch", watched), mock.patch.object(self.bench.line, "send", sent):
            starting.start(self.operator, pull, "To see when it is stopped")
            ended = self.until_ended(pull)
        self.assertEqual(ended.tripped, "lean")
        self.assertEqual(happened[happened.index("trip") :][:2], ["trip", "abort"])
        blocks = happened[: happened.index("trip") + 1].count("read")
        self.assertLess(sum(lean[:blocks]), 8)
        self.assertGreaterEqual(sum(lean[: blocks + 1]), 8)

    def test_one_wild_sample_does_not_stop_a_pull(self):
        pull = arming.arm(self.operator, self.session, self.programme.setups.first(), scenes.DAY)
        self.by.until(lambda: self.bench.state == "armed" and not self.bench.waiting, "arming")
        starting.start(self.operator, pull, "To see that it does not trip")
        self.by.until(lambda: self.bench.recording is not None, "the sweep")
        seen, wild = self.bench.guard.watch, iter([True])

        def watch(block):
            """The last sample of the first block is wild; on a slow machine a block holds several."""
            if next(wild, False):
                coolant = block["coolant_temperature"].copy()
                coolant[-1] = 400.0
                block = {**block, "coolant_temperature": coolant}
            return seen(block)

        with mock.patch.object(self.bench.guard, "watch", watch):
            self.by.until(lambda: self.bench.recording.samples > 20, "samples")
        self.assertIsNone(self.bench.trip)
        self.assertIsNone(next(wild, None))
        stopping.abort(self.operator, pull)
        self.assertEqual(self.until_ended(pull).ended_why, "Aborted by the operator.")


class ManyFaults(SimpleTestCase):
    """Faults at random moments of a sweep at 100 samples a second, through what turns samples into SI, in any cut."""

    RATE = 100.0
    CHANNELS = (("rpm", "rpm"), ("throttle", "%"), ("oil_pressure", "bar"), ("coolant_temperature", "°C"),
                ("oil_temperature", "°C"), ("lambda", "lambda"), ("exhaust_temperature", "°C"), ("boost", "kPa"),
                ("knock", "1"))  # fmt: skip
    # channel, range of what a broken engine or sensor reads: also far outside what any engine can
    BAD: ClassVar = {
        "over_speed": ("rpm", 7250.0, 19_000.0), "oil_pressure": ("oil_pressure", -9.0, 1.4),
        "coolant": ("coolant_temperature", 111.0, 900.0), "oil": ("oil_temperature", 136.0, 900.0),
        "lean": ("lambda", 0.985, 9.9), "boost": ("boost", 97.0, 900.0),
        "exhaust": ("exhaust_temperature", 952.0, 3000.0), "knock": ("knock", 1.0, 5.0),
    }  # fmt: skip

    def sweep(self, dice: np.random.Generator) -> dict[str, np.ndarray]:
        time = np.arange(0, 2.5, 1 / self.RATE)
        noise = lambda scale: dice.normal(0, scale, len(time))  # noqa: E731  # of each channel its own
        return {
            "rpm": 2500 + 350 * time + noise(1.5), "throttle": np.full(len(time), 100.0),
            "oil_pressure": 5.0 + noise(0.02), "coolant_temperature": np.full(len(time), 82.0),
            "oil_temperature": np.full(len(time), 95.0), "lambda": 0.87 + noise(0.003),
            "exhaust_temperature": np.round(650 + 20 * time), "boost": 78 + noise(0.25), "knock": np.zeros(len(time)),
        }  # fmt: skip

    def first_trip(self, samples: dict[str, np.ndarray], dice: np.random.Generator) -> tuple[int, Trip] | None:
        names, units = zip(*self.CHANNELS, strict=True)
        picture = LiveState(Hello("stand", self.RATE, names, units, (), frozenset(), "included", 0.0, simulated=True))
        guard = Guard(in_force(USUAL, redline=7200.0, boost_target=80_000.0), self.RATE)
        rows = np.column_stack([samples[name] for name in names])
        at = 0
        while at < len(rows):
            end = at + int(dice.integers(1, 11))
            part = rows[at:end]
            picture.take(np.arange(at, at + len(part)) / self.RATE, part, sweeping=True)
            if trip := guard.watch(picture.raw):
                return end, trip
            at = end
        return None

    def test_none_is_missed_and_each_is_found_within_a_tenth_of_a_second(self):
        dice = np.random.default_rng(14)
        for number in range(1000 if LONG else 80):
            key = list(self.BAD)[number % len(self.BAD)]
            channel, low, high = self.BAD[key]
            samples, begins = self.sweep(dice), int(dice.integers(30, 200))
            samples[channel] = samples[channel].copy()
            samples[channel][begins:] = dice.uniform(low, high)
            with self.subTest(key=key, reads=samples[channel][-1], begins=begins):
                found = self.first_trip(samples, dice)
                self.assertIsNotNone(found)
                seen, trip = found
                self.assertEqual((trip.limit.key, trip.cause), (key, Cause.CROSSED))
                # Ten samples at most, and what was still in the same block as the last of them.
                self.assertLessEqual(seen - begins, 10 + 10)

    def test_sweeps_without_a_fault_are_left_alone(self):
        dice = np.random.default_rng(15)
        for _ in range(100 if LONG else 10):
            self.assertIsNone(self.first_trip(self.sweep(dice), dice))
