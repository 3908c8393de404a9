"""manage.py bench: hold the line to a stand and record its pulls, until told to stop."""

from __future__ import annotations

import signal
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from shop.models import Stand
from stand.bench import Bench
from stand.desk import StandTaken


class Command(BaseCommand):
    help = "Hold the line to a stand and record its pulls."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--stand", type=int, help="number of the stand; the first one if left out")

    def handle(self, *args: Any, **options: Any) -> None:
        stands = Stand.objects.filter(on_line=True).order_by("pk")
        stand = (stands.filter(pk=options["stand"]) if options["stand"] else stands).first()
        if stand is None:
            raise CommandError("There is no such stand. Add one first, or load the demo data.")
        bench = Bench(stand)

        def stop(number: int, frame: object) -> None:
            bench.stopping = True

        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, stop)
        self.stdout.write(f"bench holds the line to {stand} at {stand.host}:{stand.port}")
        try:
            bench.run()
        except StandTaken as reason:
            raise CommandError(f"{str(reason).capitalize()}. Stop that one first, or name another stand.") from reason
