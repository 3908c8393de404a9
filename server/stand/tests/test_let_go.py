"""A serial line that the adapter of a stand holds, and another map that is tried on it: with the real programs."""

import subprocess
import sys
import tempfile
import time
import tomllib
from pathlib import Path
from typing import Any

import scenes
from django.conf import settings
from django.test import TestCase

from adapters import stand_map
from demo.stand_day import simulated_stand
from shop.models import Person, Role, Stand
from shop.refusals import Refusal
from stand.models import Pull, PullState
from stand.stands.let_go import let_go

LONGEST_S = 60.0  # a slow machine needs it


class SerialLine(TestCase):
    owner: Person
    stand: Stand
    map: dict[str, Any]

    @classmethod
    def setUpTestData(cls) -> None:
        cls.owner = scenes.person(Role.OWNER)
        folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        written = folder / "map.toml"
        cls.enterClassContext(simulated_stand("--over", "serial", "--map", str(written)))
        cls.map = tomllib.loads(written.read_text())
        command = [sys.executable, "-m", "adapters", str(written), "--port", "0"]
        adapter = cls.enterClassContext(
            subprocess.Popen(command, cwd=settings.ROOT, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        )
        cls.addClassCleanup(adapter.terminate)
        assert adapter.stdout is not None
        port = int(adapter.stdout.readline().rsplit(":", 1)[1])
        found = stand_map.read(written.read_text())
        cls.stand = Stand.objects.create(name="Cell 1", port=port, map=stand_map.write(found))

    def why(self, stand: int | None) -> str:
        self.client.force_login(self.owner)
        body = {"map": self.map, "stand": stand}
        tried = self.client.post("/api/stands/try-map", body, content_type="application/json").json()
        return str(tried["sources"][0]["why"])

    def wait_until_held(self) -> None:
        given_up = time.monotonic() + LONGEST_S
        while "another program" not in self.why(None):
            self.assertLess(time.monotonic(), given_up, "the adapter did not take it")

    def test_the_adapter_lets_go_of_it_and_takes_it_up_again(self):
        self.wait_until_held()
        self.assertEqual(self.why(self.stand.pk), "")
        let_go(self.stand.pk, 0)
        self.wait_until_held()

    def test_not_while_a_pull_is_armed_there(self):
        session = scenes.session(scenes.programme(self.owner), self.owner, self.stand)
        made = scenes.pull(session, session.programme.setups.all()[0], self.owner, keep=False)
        Pull.objects.filter(pk=made.pk).update(state=PullState.ARMED)
        with self.assertRaisesRegex(Refusal, "armed or running"):
            let_go(self.stand.pk, 5)

    def test_a_stand_without_one_or_that_is_not_there_has_nothing_to_let_go_of(self):
        let_go(None, 5)
        let_go(Stand.objects.create(name="Cell 2").pk, 5)
        Stand.objects.filter(pk=self.stand.pk).update(port=1)
        let_go(self.stand.pk, 5)
