"""The processes of a running Torvix: started together, restarted when one dies, stopped together."""

from __future__ import annotations

import signal
import subprocess
import time
import urllib.error
import urllib.request
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from types import FrameType

from ops.machine import CannotGoOn, say

STOP_S = 8.0
RESTARTS = 5  # within RESTARTS_WITHIN_S; more means that something is wrong that a restart does not mend
RESTARTS_WITHIN_S = 60.0


@dataclass
class Child:
    name: str
    command: Sequence[str]
    log: Path
    process: subprocess.Popen[bytes] | None = None
    died_at: list[float] = field(default_factory=list)

    def start(self, env: dict[str, str]) -> None:
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

    def watch(self) -> None:
        """Until stopped: restart a child that dies."""
        while True:
            time.sleep(0.5)
            for child in self.children:
                if child.process is None or child.process.poll() is None:
                    continue
                now = time.monotonic()
                child.died_at = [at for at in child.died_at if now - at < RESTARTS_WITHIN_S] + [now]
                if len(child.died_at) > RESTARTS:
                    raise CannotGoOn(f"{child.name} keeps dying; see {child.log}")
                say(f"{child.name} ended with code {child.process.returncode}, started again (log: {child.log})")
                child.start(self.env)

    def stop(self) -> None:
        for child in reversed(self.children):
            child.stop()


def wait_for(address: str, child: Child, seconds: float = 30.0) -> None:
    """Until something answers at the address; CannotGoOn if the child ends before."""
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        try:
            with urllib.request.urlopen(address, timeout=2):
                return
        except urllib.error.HTTPError:
            return
        except OSError:
            time.sleep(0.1)
        if child.process is not None and child.process.poll() is not None:
            raise CannotGoOn(f"{child.name} did not start; see {child.log}")
    raise CannotGoOn(f"{child.name} does not answer at {address}; see {child.log}")
