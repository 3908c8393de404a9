"""Two sources that send the engine speed, one of them late: how late is measured by the job, by the real program."""

import math
import socket
import socketserver
import threading
import time
from typing import Any
from unittest import mock

import scenes
from django.test import TestCase
from django.utils import timezone

from jobs.service import Unusable
from shop.models import Role
from shop.refusals import NotAllowed, Refusal
from stand.stands import measure_delays

LATE_S = 0.15


class Sender(socketserver.BaseRequestHandler):
    """Fifty lines a second: the engine as it was `late_s` ago."""

    late_s = 0.0

    def handle(self) -> None:
        try:
            while True:
                rpm = 2500 + 800 * math.sin(1.3 * (time.monotonic() - self.late_s))
                self.request.sendall(f"{rpm:.1f},20.0\n".encode())
                time.sleep(0.02)  # the pace of a stand, not a wait for anything
        except OSError:
            pass


class LateSender(Sender):
    late_s = LATE_S


class Watch:
    def __init__(self, wanted: bool = True) -> None:
        self.is_wanted = wanted
        self.progress: list[tuple[Any, ...]] = []

    def wanted(self) -> bool:
        return self.is_wanted

    def tell(self, *progress: Any) -> None:
        self.progress.append(progress)


class Delays(TestCase):
    def serve(self, handler: type[Sender]) -> int:
        server = socketserver.ThreadingTCPServer(("127.0.0.1", 0), handler)
        server.daemon_threads = True
        thread = threading.Thread(target=server.serve_forever)
        thread.start()
        self.addCleanup(thread.join)
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        return int(server.server_address[1])

    def document(self, *ports: int) -> dict[str, Any]:
        names = ["brake", "engine computer"]
        return {
            "stand": "Cell", "rate_hz": 50,
            "sources": [
                {"kind": "text", "name": name, "host": "127.0.0.1", "port": port}
                for name, port in zip(names, ports, strict=False)
            ],
            "channels": [
                {"name": "rpm", "unit": "rpm", "source": "brake", "field": "1"},
                {"name": "torque", "unit": "N·m", "source": "brake", "field": "2"},
                {"name": "speed of the computer", "unit": "rpm", "source": "engine computer", "field": "1"},
            ],
        }  # fmt: skip

    def test_how_late_the_other_source_is_comes_with_its_error(self):
        document = self.document(self.serve(Sender), self.serve(LateSender))
        watch = Watch()
        with mock.patch.object(measure_delays, "SECONDS", 8.0):
            found = measure_delays.work({"map": document}, watch)["lags"]
        self.assertEqual([one["source"] for one in found], ["engine computer"])
        self.assertAlmostEqual(found[0]["lag_s"], LATE_S, delta=max(0.02, 2 * found[0]["error_s"]))
        self.assertLess(found[0]["error_s"], 0.1)
        self.assertIn("up and down", watch.progress[0][2])

    def test_a_source_that_is_not_there_is_said(self):
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            nothing = taken.getsockname()[1]  # it does not listen
            document = self.document(self.serve(Sender), nothing)
            with self.assertRaisesRegex(Unusable, f"Nothing answers at 127.0.0.1:{nothing}"):
                measure_delays.work({"map": document}, Watch())

    def test_stopped_it_ends_at_once(self):
        document = self.document(self.serve(Sender), self.serve(LateSender))
        self.assertEqual(measure_delays.work({"map": document}, Watch(wanted=False)), {})

    def test_who_may_ask_and_for_what(self):
        owner = scenes.person(Role.OWNER)
        with self.assertRaises(NotAllowed):
            measure_delays.ask(scenes.person(Role.OPERATOR), self.document(1, 2), timezone.now())
        with self.assertRaisesRegex(Refusal, "one source"):
            measure_delays.ask(owner, self.document(1), timezone.now())
        self.assertEqual(measure_delays.ask(owner, self.document(1, 2), timezone.now()).about, "Cell")
