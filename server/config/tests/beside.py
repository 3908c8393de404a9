"""What a test does at the stand beside the bench worker: hear all it sends, and cut the line."""

from __future__ import annotations

import json
import socket
import threading
import time
from dataclasses import dataclass, field

from demo.stand_day import say_to_stand


@dataclass
class Listener(threading.Thread):
    """Hears the stand beside the worker: the time of each sample, and when it was there. Connects again when cut."""

    port: int
    heard: list[tuple[float, float]] = field(default_factory=list)  # wall clock, time of the stand
    states: list[tuple[float, float, str]] = field(default_factory=list)  # wall clock, time of the stand, state

    def __post_init__(self) -> None:
        super().__init__(daemon=True)

    def __hash__(self) -> int:
        return id(self)

    def run(self) -> None:
        while True:
            try:
                with socket.create_connection(("127.0.0.1", self.port), timeout=3) as line:
                    for line_text in line.makefile("rb"):
                        message = json.loads(line_text)
                        if message["type"] == "samples":
                            self.heard.append((time.monotonic(), message["t"][-1]))
                        elif message["type"] == "state":
                            self.states.append((time.monotonic(), message["t"], message["state"]))
            except OSError:
                time.sleep(0.05)

    def sent_before(self, moment: float) -> float:
        """The stand's time of the last sample that was there at a moment of the wall clock."""
        return next((at for there, at in reversed(self.heard) if there <= moment), 0.0)

    def swept_from(self, moment: float) -> float:
        """The stand's time at which its last sweep before a moment began."""
        began = (at for there, at, state in reversed(self.states) if there <= moment and state == "sweeping")
        return next(began, 0.0)

    def swept_on_s(self, moment: float) -> float | None:
        """How long the stand went on sweeping after a moment, by its own time; None while it does."""
        before = [state for there, _, state in self.states if there <= moment]
        if not before or before[-1] != "sweeping":
            return 0.0
        left = (at for there, at, state in self.states if there > moment and state != "sweeping")
        return next((at - self.sent_before(moment) for at in left), None)


def say_to_stand_that_is_cut(port: int) -> None:
    """The line is cut for whoever says so, too, so no reply may come."""
    try:
        say_to_stand(port, "vanish")
    except OSError:
        pass
    except Exception as error:
        if "did not answer" not in str(error):
            raise
