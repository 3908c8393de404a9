"""The web server on the network: HTTPS of its own, behind a proxy, several processes on one database."""

import http.client
import json
import os
import re
import signal
import socket
import ssl
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

import scenes
from django.conf import settings
from django.db import connection
from django.test import Client, SimpleTestCase, TransactionTestCase
from django.utils import timezone

from jobs import service as jobs
from jobs.models import OVER, Job
from ops import certificate
from ops.database import Elsewhere
from ops.lanes import lane_port
from ops.machine import CannotGoOn
from ops.network import Door
from shop.models import Role
from verdicts.outlook import odds
from verdicts.tests.test_workers import SMALL_PLAN

MANAGE = str(settings.ROOT / "server" / "manage.py")


class Certificates(SimpleTestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.now = datetime.now(UTC)

    def test_one_is_made_for_the_names_wanted_and_kept_while_it_fits(self):
        made = certificate.make(self.folder, ["dyno.example", "192.0.2.7"], self.now)
        self.assertEqual(certificate.names_of(made), {"dyno.example", "192.0.2.7"})
        self.assertEqual((self.folder / "key.pem").stat().st_mode & 0o777, 0o600)
        again = certificate.make(self.folder, ["dyno.example"], self.now)
        self.assertEqual(certificate.fingerprint(again), certificate.fingerprint(made))
        other = certificate.make(self.folder, ["bench.example"], self.now)
        self.assertNotEqual(certificate.fingerprint(other), certificate.fingerprint(made))

    def test_one_that_ran_out_is_refused_and_one_that_soon_will_is_told(self):
        certificate.make(self.folder, ["dyno.example"], self.now)
        file = self.folder / "certificate.pem"
        self.assertEqual(certificate.check(file, self.now), "")
        self.assertIn("runs out on", certificate.check(file, self.now + certificate.GOOD_FOR - timedelta(days=3)))
        with self.assertRaisesRegex(ValueError, "ran out on .* browsers refuse it"):
            certificate.check(file, self.now + certificate.GOOD_FOR + timedelta(days=1))
        file.write_text("no certificate")
        with self.assertRaisesRegex(ValueError, "is no certificate in PEM form"):
            certificate.check(file, self.now)


class Served(TransactionTestCase):
    def run_web(self, door: Door, port: int) -> subprocess.Popen[bytes]:
        return self.run_process(*door.uvicorn(port)[1:], env=door.environment())

    def run_process(self, *command: str, env: dict[str, str] | None = None) -> subprocess.Popen[bytes]:
        told = {**os.environ, **(env or {}), "TORVIX_DB_NAME": str(connection.settings_dict["NAME"])}
        process = subprocess.Popen([sys.executable, *command], env=told, cwd=settings.ROOT, stderr=subprocess.DEVNULL)
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        return process

    def until(self, true: Callable[[], bool], what: str) -> None:
        deadline = time.monotonic() + 60
        while not true():
            if time.monotonic() > deadline:
                self.fail(f"waited in vain for {what}")
            time.sleep(0.05)

    def answers(self, port: int) -> bool:
        try:
            socket.create_connection(("127.0.0.1", port), timeout=5).close()
        except OSError:
            return False
        return True

    def test_over_https_with_its_own_certificate_cookies_stay_secret(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        certificate.make(folder, ["localhost", "127.0.0.1"], datetime.now(UTC))
        door = Door(0, "127.0.0.1", (), folder / "certificate.pem", folder / "key.pem")
        programme = scenes.programme(scenes.person(Role.OWNER))
        port, place = lane_port(), folder / "socket"
        self.run_process(*door.judging(place)[1:], env=door.environment())
        self.run_process(*door.uvicorn(port)[1:],
                         env={**door.environment(), "TORVIX_JUDGING_SOCKET": str(place)})  # fmt: skip
        self.until(lambda: place.exists() and self.answers(port), "both processes")
        trusting = ssl.create_default_context(cafile=str(folder / "certificate.pem"))
        line = http.client.HTTPSConnection("localhost", port, context=trusting, timeout=30)
        self.addCleanup(line.close)
        line.request("GET", "/")
        page = line.getresponse()
        page.read()
        self.assertEqual(page.status, 200)
        self.assertIn("max-age=", page.headers["Strict-Transport-Security"])
        self.assertIn("Secure", page.headers["Set-Cookie"])
        token = re.search(r"csrftoken=([^;]+)", page.headers["Set-Cookie"]).group(1)
        body = json.dumps({"username": "owner", "password": scenes.PASSWORD})
        headers = {"Content-Type": "application/json", "X-CSRFToken": token, "Cookie": f"csrftoken={token}",
                   "Referer": f"https://localhost:{port}/"}  # fmt: skip
        line.request("POST", "/api/sign-in", body, headers)
        signed = line.getresponse()
        signed.read()
        self.assertEqual(signed.status, 200)
        cookies = signed.headers.get_all("Set-Cookie") or []
        self.assertEqual([cookie for cookie in cookies if "Secure" not in cookie], [])
        carried = "; ".join(cookie.split(";")[0] for cookie in cookies)
        line.request("GET", f"/api/programmes/{programme.pk}/verdict-line", headers={"Cookie": carried})
        judged = line.getresponse()  # handed on: the other process takes it for HTTPS too, and does not send it there
        judged.read()
        self.assertEqual(judged.status, 200)
        line.request("GET", "/healthz", headers={"Host": "evil.example"})
        self.assertEqual(line.getresponse().status, 400)  # a host that is not ours

    def test_two_web_servers_and_two_job_workers_share_one_database_and_one_of_each_may_die(self):
        person = scenes.person(Role.OPERATOR)
        client = Client()
        client.force_login(person)
        cookie = f"sessionid={client.cookies['sessionid'].value}"
        ports = [lane_port(), lane_port()]
        webs = [self.run_web(Door(port), port) for port in ports]
        workers = [self.run_process(MANAGE, "work_jobs", "--queue", "long") for _ in range(2)]

        def me(port: int) -> int:
            line = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
            try:
                line.request("GET", "/api/me", headers={"Cookie": cookie})
                return line.getresponse().status
            except OSError:
                return 0
            finally:
                line.close()

        for port in ports:
            self.until(lambda port=port: me(port) == 200, "both web servers")  # type: ignore[misc]
        webs[0].send_signal(signal.SIGKILL)
        webs[0].wait()
        self.assertEqual((me(ports[0]), me(ports[1])), (0, 200))
        workers[0].send_signal(signal.SIGKILL)
        workers[0].wait()
        job = jobs.ask(person, odds.KIND, "one of two", {**SMALL_PLAN, "days": 100}, timezone.now())
        self.until(lambda: Job.objects.get(pk=job.pk).state in OVER, "the other worker")
        self.assertEqual(Job.objects.get(pk=job.pk).state, "done")


class Deployed(SimpleTestCase):
    def test_djangos_own_check_for_the_network_has_nothing_to_say(self):
        env = {**os.environ, "TORVIX_HTTPS": "1", "TORVIX_SECRET_KEY": "0aA-bcdefg" * 6, "TORVIX_TESTING": "0"}
        command = [sys.executable, MANAGE, "check", "--deploy", "--fail-level", "WARNING"]
        done = subprocess.run(command, env=env, capture_output=True, text=True)
        self.assertEqual((done.returncode, done.stderr), (0, ""))


class Judging(Served):
    def test_while_it_stands_still_the_stand_is_answered_and_when_it_dies_nobody_notices(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        owner = scenes.person(Role.OWNER)
        programme = scenes.programme(owner)
        client = Client()
        client.force_login(owner)
        cookie = f"sessionid={client.cookies['sessionid'].value}"
        door, port, place = Door(0), lane_port(), folder / "socket"
        judging = self.run_process(*door.judging(place)[1:], env=door.environment())
        self.run_process(*door.uvicorn(port)[1:],
                         env={**door.environment(), "TORVIX_JUDGING_SOCKET": str(place)})  # fmt: skip
        self.until(lambda: place.exists() and self.answers(port), "both processes")

        def ask(what: str, seconds: float = 60) -> int:
            line = http.client.HTTPConnection("127.0.0.1", port, timeout=seconds)
            try:
                line.request("GET", f"/api/programmes/{programme.pk}/{what}", headers={"Cookie": cookie})
                return line.getresponse().status
            finally:
                line.close()

        self.assertEqual((ask("verdict-line"), ask("stand")), (200, 200))
        judging.send_signal(signal.SIGSTOP)
        try:
            with self.assertRaises(TimeoutError):
                ask("verdict-line", 3)
            self.assertEqual(ask("stand"), 200)
        finally:
            judging.send_signal(signal.SIGCONT)
        self.assertEqual(ask("verdict-line"), 200)
        judging.kill()
        judging.wait()
        self.assertEqual(ask("verdict-line"), 200)


class DatabaseElsewhere(TransactionTestCase):
    def test_one_that_lets_us_in_but_not_make_tables_says_what_to_do(self):
        told = connection.settings_dict
        with connection.cursor() as cursor:
            cursor.execute("CREATE ROLE reader LOGIN PASSWORD 'x'")
        try:
            found = Elsewhere(str(told["HOST"]), int(told["PORT"]), "reader", "x", str(told["NAME"]))
            with self.assertRaisesRegex(CannotGoOn, "lets reader in, but not make tables. As its owner: GRANT"):
                found.check()
        finally:
            with connection.cursor() as cursor:
                cursor.execute("DROP ROLE reader")
        Elsewhere(str(told["HOST"]), int(told["PORT"]), str(told["USER"]), "", str(told["NAME"])).check()


class Health(TransactionTestCase):
    def test_it_lives_and_is_ready_without_anybody_signed_in(self):
        for path in ("/healthz", "/readyz"):
            answer = self.client.get(path)
            self.assertEqual((answer.status_code, answer.content), (200, b"ok\n"), path)
