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
from ops.processes import Child


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


class MissingThings(TestCase):
    def test_missing_debian_packages_are_named_with_the_command_when_not_root(self):
        with (
            mock.patch.object(machine, "POSTGRES_BIN", Path("/nowhere")),
            mock.patch.object(machine, "CHROMIUM", Path("/nowhere")),
            mock.patch.object(machine, "find_library", {"pangoft2-1.0": "there"}.get),
            mock.patch.object(os, "geteuid", return_value=1000),
            self.assertRaisesRegex(CannotGoOn, "As root: apt-get install postgresql libharfbuzz-subset0 chromium"),
        ):
            machine._debian_packages(tests=True)

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


class EntryScript(TestCase):
    def test_help_names_every_command_without_installing_anything(self):
        told = subprocess.run([machine.ROOT / "torvix", "--help"], capture_output=True, text=True)
        for command in ("demo", "serve", "test", "check", "perf"):
            self.assertIn(command, told.stdout)
