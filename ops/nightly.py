"""The backup of every night, taken beside everything else that runs."""

from __future__ import annotations

import subprocess
import sys
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

from ops import backup
from ops.machine import ROOT, say

LOOK_S = 60.0
NIGHT = range(1, 6)  # hours of the machine's clock
A_DAY, OVERDUE = timedelta(hours=20), timedelta(hours=36)  # one that was missed at night is taken by day


class Nightly:
    """`tend` is called again and again; the backup runs in a process of its own, so that nobody waits for it."""

    def __init__(self, log: Path) -> None:
        self.log = log
        self.started_at = datetime.now(UTC).astimezone()
        self._running: subprocess.Popen[bytes] | None = None
        self._look_at = 0.0

    def tend(self) -> None:
        if self._running is not None and (code := self._running.poll()) is not None:
            self._running = None
            if code:
                say(f"THE NIGHTLY BACKUP FAILED; see {self.log}. It is tried again in an hour.")
                self._look_at = time.monotonic() + 3600.0
        if self._running is None and time.monotonic() >= self._look_at:
            self._look_at = time.monotonic() + LOOK_S
            if self.is_due(datetime.now(UTC).astimezone()):
                command = [sys.executable, str(ROOT / "torvix"), "backup", "--nightly"]
                with self.log.open("ab") as out:
                    self._running = subprocess.Popen(command, stdout=out, stderr=out, stdin=subprocess.DEVNULL)

    def is_due(self, now: datetime) -> bool:
        """A shop that was begun today waits for its first night."""
        last = backup.newest_of_a_night()
        before = datetime.fromtimestamp(last.stat().st_mtime, UTC) if last else self.started_at - A_DAY
        return now - before > OVERDUE or (now - before > A_DAY and now.hour in NIGHT)
