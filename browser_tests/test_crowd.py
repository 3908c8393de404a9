"""Many people at once: everybody is answered, and whoever has the stand does not wait behind them."""

from __future__ import annotations

import json
import threading
import time
import urllib.error
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from django.db import connection
from django.utils import timezone

from browser_tests.at_the_stand import TRUMPETS
from browser_tests.case import StandCase, cookies_of
from config.turnstile import PLACES, RESERVED
from programmes.models import Programme
from shop.models import Person, Stand
from stand.models import Link, Pull, PullState
from stand.session import checklist, opening

OURS = 8  # connections of the bench worker, the test itself and the web process's own listening


class AskedWithoutPause(StandCase):
    """What happens to whoever has the stand, while others ask and watch."""

    requests, streams = 200, 50
    wanted: tuple[str, ...] = ("/day", "/stand", "")
    wanted_of = TRUMPETS  # the test that it is asked of

    def setUp(self) -> None:
        super().setUp()
        self.mats = Person.objects.get(username="mats")
        self.programme = Programme.objects.get(question=TRUMPETS)
        self.cookies = cookies_of("mats")
        self.statuses: list[int] = []
        self.streamed: set[int] = set()
        self.most_connections = 0
        self.took_s: dict[str, float] = {}
        self.over, self.through = threading.Event(), threading.Event()
        self.addCleanup(self.over.set)
        self.addCleanup(self.through.set)

    def request(self, path: str, body: dict[str, Any] | None = None) -> urllib.request.Request:
        cookie = "; ".join(f"{name}={value}" for name, value in self.cookies.items())
        headers = {"Cookie": cookie, "X-CSRFToken": self.cookies["csrftoken"], "Content-Type": "application/json",
                   "Referer": self.base}  # fmt: skip
        data = None if body is None else json.dumps(body).encode()
        return urllib.request.Request(self.base + path, data, headers)

    def ask(self, path: str, body: dict[str, Any] | None = None) -> Any:
        try:
            with urllib.request.urlopen(self.request(path, body)) as answer:
                self.statuses.append(answer.status)
                return json.loads(answer.read() or b"null")
        except urllib.error.HTTPError as error:
            with error:
                self.statuses.append(error.code)
                return json.loads(error.read())

    def watch(self, number: int) -> None:
        with urllib.request.urlopen(self.request(f"/api/programmes/{self.programme.pk}/live")) as stream:
            for line in stream:
                if line.startswith(b"data: "):
                    self.streamed.add(number)
                if self.over.is_set():
                    return

    def count_connections(self) -> None:
        with connection.cursor() as cursor:
            cursor.execute("SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()")
            self.most_connections = max(self.most_connections, cursor.fetchone()[0])

    def ask_again_and_again(self, path: str) -> None:
        """As long as the pull is not aborted, so that it has to come past."""
        while not self.through.is_set():
            self.ask(path)

    def time_telling(self, name: str, path: str, body: dict[str, Any] | None) -> None:
        began = time.monotonic()
        self.ask(path, body)
        self.took_s[name] = time.monotonic() - began

    def arm_and_abort(self) -> None:
        """While everybody asks and watches."""
        self.until(lambda: Link.objects.filter(stand__port=self.stand_port, connected=True).exists(), "a linked stand")
        stand = Link.objects.filter(stand__port=self.stand_port, connected=True).earliest("pk").stand
        session = opening.open_session(self.mats, self.programme, stand, timezone.now())
        setup = self.programme.setups.get(is_baseline=True)
        for one in checklist.due(session, setup):
            checklist.tick(self.mats, session, setup, one.item, "seen", {}, timezone.now())
        viewers = [threading.Thread(target=self.watch, args=(number,), daemon=True) for number in range(self.streams)]
        for viewer in viewers:
            viewer.start()
        self.until(lambda: len(self.streamed) == self.streams, "frames for everybody")
        of = Programme.objects.get(question=self.wanted_of)
        paths = [f"/api/programmes/{of.pk}{what}" for what in self.wanted]
        with ThreadPoolExecutor(self.requests) as crowd:
            asked = [
                crowd.submit(self.ask_again_and_again, paths[number % len(paths)]) for number in range(self.requests)
            ]
            try:
                self.time_telling("arm", f"/api/sessions/{session.pk}/arm", {"setup_id": setup.pk})
                pull = Pull.objects.get(session=session)
                self.until(lambda: self.state_of(stand) == "armed", "the armed stand")
                self.while_armed()
                self.time_telling("abort", f"/api/pulls/{pull.pk}/abort", {})
                self.until(lambda: Pull.objects.get(pk=pull.pk).state == PullState.ABORTED, "the abort")
            finally:
                self.through.set()
            for answer in asked:
                answer.result()

    def while_armed(self) -> None:
        """What else is to be looked at in the meantime."""

    def state_of(self, stand: Stand) -> str:
        self.count_connections()
        return Link.objects.get(stand=stand).state


class Crowd(AskedWithoutPause):
    def test_a_pull_is_armed_and_aborted_while_two_hundred_ask_and_fifty_watch(self):
        self.arm_and_abort()
        self.assertEqual([status for status in self.statuses if status >= 300], [])
        self.assertGreater(len(self.statuses), self.requests)
        self.assertLessEqual(self.most_connections, PLACES + RESERVED + OURS)
