import json
import math
import socket
from collections.abc import Iterator
from typing import Any

from django.test import SimpleTestCase

from stand.worker.line import (
    Hello,
    HelloRefused,
    Line,
    LineLost,
    LineNotUnderstood,
    LineWeather,
    Reply,
    Samples,
    StateChange,
)

HELLO = {
    "type": "hello", "protocol": 1, "stand": "S", "rate_hz": 50,
    "channels": [{"name": "rpm", "unit": "rpm"}, {"name": "torque", "unit": "N·m"}],
    "weather": [{"name": "barometer", "unit": "kPa"}], "can": ["arm"],
    "inertia": {"torque": "not_included", "kg_m2": 0.4},
}  # fmt: skip


class LineCase(SimpleTestCase):
    def setUp(self):
        ours, self.stand = socket.socketpair()
        ours.setblocking(False)
        self.line = Line(ours)
        self.addCleanup(self.stand.close)
        self.addCleanup(self.line.close)

    def heard(self, *messages: Any) -> list[Any]:
        for message in messages:
            line = message if isinstance(message, bytes) else json.dumps(message).encode() + b"\n"
            self.stand.sendall(line)
        return list(self.line.read())


class Messages(LineCase):
    def test_every_kind_of_message_is_read(self):
        heard = self.heard(
            HELLO,
            {"type": "samples", "n": 7, "t": [0.1, 0.12], "v": [[1000, 5.5], [1001.5, 6]]},
            {"type": "state", "state": "armed", "t": 0.2},
            {"type": "weather", "t": 0.2, "v": [97.2]},
            {"type": "reply", "id": 4, "ok": False, "why": "too hot"},
        )
        self.assertIsInstance(heard[0], Hello)
        self.assertEqual(heard[1].first, 7)
        self.assertEqual(heard[1].table().tolist(), [[0.1, 1000.0, 5.5], [0.12, 1001.5, 6.0]])
        self.assertEqual(heard[2:], [StateChange("armed"), LineWeather([97.2]), Reply(4, False, "too hot")])

    def test_a_stand_that_takes_its_leave_is_lost_for_the_reason_it_gives_after_what_it_sent(self):
        self.heard(HELLO)
        for message in ({"type": "samples", "n": 7, "t": [0.1], "v": [[1000, 5.5]]}, {"type": "bye", "why": "no bus"}):
            self.stand.sendall(json.dumps(message).encode() + b"\n")
        reading: Iterator[Any] = self.line.read()
        self.assertEqual(next(reading).first, 7)
        with self.assertRaisesRegex(LineLost, "no bus"):
            next(reading)

    def test_samples_that_follow_each_other_come_as_one_block_and_a_gap_parts_them(self):
        one = [{"type": "samples", "n": number, "t": [number / 50], "v": [[1000 + number, 5]]} for number in (4, 5, 8)]
        first, second = self.heard(HELLO, *one, {"type": "state", "state": "idle"})[1:3]
        self.assertEqual((first.first, first.rows[:, 0].tolist()), (4, [1004.0, 1005.0]))
        self.assertEqual((second.first, second.rows[:, 0].tolist()), (8, [1008.0]))

    def test_a_message_cut_in_two_waits_for_its_end(self):
        self.assertEqual(self.heard(b'{"type":"state",'), [])
        self.assertEqual(self.heard(b'"state":"idle"}\n'), [StateChange("idle")])

    def test_a_sensor_that_sends_nothing_or_words_becomes_nan_and_the_others_stay(self):
        _, samples = self.heard(
            HELLO, {"type": "samples", "n": 1, "t": [0, 1, 2], "v": [[None, 5], ["x", 6], [True, 7]]}
        )
        assert isinstance(samples, Samples)
        self.assertTrue(all(math.isnan(row[0]) for row in samples.rows))
        self.assertEqual([row[1] for row in samples.rows], [5, 6, 7])

    def test_lines_that_are_not_the_protocol_are_told_and_passed_over(self):
        heard = self.heard(
            HELLO, b"garbage\n", {"type": "dance"}, {"type": "samples", "n": 1, "t": [0], "v": [[1, 2, 3]]}, b"[]\n",
            {"type": "state", "state": "idle"},
        )  # fmt: skip
        self.assertEqual([type(message) for message in heard[1:5]], [LineNotUnderstood] * 4)
        self.assertEqual(heard[5], StateChange("idle"))

    def test_a_hello_that_no_pull_could_be_recorded_with_is_refused_in_words(self):
        channels: Any = HELLO["channels"]
        rpm, torque = channels
        for wrong, told in (
            ({"protocol": 2}, "speaks protocol 2"),
            ({"channels": [rpm, torque, rpm]}, "two channels are called rpm"),
            ({"channels": [rpm, torque, {"name": "time", "unit": "s"}]}, "a channel is called time"),
            ({"channels": [rpm, {"name": "torque", "unit": "foot-pounds-force"}]}, "channels.1.unit: String should"),
            ({"channels": []}, "channels: List should have at least 1"),
            ({"inertia": {"torque": "yes"}}, "inertia.torque: Input should be 'included'"),
            ({"inertia": {"torque": "already added"}}, "inertia.torque"),
            ({"rate_hz": 0}, "rate_hz: Input should be greater"),
            ({"watchdog_s": -1}, "watchdog_s"),
        ):
            with self.subTest(told=told), self.assertRaises(HelloRefused) as refused:
                self.heard({**HELLO, **wrong})
            self.assertIn(told, str(refused.exception))


class Losses(LineCase):
    def test_a_stand_that_closes_the_line_is_lost(self):
        self.stand.close()
        with self.assertRaisesMessage(LineLost, "the stand closed the line"):
            list(self.line.read())

    def test_nothing_at_the_address_says_where_it_looked(self):
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        with self.assertRaisesMessage(LineLost, f"nothing answers at 127.0.0.1:{port}"):
            Line.connect("127.0.0.1", port)
