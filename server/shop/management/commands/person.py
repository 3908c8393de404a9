"""./torvix person: what the owner does with people, from the terminal."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.utils import timezone

from shop.models import Person, Role
from shop.people import service as people
from shop.refusals import Refusal


class Command(BaseCommand):
    help = "Add people, make them a link for a new password, forget their wrong passwords, list them."

    def create_parser(self, prog_name: str, subcommand: str, **kwargs: Any) -> CommandParser:
        parser = super().create_parser(prog_name, subcommand, **kwargs)
        parser.prog = os.environ.get("TORVIX_PROG", parser.prog)
        return parser

    def add_arguments(self, parser: CommandParser) -> None:
        ways = parser.add_subparsers(dest="way", required=True)
        add = ways.add_parser("add", help="somebody new; prints the path at which a password is chosen, good once")
        add.add_argument("username")
        add.add_argument("name", help="the full name")
        add.add_argument("--role", choices=Role.values, default=Role.OPERATOR)
        for way, what_for in (("reset", "the password ends now; prints the path for a new one"),
                          ("unlock", "wrong passwords are forgotten")):  # fmt: skip
            ways.add_parser(way, help=what_for).add_argument("username")
        ways.add_parser("list", help="who there is")

    def handle(self, *args: Any, **options: Any) -> None:
        ways: dict[str, Callable[[dict[str, Any]], None]] = {
            "add": self._add, "reset": self._reset, "unlock": self._unlock, "list": self._list,
        }  # fmt: skip
        try:
            ways[options["way"]](options)
        except Refusal as refusal:
            raise CommandError(" ".join([str(refusal), *refusal.fields.values()])) from refusal

    def _add(self, options: dict[str, Any]) -> None:
        person = people.add(None, options["username"], options["name"], options["role"], timezone.now())
        self._tell_way_in(person, people.way_in(person))

    def _reset(self, options: dict[str, Any]) -> None:
        person = self._person(options["username"])
        self._tell_way_in(person, people.reset_password(None, person, timezone.now()))

    def _unlock(self, options: dict[str, Any]) -> None:
        people.unlock(None, self._person(options["username"]), timezone.now())
        self.stdout.write(f"{options['username']} may try again")

    def _list(self, options: dict[str, Any]) -> None:
        for person in Person.objects.order_by("username"):
            last = f"{person.last_login:%Y-%m-%d %H:%M}" if person.last_login else "never signed in"
            gone = "" if person.is_active else ", deactivated"
            self.stdout.write(f"{person.username:20} {person.get_role_display():10} {last}{gone}  {person}")

    def _tell_way_in(self, person: Person, path: str) -> None:
        self.stdout.write(f"{person} chooses a password at {path} of your Torvix, within three days")

    @staticmethod
    def _person(username: str) -> Person:
        person = Person.objects.filter(username=username).first()
        if person is None:
            raise CommandError(f"Nobody is called {username}. See: person list")
        return person
