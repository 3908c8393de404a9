"""Files that a stand's recorder has finished, in the open session: each a pull, by the mapping of its layout."""

from __future__ import annotations

import hashlib
import logging
from datetime import datetime
from pathlib import Path

from django.db import transaction
from torvix_core.pull.reduction import StandInertia

from curves.files.table import LARGEST_FILE
from curves.intake import imports
from curves.intake.filing import FilingPlace
from curves.intake.imports import FilePlacing
from curves.models import FileState, Import, SourceFile
from jobs import service as jobs
from programmes.models import Setup
from shop.models import Stand
from stand.models import Note, NoteKind, Session
from stand.pulls.commands import tell_browsers
from stand.session import changes

log = logging.getLogger("torvix.recorder")


class _Alone:
    """Nobody waits for it, and nobody stops it."""

    def wanted(self) -> bool:
        return True

    def tell(self, done: int = 0, total: int = 0, progress_text: str = "") -> None:
        pass


def open_session(stand: Stand) -> Session | None:
    return Session.objects.filter(stand=stand, closed_at=None).select_related("programme", "stand", "opened_by").first()


def setup_on(session: Session) -> Setup | None:
    """What is bolted on: that of the last change or pull of the session, else the first of the running order."""
    change = session.changes.filter(ended_at__isnull=False).select_related("after").order_by("ended_at").last()
    pull = session.pulls.select_related("setup").order_by("armed_at").last()
    if change and change.ended_at and (pull is None or change.ended_at >= pull.armed_at):
        return change.after
    if before := pull.setup if pull else changes.mounted(session):
        return before
    first = session.programme.steps.select_related("setup").order_by("position").first()
    return first.setup if first else session.programme.setups.first()


def take(session: Session, path: Path, at: datetime) -> str:
    """One finished file; what became of it, in words. OSError if it cannot be read at this moment."""
    status = path.stat()
    if status.st_size > LARGEST_FILE:
        return note(session, f"{path.name}: {status.st_size / 1e6:.0f} MB are more than is read.", at)
    content = path.read_bytes()
    ended = datetime.fromtimestamp(status.st_mtime, tz=at.tzinfo)
    batch, _ = Import.objects.get_or_create(
        session=session, defaults={"programme": session.programme, "by": session.opened_by, "at": at}
    )
    if SourceFile.objects.filter(
        batch__programme=session.programme_id, sha256=hashlib.sha256(content).hexdigest()
    ).exists():
        return f"{path.name} is known already"  # the watch began anew
    with transaction.atomic():  # a file that is known has its time: it is asked of no file that is known
        file = imports.take(session.opened_by, batch, path.name, content)
        of_file = batch.files.filter(state=FileState.WAITING, size=status.st_size, layout_key=file.layout_key)
        for waiting in of_file.defer("content"):  # a file of several runs is several rows
            waiting.layout = {**waiting.layout, "ended": ended.isoformat()}
            waiting.save(update_fields=["layout"])
    if file.state != FileState.WAITING:
        return note(session, f"{path.name}: {file.outcome}", at)
    return read_waiting(session, batch, {file.layout_key}, at) or note(
        session,
        f"{path.name}: its columns were never mapped. Map them once under Import files: from then on each file "
        "of this recorder becomes a pull automatically.",
        at,
    )


def mapped_meanwhile(session: Session, at: datetime) -> str:
    """Files that waited for somebody to map their columns."""
    batch = Import.objects.filter(session=session).first()
    if batch is None:
        return ""
    keys = set(batch.files.filter(state=FileState.WAITING).values_list("layout_key", flat=True))
    return read_waiting(session, batch, keys, at) if keys and not jobs.is_going_on(batch.job_id) else ""


def read_waiting(session: Session, batch: Import, keys: set[str], at: datetime) -> str:
    """Make pulls of those whose columns are known; "" where none is."""
    layouts = imports.remembered(sorted(keys))
    setup = setup_on(session)
    waiting = list(batch.files.filter(state=FileState.WAITING, layout_key__in=layouts).defer("content"))
    if setup is None or not waiting:
        return ""
    placings = {file.pk: FilePlacing(setup.pk) for file in waiting}
    arguments = imports.settle(session.opened_by, batch, layouts, placings, place_of(session, at), at)
    imports.work(arguments, _Alone())
    found = SourceFile.objects.filter(pk__in=placings).select_related("pull").defer("content")
    words = []
    for file in found:
        if file.pull is None:
            words.append(note(session, f"{file.name}: {file.outcome}", at))
            continue
        words.append(f"{file.name} is pull {file.pull.number}")
    tell_browsers(session.stand, {"type": "session"})
    return "; ".join(words)


def place_of(session: Session, at: datetime) -> FilingPlace:
    """The open session itself. Inertia that its owner knows is not in the torque; without it nobody knows."""
    inertia = session.stand.inertia
    return FilingPlace(
        day=at.date(), stand_name=session.stand.name, fuel=session.fuel, session_id=session.pk,
        inertia_in_torque=StandInertia.NOT_INCLUDED if inertia else StandInertia.UNKNOWN, inertia=inertia or 0.0,
    )  # fmt: skip


def note(session: Session, text: str, at: datetime) -> str:
    """For whoever runs the session: a file that became no pull must not go unseen."""
    Note.objects.create(session=session, kind=NoteKind.STAND, text=text[:500], at=at)
    tell_browsers(session.stand, {"type": "session"})
    return text
