"""The bench worker's side towards the database: it writes the journal, shows frames, and hears what browsers ask.

It works in a thread of its own, so that a database that is slow or away never holds up the line to the stand: limits
are watched and samples taken all the same.
"""

from __future__ import annotations

import logging
import queue
import selectors
import socket
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

import psycopg
from django.db import connection
from torvix_core.pull.limits import Limit

from shop.models import Stand
from stand.limits import service as limits
from stand.live import notifications
from stand.models import Command, CommandState
from stand.worker import pull_records
from stand.worker.entries import BrowserMessage, JournalEntry, LinkState
from stand.worker.journal import DATABASE_LOST, Journal

log = logging.getLogger("torvix.bench")

LOCK = 7420  # class of the advisory lock that a worker holds on its stand
LINK_S = 1.0  # between writings of what the link knows
DATABASE_RETRY_S = 1.0


class StandTaken(Exception):
    """Another worker holds the line to this stand: two would record every pull twice, or end each other's."""


@dataclass(frozen=True)
class QueuedCommand:
    """A command of a person, with what the line needs to know to pass it on."""

    command: int
    name: str
    arguments: dict[str, Any]
    pull: int | None
    limits: tuple[Limit, ...] = ()


class Waker:
    """Wakes a thread that waits in a selector."""

    def __init__(self) -> None:
        self._ours, self._theirs = socket.socketpair()
        self._ours.setblocking(False)
        self._theirs.setblocking(False)

    def fileno(self) -> int:
        return self._ours.fileno()

    def wake(self) -> None:
        try:
            self._theirs.send(b".")
        except BlockingIOError:
            pass  # it has been woken often enough

    def clear(self) -> None:
        try:
            while self._ours.recv(4096):
                pass
        except BlockingIOError:
            pass

    def close(self) -> None:
        self._ours.close()
        self._theirs.close()


