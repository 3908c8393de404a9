"""The processes of a running Torvix: started together, restarted when one dies, stopped together."""

from __future__ import annotations

import signal
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

    def watch(self, tend: Callable[[], None] = lambda: None) -> None:
        """Until stopped. `tend` looks after what is no child of ours, the database."""
        while True:
            time.sleep(0.5)
            tend()
            for child in self.children:
                self.look_after(child, time.monotonic())

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


def wait_for(address: str, child: Child) -> None:
    """Until something answers there, however long a busy machine takes; CannotGoOn if the child ends before."""
    while child.process is None or child.process.poll() is None:
        try:
            with urllib.request.urlopen(address, timeout=30):
                return
        except urllib.error.HTTPError:
            return
        except OSError:
            time.sleep(0.1)
    raise CannotGoOn(f"{child.name} did not start; see {child.log}")
