"""manage.py bench: hold the line to a stand and record its pulls, until told to stop."""

from __future__ import annotations

import json
import os
import signal
import threading
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import InterfaceError, OperationalError, connection

from shop import heap
from shop.logs import LogContext
from shop.models import Stand
from stand.worker.database_side import StandTaken
from stand.worker.stand_worker import StandWorker

RETRY_S = 1.0  # while the database is away
LOOK_S = 0.1  # of a spare worker, whether it has its stand


def _called(file: Path, stopped: threading.Event) -> str:
    """The stand that a spare worker is to serve, once it is named; from then on it writes to the log of that stand."""
    while not stopped.wait(LOOK_S):
        if file.exists():
            assignment = json.loads(file.read_text())
            file.unlink()
            with open(assignment["log"], "ab") as log:
                for stream in (1, 2):
                    os.dup2(log.fileno(), stream)
            return str(assignment["stand"])
    return ""


def _named(called: str) -> dict[str, Any]:
    return {"pk": int(called)} if called.isdecimal() else {"name": called}


class Command(BaseCommand):
    help = "Hold the line to a stand and record its pulls."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--stand", default="", help="name or number of the stand; the first one if left out")

        spare = "file in which the stand will be named: wait for it, with everything loaded (ops/stands.py)"
        parser.add_argument("--spare", type=Path, help=spare)

    def handle(self, *args: Any, **options: Any) -> None:
        stopped = threading.Event()
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, lambda number, frame: stopped.set())
        heap.settle()
        called = options["stand"] or (_called(options["spare"], stopped) if options["spare"] else "")
        found = self._stand(called, stopped)
        if found is None:
            return
        stand, bench = found, StandWorker(found)
        LogContext.stand = str(stand.pk)

        def stop(number: int, frame: object) -> None:
            bench.stopping = True

        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, stop)
        bench.stopping = stopped.is_set()
        self.stdout.write(f"bench holds the line to {stand} at {stand.host}:{stand.port}")
        try:
            bench.run()
        except StandTaken as reason:
            raise CommandError(f"{str(reason).capitalize()}. Stop that one first, or name another stand.") from reason

    def _stand(self, called: str, stopped: threading.Event) -> Stand | None:
        """The stand, however long the database takes to answer; None if it is stopped before."""
        stands = Stand.objects.filter(on_line=True, retired_at=None, recorder="").order_by("pk")
        while not stopped.is_set():
            try:
                stand = (stands.filter(**_named(called)) if called else stands).first()
            except (OperationalError, InterfaceError) as error:
                self.stderr.write(f"the database does not answer, tried again every {RETRY_S:.0f} s: {error}")
                connection.close()
                stopped.wait(RETRY_S)
                continue
            if stand is None:
                raise CommandError("There is no such stand. Add it on the stands screen, or with ./torvix stand add.")
            return stand
        return None
