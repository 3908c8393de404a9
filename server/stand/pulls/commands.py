"""What web and worker ask of a stand, and the word to every browser that shows it."""

from __future__ import annotations

from shop.models import Person, Stand
from stand.live import notifications
from stand.models import Command, Pull


def command_stand(person: Person, stand: Stand, name: str, pull: Pull | None, arguments: dict[str, object]) -> Command:
    command = Command.objects.create(stand=stand, pull=pull, name=name, arguments=arguments, asked_by=person)
    notifications.notify(notifications.ASKED, {"stand": stand.pk})
    tell_browsers(stand, {"type": "pull", "pull": pull.pk if pull else None})
    return command


def tell_browsers(stand: Stand, message: dict[str, object]) -> None:
    notifications.notify(notifications.FRAMES, {"stand": stand.pk, **message})
