"""The entries of one worker in their order: into the database, or on disk while that is away.

Whoever kills the worker in the meantime finds the entries again: the next one writes them first.
"""

from __future__ import annotations

import logging
import os
from collections import deque
from pathlib import Path

import psycopg
from django.db import InterfaceError, OperationalError
from torvix_core.units.grammar import counted

from stand.worker.entries import JournalEntry, from_line, to_line

log = logging.getLogger("torvix.bench")

DATABASE_LOST = (OperationalError, InterfaceError, psycopg.OperationalError)


class Journal:
    """Filled by one thread and written by another. `trouble` says why the disk takes nothing; "" while it does."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.trouble = ""
        self._waiting: deque[JournalEntry] = deque()
        self._written = 0  # bytes of the file that the database has
        self.aside = path.with_suffix(".refused")  # what the database took at no time, for a person to look at
        self.set_aside = len(self.aside.read_bytes().splitlines()) if self.aside.is_file() else 0

    def post(self, entry: JournalEntry) -> None:
        self._waiting.append(entry)

    def __len__(self) -> int:
        """Entries that wait in memory."""
        return len(self._waiting)

    @property
    def on_disk(self) -> bool:
        return self.path.is_file()

    def write(self) -> None:
        """Everything into the database, what waited on disk first. DATABASE_LOST leaves the rest for later."""
        if self.on_disk:
            self._write_file()
        while self._waiting:
            self._write_one(self._waiting[0])
            self._waiting.popleft()

    def _write_file(self) -> None:
        with self.path.open("rb") as file:
            file.seek(self._written)
            while line := file.readline():
                try:
                    entry = from_line(line)
                except ValueError as error:
                    # The last line of a worker that was killed while it wrote; what it held was never whole.
                    log.warning("passed over %d bytes in %s: %s", len(line), self.path, error)
                else:
                    self._write_one(entry)
                self._written = file.tell()
        self.path.unlink()
        self._written = 0

    def _write_one(self, entry: JournalEntry) -> None:
        try:
            entry.write()
        except DATABASE_LOST:
            raise
        except Exception:
            # A pull must not be lost because something else cannot be written: set it aside and go on.
            log.exception("%s could not be written", type(entry).__name__)
            if entry.lasting:
                with self.aside.open("ab") as aside:
                    aside.write(to_line(entry))
                self.set_aside += 1

    def try_again(self) -> None:
        """What an earlier worker set aside: its cause may be mended. What still cannot be written stays."""
        if not self.set_aside:
            return
        left = []
        for line in self.aside.read_bytes().splitlines(keepends=True):
            try:
                from_line(line).write()
            except DATABASE_LOST:
                raise  # the file is as it was; what is written twice counts once
            except Exception:
                log.exception("still cannot be written: %s", line[:80])
                left.append(line)
        if left:
            fresh = self.aside.with_suffix(".left")
            fresh.write_bytes(b"".join(left))
            fresh.replace(self.aside)
        else:
            self.aside.unlink()
        self.set_aside = len(left)

    def unsaved(self) -> str:
        """What people have to know of entries that were set aside; "" where there are none."""
        if not self.set_aside:
            return ""
        records = counted(self.set_aside, "record")
        return (f"{records} of this stand could not be saved and are kept in {self.aside}. Copy that file, have the "
                "server's log looked at, and restart Torvix: it tries them again.")  # fmt: skip

    def keep(self) -> None:
        """Everything that waits to the disk, since the database is away. A full disk leaves it in memory."""
        count = len(self._waiting)
        lines = b"".join(to_line(entry) for entry in list(self._waiting)[:count] if entry.lasting)
        if lines:
            try:
                self._append(lines)
            except OSError as error:
                if not self.trouble:
                    log.error("cannot keep %s: %s", self.path, error)
                self.trouble = error.strerror or str(error)
                return
        self.trouble = ""
        for _ in range(count):
            self._waiting.popleft()

    def _append(self, lines: bytes) -> None:
        self.path.parent.mkdir(parents=True, exist_ok=True)
        file = os.open(self.path, os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o600)
        try:
            before = os.fstat(file).st_size
            try:
                if os.write(file, lines) != len(lines):
                    raise OSError(28, "no space left on the device")
                os.fsync(file)
            except OSError:
                if self.on_disk:
                    os.ftruncate(file, before)  # half a line would spoil the next
                raise
        finally:
            os.close(file)
