"""The conformance test passes the simulated stand in every shape, and finds each rule that is broken."""

import json
import socket
import threading
from collections.abc import Callable
from typing import Any
from unittest import TestCase

from torvix_core.units.quantities import SPELLINGS, UNITS

from demo.stand_day import simulated_stand
from standin import conformance

HELLO: dict[str, Any] = {
    "type": "hello", "protocol": 1, "stand": "S", "rate_hz": 50, "can": [], "states": False,
    "channels": [{"name": "rpm", "unit": "rpm"}, {"name": "torque", "unit": "N·m"}],
}  # fmt: skip


class Honest(TestCase):
    def test_the_simulated_stand_conforms_in_every_shape(self):
        for options, sweep in (((), True), (("--engine", "four"), False), (("--reports-only",), False),
                               (("--rate", "200"), False)):  # fmt: skip
            with self.subTest(options=options), simulated_stand("--warm", *options) as port:
                told = list(conformance.run("127.0.0.1", port, sweep=sweep))
                self.assertEqual([wrong for _, wrong in told if wrong], [])
                self.assertEqual(len(told), 7 if sweep else 5)

    def test_it_knows_the_units_that_the_application_knows(self):
        self.assertEqual([unit for unit in conformance.UNITS if SPELLINGS.get(unit, unit) not in UNITS], [])


def samples(number: int, count: int = 5) -> dict[str, Any]:
    first = number * count
    times = [(first + one) / 50 for one in range(count)]
    return {"type": "samples", "n": first, "t": times, "v": [[1000.0, 5.0]] * count}


class Broken(TestCase):
    """A stand made of a few lines, wrong in one thing at a time."""

    def verdict(self, hello: dict[str, Any], shape: Callable[[int], Any] = samples) -> str:
        listening = socket.create_server(("127.0.0.1", 0))

        def serve() -> None:
            line, _ = listening.accept()
            with line:
                try:
                    line.sendall(json.dumps(hello).encode() + b"\n")
                    for number in range(60):
                        told = shape(number)
                        line.sendall((told if isinstance(told, bytes) else json.dumps(told).encode()) + b"\n")
                        threading.Event().wait(0.05)
                except OSError:
                    return

        thread = threading.Thread(target=serve, daemon=True)
        thread.start()
        try:
            told = list(conformance.run("127.0.0.1", listening.getsockname()[1], sweep=False))
        finally:
            listening.close()
        return next((wrong for _, wrong in told if wrong), "")

    def test_each_broken_rule_is_named(self):
        gap = lambda number: samples(number + (number > 3))  # noqa: E731
        still = lambda number: {**samples(number), "t": [1.0] * 5}  # noqa: E731
        short = lambda number: {**samples(number), "v": [[1.0]] * 5}  # noqa: E731
        fast = lambda number: {**samples(number), "t": [at / 3 for at in samples(number)["t"]]}  # noqa: E731
        for hello, shape, told in (
            ({**HELLO, "protocol": 7}, samples, "protocol is 7"),
            ({**HELLO, "type": "welcome"}, samples, "the first message must be hello"),
            ({**HELLO, "channels": HELLO["channels"][:1]}, samples, "rpm and torque"),
            ({**HELLO, "channels": [*HELLO["channels"], {"name": "x", "unit": "furlong"}]}, samples, "furlong"),
            ({**HELLO, "rate_hz": "fast"}, samples, "rate_hz"),
            (HELLO, gap, "follows"),
            (HELLO, still, "time goes from"),
            (HELLO, short, "1 values for 2 channels"),
            (HELLO, fast, "samples come 150.0 a second"),
            (HELLO, lambda number: b"hello there", "not JSON"),
            ({**HELLO, "states": True}, samples, "states must be said"),
            ({**HELLO, "weather": [{"name": "barometer", "unit": "kPa"}]}, samples, "none was said"),
        ):  # fmt: skip
            with self.subTest(told=told):
                self.assertIn(told, self.verdict(hello, shape))

    def test_a_line_that_was_held_up_once_keeps_its_rate(self):
        held_up = lambda number: {**samples(number), "t": [at + 0.6 * (number > 2) for at in samples(number)["t"]]}  # noqa: E731
        self.assertNotIn("a second", self.verdict(HELLO, held_up))
