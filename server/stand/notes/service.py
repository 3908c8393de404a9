"""What was seen, heard and measured beside the data; failed starts, too. Notes are never counted."""

from __future__ import annotations

from datetime import datetime

from django.core.files.uploadedfile import UploadedFile

from engines.parts.service import LARGEST_UPLOAD, reencode
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from shop.texts import optional
from stand.models import Note, NoteKind, Pull, Session

PHOTOS_A_SESSION = 200
FASTEST_RPM = 30_000.0


def read_upload(file: UploadedFile) -> bytes:
    """The bytes of an upload, refused before they are read where there are too many."""
    if file.size and file.size > LARGEST_UPLOAD:
        size = f"{file.size / 1e6:.0f} MB, at most {LARGEST_UPLOAD / 1e6:.0f} MB are taken"
        raise Invalid("The file is too large.", fields={"file": size})
    return file.read()  # type: ignore[no-any-return]


def write(
    person: Person, session: Session, kind: str, text: str, at: datetime, *, pull: Pull | None = None,
    photo: bytes | None = None, rpm: float | None = None,
) -> Note:  # fmt: skip
    """A note of a session or of one of its pulls, with a photograph or without. Also for a closed session.

    With `rpm` it marks the pull at that engine speed, and needs no words: a key is all there is time for. A mark that
    comes late, because the line to the server was away, stands where it was made.
    """
    require_operator(person)
    if kind not in NoteKind.values or kind == NoteKind.STAND:
        labels = [label for value, label in NoteKind.choices if value != NoteKind.STAND]
        raise Invalid("There is no such note.", fields={"kind": f"one of {', '.join(labels)}"})
    said = optional(text, "text", 500)
    if rpm is not None:
        said = _marked(pull, rpm, said)
    if not said and photo is None and kind != NoteKind.FAILED_START:
        raise Invalid("Write what was noticed.", fields={"text": "a few words are enough"})
    if pull is not None and pull.session_id != session.pk:
        raise Invalid("This pull belongs to another session.", fields={"pull_id": "choose one of this session"})
    note = Note(session=session, pull=pull, kind=kind, text=said or "The engine did not start.", at=at, person=person,
                rpm=rpm)  # fmt: skip
    if photo is not None:
        if session.notes.exclude(photo=None).count() >= PHOTOS_A_SESSION:
            raise Refusal(f"A session holds {PHOTOS_A_SESSION} photographs.", code="too_many")
        note.text = said
        note.photo, (note.width, note.height) = reencode(photo)
    note.save()
    return note


def _marked(pull: Pull | None, rpm: float, said: str) -> str:
    if not 0 < rpm < FASTEST_RPM:
        raise Invalid("Nothing was marked.", fields={"rpm": "not an engine speed"})
    if pull is None or pull.started_at is None:
        raise Refusal("No pull runs that could be marked. Write a note instead.", code="not_running")
    return said or f"Marked at {rpm:.0f} rpm."


def archive(person: Person, note: Note, at: datetime | None) -> Note:
    """Its author puts a note aside since `at`, or brings it back (None). It stays in the record."""
    require_operator(person)
    if note.person_id != person.pk:
        raise Refusal("Only who wrote a note puts it aside.", code="not_yours")
    note.archived_at = at
    note.save(update_fields=["archived_at"])
    return note
