"""Stop the stand: a stop is never refused, and reaches the stand without the database too."""

from __future__ import annotations

from django.conf import settings
from django.core import signing
from django.core.exceptions import ObjectDoesNotExist
from django.db import DatabaseError, transaction

from shop.models import Person, Stand
from shop.permissions import require_operator
from shop.refusals import NotAllowed, Refusal
from stand.models import Command, Pull
from stand.pulls.commands import command_stand
from stand.worker import stop_socket


def abort(person: Person, pull: Pull) -> Command:
    """For the stand: never refused because of what a row says, which may be older than what the engine does."""
    require_operator(person)
    with transaction.atomic():
        return command_stand(person, pull.session.stand, "abort", pull, {})


STOP_KEY, STOP_KEY_S = "stop a stand", 24 * 3600


class NotStopped(Refusal):
    """Loud on purpose: an engine may still run."""

    code = "not_stopped"
    status = 503


def stop_key(person: Person, stand: Stand) -> str:
    """What a screen that shows a stand stops it with, so that the database need not be asked who stops it."""
    return signing.dumps([person.pk, stand.pk], salt=STOP_KEY)


def stop(stand_id: int, key: str) -> bool:
    """Stop a stand: past the database by the worker's socket, and by a command that is on record.

    NotAllowed for a key that is none; NotStopped where no way leads to the stand. True where the worker has said that
    it passed it on.
    """
    try:
        person, stand = signing.loads(key, salt=STOP_KEY, max_age=STOP_KEY_S)
    except signing.BadSignature as error:
        raise NotAllowed("This page is out of date. Use the wired stop, then reload it.") from error
    if stand != stand_id:
        raise NotAllowed("This page shows another stand. Use the wired stop.")
    reached = stop_socket.ask(settings.BENCH_SPOOL, stand_id)
    try:
        with transaction.atomic():
            command_stand(Person.objects.get(pk=person), Stand.objects.get(pk=stand_id), "abort", None, {})
    except (DatabaseError, ObjectDoesNotExist) as error:
        if not reached:
            raise NotStopped(
                "NOT STOPPED: neither the bench worker nor the database answers. Use the wired emergency stop now."
            ) from error
    return reached
