"""manage.py follow_stands: write the list of stands into a file whenever the table changes, until told to stop.

Whoever looks after the processes (ops/stands.py) reads the file and needs neither Django nor the database for it. While
the database is away the file stays as it is, and so do the bench workers.
"""

from __future__ import annotations

import json
import os
import signal
import threading
from pathlib import Path
from typing import Any

import psycopg
from django.core.management.base import BaseCommand, CommandParser
from django.db import InterfaceError, OperationalError, connection

from shop.models import Stand
from stand.live import notifications
from stand.stands.service import CHANGED

LOOK_S = 1.0  # between two looks whether it is to stop
RETRY_S = 1.0  # while the database is away


class Command(BaseCommand):
    help = "Write the list of the stands that need a bench worker here into a file whenever it changes."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--into", type=Path, required=True)
        parser.add_argument("--once", action="store_true", help="write it and end")

    def handle(self, *args: Any, **options: Any) -> None:
        stopping = threading.Event()
        if options["once"]:
            write(options["into"])
            return
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, lambda number, frame: stopping.set())
        while not stopping.is_set():
            try:
                with psycopg.connect(**notifications.connection_arguments(), autocommit=True) as listening:
                    listening.execute(f"LISTEN {CHANGED}".encode())
                    while not stopping.is_set():
                        write(options["into"])
                        for _ in listening.notifies(timeout=LOOK_S, stop_after=1):
                            pass
            except (psycopg.OperationalError, OperationalError, InterfaceError) as error:
                self.stderr.write(f"the database does not answer, tried again every {RETRY_S:.0f} s: {error}")
                connection.close()
                stopping.wait(RETRY_S)


def write(file: Path) -> None:
    """All or nothing, and only where it says something new."""
    rows = Stand.objects.filter(on_line=True, retired_at=None, worker_elsewhere=False).order_by("pk")
    stands = [
        {
            "id": stand.pk,
            "name": stand.name,
            "host": stand.host,
            "port": stand.port,
            "simulated": stand.simulated,
            "inertia": stand.inertia,
            "map": stand.map,
            "recorder": stand.recorder,
        }
        for stand in rows
    ]
    text = json.dumps(stands)
    if file.exists() and file.read_text() == text:
        return
    fresh = file.with_suffix(".new")
    fresh.write_text(text)
    os.replace(fresh, file)
