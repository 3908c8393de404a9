"""Stands as the owner arranges them: what is refused and why, what a worker follows, and what trying a line tells."""

import json
import socket
import subprocess
import sys
import tempfile
import threading
from pathlib import Path
from typing import Any

import scenes
from django.conf import settings
from django.core.management import call_command
from django.test import TestCase

from adapters import stand_map
from ops.lanes import lane_port
from shop.models import AuditEntry, Person, Role, Shop, Stand
from shop.refusals import Refusal
from stand.models import Pull
from stand.session import opening
from stand.stands.try_line import try_line

MAP: dict[str, Any] = {
    "rate_hz": 50,
    "sources": [{"kind": "modbus", "host": "192.0.2.10"}],
    "channels": [{"name": "rpm", "unit": "rpm", "register": 100}, {"name": "torque", "unit": "N·m", "register": 102}],
}
FACTS = {"name": "Cell 1", "host": "192.0.2.10", "port": "7420"}


class Arranging(TestCase):
    owner: Person
    operator: Person

    @classmethod
    def setUpTestData(cls):
        cls.owner, cls.operator = scenes.person(Role.OWNER), scenes.person(Role.OPERATOR)

    def setUp(self):
        self.client.force_login(self.owner)

    def send(self, method: str, path: str, body: dict | None = None):
        return getattr(self.client, method)(f"/api/stands{path}", body or {}, content_type="application/json")

    def add(self, **changed: object):
        return self.send("post", "", {**FACTS, **changed})

    def fields(self, answer) -> set[str]:
        self.assertEqual(answer.status_code, 422, answer.content)
        return set(answer.json()["fields"])

    def test_one_is_added_in_the_units_of_whoever_adds_it(self):
        row = self.add(elevation="1000 ft", inertia="0.45").json()
        self.assertEqual((row["name"], row["elevation"], row["inertia"]), ("Cell 1", "304.8 m", "0.45 kg·m²"))
        self.assertIn("bench worker has not reported", row["why"])
        self.assertEqual(AuditEntry.objects.get().what, "added the stand Cell 1 at 192.0.2.10:7420")

    def test_what_cannot_be_used_is_named_by_field(self):
        self.add()
        other = {"name": "B", "port": "7421"}
        for changed, field in (
            ({"name": ""}, "name"), ({"name": "cell 1"}, "name"), ({"host": "a b"}, "host"),
            ({"port": "70000"}, "port"),
            ({"port": "7,4"}, "port"), ({"port": "7420"}, "host"), ({"elevation": "high"}, "elevation"),
            ({"inertia": "500 kg·m²"}, "inertia"),
        ):  # fmt: skip
            self.assertEqual(self.fields(self.add(**{**other, **changed})), {field}, changed)
        self.assertEqual(self.add(name="B").json()["fields"]["host"], "Cell 1 has this address and port")
        self.assertEqual(Stand.objects.count(), 1)

    def test_one_with_a_map_is_read_by_an_adapter_of_this_machine(self):
        row = self.add(host="", port="", map=MAP).json()
        stand = Stand.objects.get(pk=row["id"])
        self.assertEqual((stand.host, row["map"]["channels"][1]["register"]), ("127.0.0.1", 102))
        self.assertEqual(stand_map.read(stand.map).stand, "Cell 1")
        again = self.send("put", f"/{stand.pk}", {**FACTS, "name": "Cell one", "map": {**MAP, "rate_hz": 20}}).json()
        self.assertEqual((again["port"], again["map"]["rate_hz"]), (stand.port, 20))
        plain = self.send("put", f"/{stand.pk}", FACTS).json()
        self.assertEqual((plain["host"], plain["map"]), ("192.0.2.10", None))

    def test_what_is_wrong_in_a_map_is_named_by_its_place(self):
        rows = [MAP["channels"][0], {"name": "torque", "unit": "pounds", "register": 102}]
        for changed, field in (({"map": {**MAP, "channels": rows}}, "map.channels.1.unit"),
                               ({"map": {**MAP, "sources": []}}, "map.sources"),
                               ({"map": MAP, "worker_elsewhere": True}, "worker_elsewhere")):  # fmt: skip
            self.assertEqual(self.fields(self.add(**changed)), {field})

    def test_a_signal_that_the_dbc_file_does_not_have_is_named_at_its_row(self):
        dbc = 'VERSION ""\nBU_: Stand\n\nBO_ 512 Brake: 8 Stand\n SG_ rpm : 0|32@1- (1,0) [0|0] "" Stand\n'
        over = {"sources": [{"kind": "can", "channel": "can0", "dbc": dbc}],
                "channels": [{"name": "rpm", "unit": "rpm", "signal": "Brake.rpm"},
                             {"name": "torque", "unit": "N·m", "signal": "Brake.torque"}]}  # fmt: skip
        answer = self.add(map={**MAP, **over})
        self.assertEqual(self.fields(answer), {"map.channels.1.signal"})
        self.assertIn("no signal Brake.torque", answer.json()["fields"]["map.channels.1.signal"])

    def test_every_channel_of_the_computation_is_offered_with_units_that_a_map_takes(self):
        found = self.client.get("/api/stands/map-choices").json()
        units = {one["name"]: one["units"] for one in found["channels"]}
        self.assertEqual((list(units)[:2], units["rpm"]), (["rpm", "throttle"], ["rpm"]))
        self.assertLessEqual({"lb-ft", "N·m"}, set(units["torque"]))
        rows = [{"name": name, "unit": unit, "register": 2} for name, all_ in units.items() for unit in all_[:1]]
        self.assertEqual(self.add(map={**MAP, "channels": rows}).status_code, 200)

    def test_a_map_goes_out_as_a_file_and_comes_in_again(self):
        text = self.send("post", "/write-map", {"map": {**MAP, "stand": "Cell 1"}}).json()["toml"]
        self.assertEqual(stand_map.read(text).stand, "Cell 1")
        self.assertEqual(self.send("post", "/read-map", {"toml": text}).json()["map"]["channels"][1]["register"], 102)
        self.assertIn("map.channels", self.fields(self.send("post", "/read-map", {"toml": "stand = 'A'"})))
        self.assertEqual(self.fields(self.send("post", "/read-map", {"toml": "stand ="})), {"map"})

    def test_a_map_is_tried_before_it_is_whole(self):
        found = self.send(
            "post",
            "/try-map",
            {"map": {**MAP, "sources": [{"kind": "modbus", "host": "127.0.0.1", "port": lane_port()}]}},
        ).json()
        self.assertRegex(found["sources"][0]["why"], "nothing answers|does not answer")
        self.assertEqual([row["why"] for row in found["rows"]], ["nothing came", "nothing came"])

    def test_a_map_is_not_changed_while_a_session_is_open(self):
        stand = Stand.objects.get(pk=self.add(map=MAP).json()["id"])
        scenes.session(scenes.programme(self.operator), self.operator, stand)
        changed = self.send("put", f"/{stand.pk}", {**FACTS, "map": {**MAP, "rate_hz": 20}})
        self.assertEqual(changed.json()["code"], "session_open")

    def test_simulated_ones_have_names_and_ports_of_their_own(self):
        Shop.objects.create(pk=1, name="Works", elevation=420.0)
        rows = [self.send("post", "/simulated", {"engine": engine}).json() for engine in ("six", "four")]
        self.assertEqual([row["name"] for row in rows], ["Simulated stand", "Simulated stand 2"])
        self.assertNotEqual(rows[0]["port"], rows[1]["port"])
        self.assertEqual(rows[0]["elevation"], "420 m")
        self.assertEqual(self.fields(self.send("post", "/simulated", {"engine": "steam"})), {"engine"})

    def test_one_that_runs_is_neither_moved_nor_retired(self):
        stand = Stand.objects.get(pk=self.add().json()["id"])
        session = scenes.session(scenes.programme(self.operator), self.operator, stand)
        moved = self.send("put", f"/{stand.pk}", {**FACTS, "port": "7500"})
        self.assertEqual((moved.status_code, moved.json()["code"]), (409, "session_open"))
        self.assertEqual(self.send("put", f"/{stand.pk}", {**FACTS, "name": "Cell one"}).status_code, 200)
        retired = self.send("post", f"/{stand.pk}/retire")
        self.assertIn("Close the session first", retired.json()["detail"])
        opening.close_session(self.operator, session, scenes.DAY)
        self.assertEqual(self.send("post", f"/{stand.pk}/retire").status_code, 200)

    def test_the_line_of_one_whose_engine_runs_is_not_tried(self):
        stand = Stand.objects.get(pk=self.add(host="127.0.0.1", port="1").json()["id"])
        planned = scenes.programme(self.operator)
        session = scenes.session(planned, self.operator, stand)
        pull = scenes.pull(session, planned.setups.first(), self.operator, keep=False)
        body = {"host": "127.0.0.1", "port": "1"}
        for state, status in (("armed", 409), ("running", 409), ("complete", 200)):
            Pull.objects.filter(pk=pull.pk).update(state=state)
            self.assertEqual(self.send("post", "/try", body).status_code, status, state)

    def test_a_retired_one_is_out_of_use_until_it_is_brought_back(self):
        stand = Stand.objects.get(pk=self.add().json()["id"])
        planned = scenes.programme(self.operator)
        self.send("post", f"/{stand.pk}/retire")
        stand.refresh_from_db()
        with self.assertRaisesRegex(Refusal, "Cell 1 is not in use"):
            opening.open_session(self.operator, planned, stand, scenes.DAY)
        self.assertEqual(self.client.get(f"/api/programmes/{planned.pk}/day").json()["stands"], [])
        self.add(name="Cell 2")  # it takes the address
        self.assertIn("Cell 2 has this address", self.send("post", f"/{stand.pk}/bring-back").json()["detail"])
        Stand.objects.filter(name="Cell 2").delete()
        self.assertEqual(self.send("post", f"/{stand.pk}/bring-back").json()["retired_at"], None)

    def test_only_one_that_was_never_used_is_deleted(self):
        stand = Stand.objects.get(pk=self.add().json()["id"])
        scenes.session(scenes.programme(self.operator), self.operator, stand)
        self.assertEqual(self.send("delete", f"/{stand.pk}").json()["code"], "stand_used")
        other = self.add(name="Cell 2", port="7421").json()["id"]
        self.assertEqual(self.send("delete", f"/{other}").status_code, 204)

    def test_the_workers_follow_what_is_in_use_and_run_here(self):
        self.add()
        self.add(name="Cell 2", port="7421", worker_elsewhere=True)
        gone = self.add(name="Cell 3", port="7422").json()["id"]
        self.send("post", f"/{gone}/retire")
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "stands.json"
            call_command("follow_stands", "--into", str(file), "--once")
            self.assertEqual([row["name"] for row in json.loads(file.read_text())], ["Cell 1"])