class DatabaseSide:
    """`asked` holds what the line has to pass on; `heard` is woken with it. One worker a stand, by advisory lock."""

    def __init__(self, stand: Stand, clock: Callable[[], datetime], spool: Path) -> None:
        self.stand = stand
        self.clock = clock
        self.journal = Journal(spool / f"stand-{stand.pk}.jsonl")
        self.asked: queue.SimpleQueue[QueuedCommand] = queue.SimpleQueue()
        self.heard = Waker()
        self.held = False  # the stand is this worker's
        self.failed: BaseException | None = None  # why the thread ended
        self.frame: dict[str, Any] | None = None  # the next to be shown
        self.link: dict[str, Any] | None = None  # what the link knows, to be written in its turn
        self.retry_at = self.link_at = 0.0
        self._due = Waker()
        self._commands_due = True
        self._handed: set[int] = set()
        self._recovered = False
        self._stopping = threading.Event()
        self._thread: threading.Thread | None = None
        self._listening: psycopg.Connection[Any] | None = None

    # Called from the line

    def post(self, entry: JournalEntry) -> None:
        self.journal.post(entry)
        self._due.wake()

    def show(self, frame: dict[str, Any]) -> None:
        """The frame that browsers see next. Not called before the one before was taken: see `idle`."""
        self.frame = frame
        self._due.wake()

    @property
    def idle(self) -> bool:
        """The last frame is out, so that another is worth making."""
        return self.frame is None

    def start(self, stopping: Callable[[], bool]) -> None:
        """Work in a thread from now on, once the stand is ours; StandTaken if another worker has it."""
        self._thread = threading.Thread(target=self._run, name="desk", daemon=True)
        self._thread.start()
        while not (self.held or self.failed or stopping()):
            time.sleep(0.01)
        self.check()

    def check(self) -> None:
        """Raise here what ended the thread."""
        if self.failed:
            raise self.failed

    @property
    def is_threaded(self) -> bool:
        return self._thread is not None

    def close(self) -> None:
        """Write what waits, on disk if the database is away, and give the stand back."""
        self._stopping.set()
        self._due.wake()
        if self._thread:
            self._thread.join()
            if self.failed:
                self.journal.keep()  # for whoever has the stand now, or comes next
        else:
            self._finish()
        self.heard.close()
        self._due.close()

    # Its own work

    def _run(self) -> None:
        try:
            while not self._stopping.is_set():
                self.turn(0.2)
            self._finish()
        except BaseException as error:  # told where the worker can end for it
            self.failed = error
            self.heard.wake()
        finally:
            connection.close()

    def turn(self, wait: float) -> None:
        """One round: hear the browsers, write, show."""
        self._listen()
        with selectors.DefaultSelector() as selector:
            selector.register(self._due, selectors.EVENT_READ)
            if self._listening:
                selector.register(self._listening, selectors.EVENT_READ)
            selector.select(wait)
        self._due.clear()
        if time.monotonic() < self.retry_at:
            self._wait_for_database()
            return
        try:
            self._recover()
            self._hear_browsers()
            self._write()
        except DATABASE_LOST as error:
            log.warning("database away, what the stand sends is kept on disk: %s", error)
            self._drop()

    def _write(self) -> None:
        self.journal.write()
        if self.link is not None and time.monotonic() >= self.link_at:
            fields, self.link_at = self.link, time.monotonic() + LINK_S
            LinkState(self.stand.pk, self.clock(), fields).write()
        if (frame := self.frame) is not None:
            try:
                BrowserMessage(frame).write()
            finally:
                self.frame = None  # one that nobody saw is not worth keeping

    def write_link(self) -> None:
        """At the next turn, whenever the last was."""
        self.link_at = 0.0
        self._due.wake()

    def _drop(self) -> None:
        connection.close()
        if self._listening:
            self._listening.close()
        self._listening, self._commands_due, self.frame = None, True, None
        self.retry_at = time.monotonic() + DATABASE_RETRY_S
        self.journal.keep()

    def _wait_for_database(self) -> None:
        self.frame = None
        self.journal.keep()

    def _listen(self) -> None:
        if self._listening and not self._listening.closed:
            return
        if time.monotonic() < self.retry_at:
            return
        try:
            self._listening = psycopg.connect(**notifications.connection_arguments(), autocommit=True)
            self._hold(self._listening)
            self._listening.execute(f"LISTEN {notifications.ASKED}".encode())
            self._commands_due = True
        except psycopg.OperationalError as error:
            log.warning("cannot listen: %s", error)
            self._listening, self.retry_at = None, time.monotonic() + DATABASE_RETRY_S

    def _hold(self, connection: psycopg.Connection[Any]) -> None:
        """Take the stand for this worker, for as long as the connection lives; the database gives it to one."""
        row = connection.execute("SELECT pg_try_advisory_lock(%s, %s)", (LOCK, self.stand.pk)).fetchone()
        if row is None or not row[0]:
            connection.close()
            self._listening = None
            raise StandTaken(f"another bench worker holds the line to {self.stand}")
        self.held = True

    def _recover(self) -> None:
        """Only whoever holds the stand may end what a former worker left open, and only once its journal is written."""
        if self._recovered or not self.held:
            return
        self.journal.write()
        self.journal.try_again()
        ended = pull_records.recover_pulls(self.stand, self.clock())
        self._recovered = True
        if ended:
            log.warning("ended %d pulls that a former worker left open", ended)

    def _hear_browsers(self) -> None:
        if self._listening:
            self._commands_due |= any(True for _ in self._listening.notifies(timeout=0))
        if not self._commands_due:
            return
        self._commands_due = False
        waiting = Command.objects.filter(stand=self.stand, state=CommandState.WAITING)
        found = waiting.select_related("pull__session__stand", "pull__setup", "pull__build")
        for command in sorted(found, key=lambda command: command.name != "abort"):  # a stop goes first
            if command.pk not in self._handed:
                self._handed.add(command.pk)
                guards = limits.for_pull(command.pull) if command.name == "arm" and command.pull else ()
                self.asked.put(QueuedCommand(command.pk, command.name, command.arguments, command.pull_id, guards))
                self.heard.wake()

    def _finish(self) -> None:
        try:
            self.journal.write()
        except DATABASE_LOST:
            self.journal.keep()
        if self._listening:
            self._listening.close()
        self._listening, self.held = None, False
