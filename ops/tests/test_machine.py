"""What the entry script does with the machine, as far as it can be tried without breaking it."""

import os
import socket
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from unittest import TestCase, mock

from ops import cluster, machine
from ops.cluster import Cluster, free_port
from ops.machine import CannotGoOn
from ops.processes import Child, Family


class Ports(TestCase):
    def test_a_busy_port_gives_the_next_free_one(self):
        with socket.socket() as busy:
            busy.bind(("127.0.0.1", 0))
            busy.listen()
            taken = busy.getsockname()[1]
            self.assertGreater(free_port(taken), taken)

    def test_no_free_port_says_what_to_do(self):
        with mock.patch.object(cluster.socket, "socket") as made:
            made.return_value.__enter__.return_value.bind.side_effect = OSError
            with self.assertRaisesRegex(CannotGoOn, "no free port from 9000 to 9199; close something"):
                free_port(9000)


NO_BROWSER = (Path("/nowhere/chromium-headless-shell"), Path("/nowhere/chromium"))


class MissingThings(TestCase):
    def test_the_other_browser_serves_where_the_quick_one_cannot_be_installed(self):
        with (
            mock.patch.object(machine, "BROWSERS", (NO_BROWSER[0], Path("/somewhere/chromium"))),
            mock.patch.object(Path, "exists", lambda path: not str(path).startswith("/nowhere")),
            mock.patch.object(machine, "find_library", return_value="there"),
            mock.patch.object(os, "geteuid", return_value=1000),
        ):
            machine._debian_packages(tests=True)
            self.assertEqual(machine.browser(), Path("/somewhere/chromium"))

    def test_missing_debian_packages_are_named_with_the_command_when_not_root(self):
        with (
            mock.patch.object(machine, "POSTGRES_BIN", Path("/nowhere")),
            mock.patch.object(machine, "BROWSERS", NO_BROWSER),
            mock.patch.object(machine, "find_library", {"pangoft2-1.0": "there"}.get),
            mock.patch.object(os, "geteuid", return_value=1000),
            self.assertRaisesRegex(CannotGoOn, "As root: apt-get install postgresql libharfbuzz-subset0 chromium-head"),
        ):
            machine._debian_packages(tests=True)

    def test_a_shop_is_served_without_what_reads_sheets_and_not_tested(self):
        with (
            mock.patch.object(machine, "BROWSERS", (Path("/bin/sh"), Path("/bin/sh"))),
            mock.patch.object(machine, "BROKER", Path("/bin/sh")),
            mock.patch.object(machine, "find_library", return_value="there"),
            mock.patch.object(machine.shutil, "which", return_value=None),
            mock.patch.object(os, "geteuid", return_value=1000),
            mock.patch.object(machine, "say") as said,
        ):
            machine._debian_packages(tests=False)
            self.assertIn("apt-get install tesseract-ocr", said.call_args.args[0])
            with self.assertRaisesRegex(CannotGoOn, "As root: apt-get install tesseract-ocr"):
                machine._debian_packages(tests=True)

    def installed(self, *works: bool) -> list[list[str]]:
        """What is asked of apt on a machine without a browser, where its tries end so."""
        asked: list[list[str]] = []
        ends = iter(works)

        def install(packages: list[str], log: Path) -> bool:
            asked.append(packages)
            return next(ends)

        with (
            mock.patch.object(machine, "BROWSERS", NO_BROWSER),
            mock.patch.object(Path, "exists", lambda path: not str(path).startswith("/nowhere")),
            mock.patch.object(machine, "find_library", return_value="there"),
            mock.patch.object(machine, "_may_install", return_value=True),
            mock.patch.object(machine, "_apt_install", install),
            mock.patch.object(machine, "say"),
        ):
            machine._debian_packages(tests=True)
        return asked

    def test_a_debian_without_the_quick_browser_gets_the_other(self):
        self.assertEqual(self.installed(True), [["chromium-headless-shell"]])
        self.assertEqual(self.installed(False, True), [["chromium-headless-shell"], ["chromium"]])
        with self.assertRaisesRegex(CannotGoOn, "apt-get install chromium-headless-shell failed"):
            self.installed(False, False)

    def test_a_program_that_fails_is_told_by_what_it_was_for(self):
        with self.assertRaisesRegex(CannotGoOn, "counting failed .exit code 3."):
            machine.run([sys.executable, "-c", "raise SystemExit(3)"], what="counting")

    def test_a_machine_without_node_has_no_version(self):
        with mock.patch.object(machine, "environment", return_value={"PATH": "/nowhere"}):
            self.assertEqual(machine.node_version("no-such-node"), ())


class NodeFromAWheel(TestCase):
    def test_node_and_npm_become_commands_that_pass_everything_on(self):
        with tempfile.TemporaryDirectory() as here:
            wheel, venv = Path(here) / "wheel", Path(here) / "venv"
            (wheel / "bin").mkdir(parents=True)
            (venv / "bin").mkdir(parents=True)
            node = wheel / "bin/node"
            node.write_text('#!/bin/sh\necho "$@"\n')
            node.chmod(0o755)
            with mock.patch.object(machine, "VENV", venv):
                machine._lay_out_node(wheel)
            told = [
                subprocess.run([venv / "bin" / name, "run", "two words"], capture_output=True, text=True).stdout.strip()
                for name in ("node", "npm")
            ]
            cli = wheel / "lib/node_modules/npm/bin/npm-cli.js"
            self.assertEqual(told, ["run two words", f"{cli} run two words"])


