"""manage.py first_owner: where nobody can sign in yet, make the owner and tell the password once."""

from __future__ import annotations

import secrets
from typing import Any

from django.core.management.base import BaseCommand

from shop.models import Person, Role


class Command(BaseCommand):
    help = "Make the owner of a new shop, with a password that is told once."

    def handle(self, *args: Any, **options: Any) -> None:
        if Person.objects.exists():
            return
        password = secrets.token_urlsafe(12)
        Person.objects.create_user(username="owner", password=password, role=Role.OWNER)
        self.stdout.write(f"torvix: sign in as owner, password {password} (told this once; write it down)")
