"""manage.py watch_recorder: make a pull of each file that a stand's recorder finishes, until it is stopped."""

from __future__ import annotations

import logging
import signal
import threading
import time
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import InterfaceError, OperationalError, connection
from django.utils import timezone
from watchfiles import watch

from curves.intake import imports
from curves.recorder import service as recorder
from curves.recorder.finished_files import FinishedFiles
from shop.models import Stand
from shop.refusals import Refusal
from stand.models import Link, Session

log = logging.getLogger("torvix.recorder")
LOOK_MS = 1000  # between two looks where no change is reported, as on a network drive
RETRY_S = 1.0
LOCK = 7_205_000_000  # and the number of the stand: two that watch one folder would read each file twice


class Command(BaseCommand):
    help = "Watch the folder of a stand's recorder; each file that it finishes becomes a pull of the open session."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--stand", type=int, required=True, help="its number")

    def handle(self, *args: Any, **options: Any) -> None:
        stopping = threading.Event()
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, lambda number, frame: stopping.set())
        stand = Stand.objects.filter(pk=options["stand"]).exclude(recorder="").first()
        if stand is None:
            raise CommandError("this stand has no recorder's folder; give it one under Stands")
        files = FinishedFiles(Path(stand.recorder))
        said = ""
        while not stopping.is_set():
            try:
                if not _alone(stand):
                    _say(stand, "its folder is watched by another process already")
                    stopping.wait(RETRY_S)
                    continue
                for _ in watch(
                    files.folder, recursive=False, stop_event=stopping, yield_on_timeout=True, rust_timeout=LOOK_MS
                ):
                    said = look(stand, files) or said
                    last = f". Last: {said}" if said else ""
                    rule = f"each file that its recorder finishes in {stand.recorder} becomes a pull"
                    _say(stand, f"{rule}, and no limit is watched{last}")
            except (FileNotFoundError, NotADirectoryError, PermissionError, OSError) as error:
                _say(stand, f"its recorder's folder {stand.recorder} cannot be read: {error.strerror or error}")
                stopping.wait(RETRY_S)
            except (OperationalError, InterfaceError) as error:
                log.warning("the database does not answer, tried again every %.0f s: %s", RETRY_S, error)
                connection.close()
                stopping.wait(RETRY_S)


def look(stand: Stand, files: FinishedFiles) -> str:
    """What became of the files that are finished now; "" if none was. Without a session they wait."""
    session = recorder.open_session(stand)
    if session is None:
        return ""
    try:
        said = [recorder.mapped_meanwhile(session, timezone.now())]
    except Refusal as refusal:  # it is asked for again at each look, and noted once at most: on the screens
        said = [str(refusal)]
    for path in files.look(time.monotonic(), session.opened_at.timestamp()):
        said.append(_tried(session, path.name, lambda at: recorder.take(session, path, at)))
        log.info("stand %s: %s", stand.pk, said[-1])
    return "; ".join(filter(None, said))


def _tried(session: Session, what: str, act: Callable[[datetime], str]) -> str:
    """What came of it; each file stands alone: what is wrong with one costs no other."""
    now = timezone.now()
    try:
        return act(now)
    except Refusal as refusal:
        return recorder.note(session, f"{what}: {refusal}", now)
    except (OperationalError, InterfaceError, OSError):
        raise  # it is tried again
    except Exception:
        log.exception("%s could not be taken", what)
        return recorder.note(session, f"{what}: {imports.OUR_FAULT}", now)


def _alone(stand: Stand) -> bool:
    """Whether no other process watches it; the lock ends with our connection."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_try_advisory_lock(%s)", [LOCK + stand.pk])
        row = cursor.fetchone()
    return bool(row and row[0])


def _say(stand: Stand, why: str) -> None:
    """Where screens look for how a stand is linked."""
    try:
        now = timezone.now()
        fresh = Link.objects.filter(stand=stand, why=why[:300], beat_at__gt=now - timedelta(seconds=2)).exists()
        if not fresh:
            Link.objects.update_or_create(
                stand=stand, defaults={"connected": False, "why": why[:300], "beat_at": now, "hello": {}}
            )
    except (OperationalError, InterfaceError):
        connection.close()
