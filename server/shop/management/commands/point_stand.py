"""manage.py point_stand: tell where the line of a stand is found."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from shop.models import Stand


class Command(BaseCommand):
    help = "Set host and port of a stand; without a number, of the first one."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--stand", type=int)
        parser.add_argument("--name")
        parser.add_argument("--host", default="127.0.0.1")
        parser.add_argument("--port", type=int, required=True)

    def handle(self, *args: Any, **options: Any) -> None:
        stands = Stand.objects.filter(on_line=True).order_by("pk")
        if options["stand"]:
            stands = stands.filter(pk=options["stand"])
        if options["name"]:
            stands = stands.filter(name=options["name"])
        stand = stands.first()
        if stand is None:
            raise CommandError("There is no such stand.")
        stand.host, stand.port = options["host"], options["port"]
        stand.save(update_fields=["host", "port"])
