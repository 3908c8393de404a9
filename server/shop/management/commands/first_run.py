"""manage.py first_run: where nobody can sign in yet, print the link behind which the owner is made."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from shop.setting_up import service as setting_up


class Command(BaseCommand):
    help = "Print the link with which a new shop begins; nothing where it has people."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--address", required=True, help="of the web server, as a browser reaches it")

    def handle(self, *args: Any, **options: Any) -> None:
        if setting_up.is_new():
            address = options["address"].rstrip("/")
            self.stdout.write(f"torvix: a new shop. Open {address}{setting_up.first_link()} to make its owner")
