"""A stretch on a stand is opened and closed: one at a time on each stand."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import datetime

from django.db import IntegrityError, transaction

from programmes.models import PracticeTest, Programme
from shop.models import Person, Stand
from shop.permissions import require_operator
from shop.refusals import Refusal
from shop.texts import optional
from stand.models import ENDED, Link, Session
from stand.pulls.commands import tell_browsers
from stand.session import cautions, tuning_time
from stand.signals import session_opened


@dataclass(frozen=True)
class Fluids:
    """What is in the engine and the tank, in words."""

    fuel: str = ""
    oil: str = ""
    coolant: str = ""


def open_session(
    person: Person, programme: Programme, stand: Stand, at: datetime, fluids: Fluids = Fluids()
) -> Session:
    """Open a session. Who opens it has read the cautions: the screen asks him before."""
    require_operator(person)
    if stand.retired_at is not None or not stand.on_line:
        raise Refusal(f"{stand} is not in use. Choose another stand, or ask the owner to bring it back.",
                      code="stand_retired")  # fmt: skip
    if PracticeTest.objects.filter(programme=programme).exists() and not _is_simulated(stand):
        where = "Choose the simulated stand, or let the owner add one under Stands."
        raise Refusal(f"A practice test runs on the simulated stand alone. {where}", code="practice_stand")
    kept = {key: optional(text, key, 80) for key, text in asdict(fluids).items()}
    try:
        with transaction.atomic():
            session = Session.objects.create(programme=programme, stand=stand, opened_at=at, opened_by=person, **kept)
            cautions.acknowledge(person, session, at)
            session_opened.send(sender=Session, session=session, at=at)
            return session
    except IntegrityError as error:
        running = Session.objects.filter(stand=stand, closed_at=None).select_related("programme").first()
        message = f"“{running.programme.question}” is open on {stand}." if running else f"{stand} was in use then."
        raise Refusal(f"{message} Close that session first.", code="stand_busy") from error


def _is_simulated(stand: Stand) -> bool:
    """One that this application runs, or one that says so."""
    link = Link.objects.filter(stand=stand).first()
    return bool(stand.simulated) or (link is not None and link.hello.get("simulated") is True)


def close_session(person: Person, session: Session, at: datetime) -> Session:
    require_operator(person)
    if session.closed_at is not None:
        raise Refusal("This session is closed already.", code="session_closed")
    with transaction.atomic():
        lock_open(session)
        if session.pulls.exclude(state__in=ENDED).exists():
            raise Refusal("A pull is armed or running. Abort it, then close the session.", code="pull_running")
        tuning_time.note_visit(session)
        session.closed_at = at
        session.save(update_fields=["closed_at"])
        tell_browsers(session.stand, {"type": "session"})
    return session


def lock_open(session: Session) -> None:
    """Nobody closes it while somebody arms in it, and the other way round: the second sees what the first did."""
    fresh = Session.objects.select_for_update().get(pk=session.pk)
    if fresh.closed_at is not None:
        raise Refusal("This session was closed in the meantime. Open a new one.", code="session_closed")