class Trying(TestCase):
    """A line is tried by connecting to it: against the simulated stand, and against what is none."""

    def listen(self, says: bytes) -> int:
        listening = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(listening.close)

        def answer() -> None:
            try:
                line, _ = listening.accept()
            except OSError:
                return
            with line:
                line.sendall(says)
                line.recv(1)  # until whoever asks has heard enough

        threading.Thread(target=answer, daemon=True).start()
        return int(listening.getsockname()[1])

    def test_a_stand_tells_what_it_is_and_is_held_against_the_protocol(self):
        port = lane_port()
        command = [sys.executable, "-m", "standin", "--port", str(port), "--warm"]
        standin = subprocess.Popen(command, cwd=settings.ROOT, stdout=subprocess.PIPE, text=True)
        self.addCleanup(standin.communicate)
        self.addCleanup(standin.kill)
        assert standin.stdout is not None
        standin.stdout.readline()
        self.client.force_login(scenes.person(Role.OWNER))
        body = {"host": "127.0.0.1", "port": str(port)}
        told = self.client.post("/api/stands/try", body, content_type="application/json").json()
        self.assertEqual((told["why"], told["simulated"], told["rate_hz"]), ("", True, 50.0))
        self.assertIn({"name": "torque", "unit": "N·m", "understood": "Torque"}, told["channels"])
        self.assertTrue({"arm", "start", "abort"} <= set(told["can"]))
        self.assertGreater(len(told["checks"]), 3)
        self.assertEqual([check for check in told["checks"] if check["wrong"]], [])

    def test_nothing_there(self):
        self.assertIn("Nothing answers at 127.0.0.1:", try_line("127.0.0.1", lane_port()).why)

    def test_a_name_that_nobody_knows(self):
        self.assertIn("Nothing answers at no-such-host.invalid:7420", try_line("no-such-host.invalid", 7420).why)

    def test_something_else_answers(self):
        port = self.listen(b"HTTP/1.1 400 Bad Request\r\nContent-Length: 0\r\n\r\n")
        self.assertIn("but it is no stand", try_line("127.0.0.1", port).why)

    def test_a_stand_that_says_nonsense_of_itself_is_told_what(self):
        hello = {"type": "hello", "protocol": 1, "stand": "x", "rate_hz": 50,
                 "channels": [{"name": "rpm", "unit": "rpm"}, {"name": "rpm", "unit": "rpm"}]}  # fmt: skip
        port = self.listen(json.dumps(hello).encode() + b"\n")
        # What it says of itself is refused as a line that is not understood, so it never becomes a stand.
        why = try_line("127.0.0.1", port).why
        self.assertIn("two channels are called rpm", why)
