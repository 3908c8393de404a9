"""The processes of a running Torvix: started together, restarted when one dies, stopped together."""

from __future__ import annotations

import os
import shutil
import signal
import ssl
import subprocess
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from types import FrameType

from ops.machine import CannotGoOn, say

STOP_S = 8.0
PAUSE_S, PAUSE_MOST_S = 0.5, 30.0  # before a child that died is started again: at first, and in the end
LOOK_S = 0.2  # between two looks at the children
LOOK_AT_LOGS_S = 60.0
LONGEST_LOG, OLD_LOGS = 5_000_000, 3  # bytes, and how many older ones are kept
SOUND_S = 60.0  # a child that lived so long starts at the first pause again


@dataclass
class Child:
    name: str
    command: Sequence[str]
    log: Path
    process: subprocess.Popen[bytes] | None = None
    started_at: float = 0.0
    start_again_at: float | None = None  # it is dead, and waits
    pause_s: float = PAUSE_S

    def start(self, env: dict[str, str]) -> None:
        self.started_at, self.start_again_at = time.monotonic(), None
        with self.log.open("ab") as out:
            # A session of its own: Ctrl-C reaches us, and we stop the children in their order.
            self.process = subprocess.Popen(
                self.command, env=env, stdout=out, stderr=out, stdin=subprocess.DEVNULL, start_new_session=True
            )

    def stop(self) -> None:
        if self.process is None or self.process.poll() is not None:
            return
        self.process.terminate()
        try:
            self.process.wait(STOP_S)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait()


class Stopped(Exception):
    """Somebody asked us to stop."""


class Family:
    """Children under one roof."""

    def __init__(self, env: dict[str, str]) -> None:
        self.env = env
        self.children: list[Child] = []

    def hear_signals(self) -> None:
        """Ctrl-C and SIGTERM raise Stopped from now on."""
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, self._asked_to_stop)

    @staticmethod
    def _asked_to_stop(number: int, frame: FrameType | None) -> None:
        # Once is enough: a second Ctrl-C must not break the stopping itself.
        for again in (signal.SIGINT, signal.SIGTERM):
            signal.signal(again, signal.SIG_IGN)
        raise Stopped

    def start(self, name: str, command: Sequence[str], log: Path) -> None:
        child = Child(name, command, log)
        child.start(self.env)
        self.children.append(child)

    def rename(self, name: str, new: str, command: Sequence[str], log: Path) -> bool:
        """A child that lives does other work from now on, and `command` once it dies. False where it is dead."""
        child = next((child for child in self.children if child.name == name), None)
        if child is None or child.process is None or child.process.poll() is not None:
            return False
        child.name, child.command, child.log = new, command, log
        return True

    def end(self, name: str) -> None:
        """Stop a child for good."""
        for child in [child for child in self.children if child.name == name]:
            child.stop()
            self.children.remove(child)

    def watch(self, tend: Callable[[], None] = lambda: None) -> None:
        """Until stopped. `tend` looks after what is no child of ours, the database."""
        logs_at = 0.0
        while True:
            time.sleep(LOOK_S)
            tend()
            for child in self.children:
                self.look_after(child, time.monotonic())
            if time.monotonic() >= logs_at:
                logs_at = time.monotonic() + LOOK_AT_LOGS_S
                for log in {child.log for child in self.children}:
                    rotate(log)

    def look_after(self, child: Child, now: float) -> None:
        """Start one again that died, after a pause that grows while it keeps dying. The others go on meanwhile: one of
        them may be watching over an engine."""
        if child.process is None or child.process.poll() is None:
            return
        if child.start_again_at is None:
            if now - child.started_at > SOUND_S:
                child.pause_s = PAUSE_S
            child.start_again_at = now + child.pause_s
            code, log = child.process.returncode, child.log
            say(f"{child.name} ended with code {code}; started again in {child.pause_s:g} s (log: {log})")
            child.pause_s = min(2 * child.pause_s, PAUSE_MOST_S)
        elif now >= child.start_again_at:
            child.start(self.env)

    def stop(self) -> None:
        for child in reversed(self.children):
            child.stop()


def rotate(log: Path, longest: int = LONGEST_LOG) -> None:
    """A log that has grown is kept as .1, .2 and .3. Whoever writes it goes on: it is opened for appending."""
    try:
        if log.stat().st_size <= longest:
            return
        for number in range(OLD_LOGS, 1, -1):
            before = log.with_name(f"{log.name}.{number - 1}")
            if before.exists():
                before.replace(log.with_name(f"{log.name}.{number}"))
        shutil.copyfile(log, log.with_name(f"{log.name}.1"))
        os.truncate(log, 0)
    except FileNotFoundError:
        return  # nothing was written yet
    except OSError as error:
        say(f"{log} could not be rotated: {error}")


def wait_for(address: str, child: Child) -> None:
    """Until something answers there, however long a busy machine takes; CannotGoOn if the child ends before."""
    # Our own process on our own machine: whose certificate it shows is not the question here.
    trusting = ssl.create_default_context()
    trusting.check_hostname, trusting.verify_mode = False, ssl.CERT_NONE
    while child.process is None or child.process.poll() is None:
        try:
            with urllib.request.urlopen(address, timeout=30, context=trusting):
                return
        except urllib.error.HTTPError:
            return
        except OSError:
            time.sleep(0.1)
    raise CannotGoOn(f"{child.name} did not start; see {child.log}")
