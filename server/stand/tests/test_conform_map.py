"""Commands by a map: the owner asks for the run, the map that passed takes them, and no engine is left running."""

import socket
import tempfile
import time
import tomllib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import scenes
from django.test import TestCase
from django.utils import timezone

from adapters import conform
from demo.stand_day import simulated_stand
from jobs.models import Job, JobState
from shop.models import AuditEntry, Person, Role, Stand
from shop.refusals import Invalid, NotAllowed, Refusal
from stand.stands import conform_map
from stand.stands.conform_map import Run

FACTS = {"name": "Cell 1", "host": "", "port": ""}


class Watched:
    """A job's own sight of whether anybody wants it."""

    def __init__(self, is_wanted: Callable[[list[str]], bool] = lambda rules: True) -> None:
        self.rules: list[str] = []
        self.is_wanted = is_wanted

    def wanted(self) -> bool:
        return self.is_wanted(self.rules)

    def tell(self, done: int = 0, total: int = 0, progress_text: str = "") -> None:
        self.rules.append(progress_text)


def free_port() -> int:
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


class Conformance(TestCase):
    owner: Person
    map: dict[str, Any]

    @classmethod
    def setUpTestData(cls) -> None:
        cls.owner = scenes.person(Role.OWNER)
        with tempfile.TemporaryDirectory() as folder:
            written = Path(folder) / "map.toml"
            over = ("--over", "modbus", "--over-port", str(free_port()), "--takes-commands", "--map", str(written))
            # So seldom that a busy machine keeps up; that the rate is held is tested over the line itself.
            cls.enterClassContext(simulated_stand("--rate", "8", "--watchdog", "3", *over))
            cls.map = tomllib.loads(written.read_text()) | {"stand": "Cell 1"}

    def setUp(self) -> None:
        self.client.force_login(self.owner)

    def run_of(self, **more: Any) -> Run:
        return Run(**{"map": self.map, "start_rpm": 2000, "end_rpm": 4000, "at_the_stop": True, **more})

    def ask(self, person: Person, stand: Stand | None = None, **more: Any) -> Job:
        return conform_map.ask(person, stand, self.run_of(**more), timezone.now())

    def save(self, method: str = "post", path: str = "", **changed: Any) -> dict[str, Any]:
        answer = getattr(self.client, method)(
            f"/api/stands{path}", {**FACTS, "map": {**self.map, **changed}}, content_type="application/json"
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        return dict(answer.json())

    def test_the_map_that_passed_takes_commands_and_no_other(self):
        row = self.save()
        self.assertIs(row["has_conformed"], False)
        watch = Watched()
        found = conform_map.work(self.ask(self.owner).arguments, watch)
        self.assertEqual([one["wrong"] for one in found["checks"] if one["wrong"]], [])
        self.assertEqual(len(watch.rules), conform_map.RULES)
        self.assertIn("asked for a conformance run of Cell 1", AuditEntry.objects.latest("pk").what)
        forged = self.map["control"] | {"conformed": found["digest"]}
        self.assertIs(self.save("put", f"/{row['id']}", control=forged)["has_conformed"], False, "nobody ran it here")
        Job.objects.update(result=found, state=JobState.DONE)
        self.assertIs(self.save("put", f"/{row['id']}")["has_conformed"], True)
        Job.objects.all().delete()  # after some days
        self.assertIs(self.save("put", f"/{row['id']}")["has_conformed"], True, "it is what is stored")
        self.assertIs(self.save("put", f"/{row['id']}", rate_hz=10)["has_conformed"], False)
        self.assertIs(self.save("put", f"/{row['id']}")["has_conformed"], False, "not stored any more: run it again")

    def test_who_may_ask_and_for_what(self):
        for role in (Role.OPERATOR, Role.VIEWER):
            with self.assertRaises(NotAllowed):
                self.ask(scenes.person(role))
        with self.assertRaisesRegex(Refusal, "no commands"):
            self.ask(self.owner, map={key: value for key, value in self.map.items() if key != "control"})
        wrong: dict[str, dict[str, Any]] = {
            "at_the_stop": {"at_the_stop": False}, "start_rpm": {"start_rpm": 0}, "end_rpm": {"end_rpm": 2500},
            "map.rate_hz": {"map": {**self.map, "rate_hz": 0}},
        }  # fmt: skip
        for field, more in wrong.items():
            with self.subTest(field=field), self.assertRaises(Invalid) as caught:
                self.ask(self.owner, **more)
            self.assertEqual(list(caught.exception.fields), [field])
        self.assertFalse(Job.objects.exists())

    def test_not_while_a_session_is_open_on_that_stand(self):
        stand = Stand.objects.get(pk=self.save()["id"])
        scenes.session(scenes.programme(self.owner), self.owner, stand)
        with self.assertRaisesRegex(Refusal, "Close it first"):
            self.ask(self.owner, stand)

    def test_stopped_in_the_middle_of_a_sweep_the_engine_is_stopped_first(self):
        asked_to_end: list[float] = []

        def is_wanted(rules: list[str]) -> bool:
            """Until it sweeps without a beat: all rules but the last are tried."""
            if len(rules) < conform_map.RULES - 1:
                return True
            asked_to_end.append(time.monotonic())
            return False

        found = conform_map.work(self.ask(self.owner).arguments, Watched(is_wanted))
        self.assertTrue(asked_to_end)
        self.assertEqual(found["digest"], "")
        self.assertNotIn(conform.AT_REST, [one["rule"] for one in found["checks"]], "it was stopped")