class Clusters(TestCase):
    def test_a_port_that_somebody_takes_at_the_last_moment_is_left_for_the_next(self):
        kept = Cluster("pg", 5000)
        tried = []

        def start() -> None:
            tried.append(kept.port)
            if len(tried) == 1:
                raise CannotGoOn("PostgreSQL did not start")

        # Free at first; taken when it is looked at again; the next one.
        free = mock.patch.object(cluster, "free_port", side_effect=[5000, 5001, 5001])
        with free, mock.patch.object(kept, "_start", start), mock.patch.object(kept, "stop"), self.made():
            kept.start()
        self.assertEqual(tried, [5000, 5001])

    def test_one_that_does_not_start_for_another_reason_says_so(self):
        kept = Cluster("pg", 5000)
        free = mock.patch.object(cluster, "free_port", return_value=5000)
        broken = mock.patch.object(kept, "_start", side_effect=CannotGoOn("see the log"))
        with free, broken, mock.patch.object(kept, "stop"), self.made(), self.assertRaisesRegex(CannotGoOn, "see the"):
            kept.start()

    def made(self):
        """As if its folder were there."""
        home = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (home / "PG_VERSION").touch()
        return mock.patch.object(Cluster, "home", home)

    def test_a_folder_the_server_cannot_reach_is_left_for_one_it_can(self):
        with tempfile.TemporaryDirectory() as closed:  # made with mode 0700
            here = Path(closed) / "var"
            here.mkdir()
            for user, home in ((0, "/var/lib/postgresql/torvix-"), (1000, str(here / "pg"))):
                as_user = mock.patch.object(os, "geteuid", return_value=user)
                with mock.patch.object(cluster, "VAR", here), as_user:
                    self.assertTrue(str(Cluster("pg", 1).home).startswith(home))

    def test_a_secret_is_made_once_and_only_its_owner_reads_it(self):
        with tempfile.TemporaryDirectory() as here, mock.patch.object(cluster, "VAR", Path(here)):
            first = cluster.secret("django")
            self.assertEqual(cluster.secret("django"), first)
            self.assertGreater(len(first), 50)
            self.assertEqual((Path(here) / "secrets" / "django").stat().st_mode & 0o777, 0o600)


class Children(TestCase):
    def test_a_child_is_stopped_also_when_it_does_not_listen(self):
        ignore = "import signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN)"
        deaf = f"{ignore}; print('up', flush=True); time.sleep(60)"
        with tempfile.TemporaryDirectory() as here:
            child = Child("deaf", [sys.executable, "-c", deaf], Path(here) / "log")
            child.start(dict(os.environ))
            while b"up" not in child.log.read_bytes():
                time.sleep(0.02)
            with mock.patch("ops.processes.STOP_S", 0.3):
                child.stop()
            self.assertIsNotNone(child.process.poll())


class Families(TestCase):
    """Nobody is stopped because somebody else keeps dying."""

    def family(self, folder: Path, *scripts: str) -> Family:
        with mock.patch("signal.signal"):
            made = Family(dict(os.environ))
        for number, script in enumerate(scripts):
            made.start(f"child {number}", [sys.executable, "-c", script], folder / f"{number}.log")
        self.addCleanup(made.stop)
        return made

    def test_a_child_that_keeps_dying_waits_longer_and_longer_and_its_siblings_live(self):
        with tempfile.TemporaryDirectory() as here:
            family = self.family(Path(here), "raise SystemExit(3)", "import time; time.sleep(600)")
            dying, sound = family.children
            pauses, now = [], 1000.0
            with mock.patch("ops.processes.say"):
                for _ in range(9):
                    dying.process.wait()
                    dying.started_at = now
                    family.look_after(dying, now)
                    pauses.append(dying.start_again_at - now)
                    family.look_after(dying, dying.start_again_at - 0.01)
                    now = dying.start_again_at
                    family.look_after(dying, now)
                    self.assertIsNone(dying.start_again_at)
            self.assertEqual(pauses, [0.5, 1, 2, 4, 8, 16, 30, 30, 30])
            self.assertIsNone(sound.process.poll())
            family.stop()

    def test_one_that_lived_for_a_minute_comes_back_at_once(self):
        with tempfile.TemporaryDirectory() as here, mock.patch("ops.processes.say"):
            family = self.family(Path(here), "")
            (child,) = family.children
            child.process.wait()
            child.pause_s, child.started_at = 30.0, 0.0
            family.look_after(child, 61.0)
            self.assertEqual(child.start_again_at, 61.5)


class Tended(TestCase):
    def test_a_database_that_is_gone_is_started_again_and_not_in_a_hurry(self):
        with tempfile.TemporaryDirectory() as here, mock.patch("ops.cluster.say"):
            home = mock.patch.object(Cluster, "home", new_callable=mock.PropertyMock, return_value=Path(here))
            with home, mock.patch.object(Cluster, "_start") as start:
                kept = Cluster("pg", 1, port=5)
                (Path(here) / "postmaster.pid").write_text(f"{os.getpid()}\n")
                kept.tend()
                start.assert_not_called()
                (Path(here) / "postmaster.pid").unlink()
                kept.tend()
                kept.tend()
            start.assert_called_once()


class EntryScript(TestCase):
    def test_help_names_every_command_without_installing_anything(self):
        told = subprocess.run([machine.ROOT / "torvix", "--help"], capture_output=True, text=True)
        for command in ("demo", "serve", "test", "check", "perf"):
            self.assertIn(command, told.stdout)
