"""./torvix stand: add, try and list stands from the terminal."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.utils import timezone

from shop.models import SimulatedEngine, Stand
from shop.refusals import Refusal
from stand.models import Link
from stand.stands import service as stands
from stand.stands.service import StandDescription
from stand.stands.try_line import try_line


class Command(BaseCommand):
    help = "Add stands, look whether one answers, list them."

    def create_parser(self, prog_name: str, subcommand: str, **kwargs: Any) -> CommandParser:
        parser = super().create_parser(prog_name, subcommand, **kwargs)
        parser.prog = os.environ.get("TORVIX_PROG", parser.prog)
        return parser

    def add_arguments(self, parser: CommandParser) -> None:
        ways = parser.add_subparsers(dest="way", required=True)
        add = ways.add_parser("add", help="a stand that speaks the line protocol; or a simulated one")
        add.add_argument("name", nargs="?", default="")
        add.add_argument("--host", default="127.0.0.1")
        add.add_argument("--port", default="7420")
        add.add_argument("--elevation", default="", help='such as "310 m"')
        elsewhere = "./torvix bench runs for it on another machine"
        add.add_argument("--worker-elsewhere", action="store_true", help=elsewhere)
        add.add_argument("--simulated", choices=SimulatedEngine.values, help="a program of ours, to practice on")
        attempt = ways.add_parser("try", help="look whether a stand answers and keeps to the line protocol")
        attempt.add_argument("host")
        attempt.add_argument("port", type=int)
        ways.add_parser("list", help="what there is, and whether it is linked")

    def handle(self, *args: Any, **options: Any) -> None:
        ways: dict[str, Callable[[dict[str, Any]], None]] = {"add": self._add, "try": self._try, "list": self._list}
        try:
            ways[options["way"]](options)
        except Refusal as refusal:
            wrong_fields = [f"{field}: {why}" for field, why in refusal.fields.items()]
            raise CommandError(" ".join([str(refusal), *wrong_fields])) from refusal

    def _add(self, options: dict[str, Any]) -> None:
        if options["simulated"]:
            stand = stands.add_simulated(None, options["simulated"], timezone.now())
        else:
            facts = StandDescription(options["name"], options["host"], options["port"], options["elevation"],
                               worker_elsewhere=options["worker_elsewhere"])  # fmt: skip
            stand = stands.add(None, facts, timezone.now())
        self.stdout.write(f"{stand} is added at {stand.host}:{stand.port}")

    def _try(self, options: dict[str, Any]) -> None:
        tried = try_line(options["host"], options["port"])
        if tried.why:
            raise CommandError(tried.why)
        assert tried.hello is not None  # else there is a reason
        channels = ", ".join(
            f"{name} ({unit})" for name, unit in zip(tried.hello.names, tried.hello.units, strict=True)
        )
        self.stdout.write(f"{tried.hello.stand}: {tried.hello.rate_hz:g} samples a second of {channels}")
        for rule, wrong in tried.checks:
            self.stdout.write(f"{'BROKEN' if wrong else 'ok    '} {rule}{f': {wrong}' if wrong else ''}")
        if any(wrong for _, wrong in tried.checks):
            raise CommandError("The stand does not keep to the line protocol.")

    def _list(self, options: dict[str, Any]) -> None:
        links = {link.stand_id: link for link in Link.objects.all()}
        for stand in Stand.objects.filter(on_line=True).order_by("name"):
            link = links.get(stand.pk)
            lost = link.lost(timezone.now()) if link else "its bench worker has not reported yet"
            link_state = "retired" if stand.retired_at else lost or "linked"
            self.stdout.write(f"{stand.pk:3} {stand.name:30} {stand.host}:{stand.port}  {link_state}")
