"""Notes of a session: seen, heard, measured; with photographs."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Form, Router
from ninja.files import UploadedFile

from programmes.models import Programme
from shop.models import Person
from shop.permissions import person_of
from shop.schema import Schema
from stand.models import Note, NoteKind, Pull, Session
from stand.notes import service as notes

router = Router(tags=["notes"])


class NoteOut(Schema):
    id: int
    kind: str
    label: str
    text: str
    pull_id: int | None
    pull: int | None
    at: datetime
    rpm: float | None
    by: str
    by_username: str
    width: int
    height: int


class NotesOut(Schema):
    notes: list[NoteOut]
    kinds: dict[str, str]


class ArchivedNoteIn(Schema):
    archived: bool


class NoteIn(Schema):
    kind: str = NoteKind.OTHER
    text: str = ""
    pull_id: int | None = None
    rpm: float | None = None


def _session(person: Person, session_id: int) -> Session:
    seen = Session.objects.filter(programme__in=Programme.objects.visible_to(person))
    return get_object_or_404(seen, pk=session_id)


def to_schema(rows: list[Note]) -> NotesOut:
    return NotesOut(
        notes=[
            NoteOut(
                id=note.pk, kind=note.kind, label=note.get_kind_display(), text=note.text, pull_id=note.pull_id,
                pull=note.pull.number if note.pull else None, at=note.at, rpm=note.rpm, by=str(note.person or ""),
                by_username=note.person.username if note.person else "",
                width=note.width, height=note.height,
            )
            for note in rows
        ],
        kinds={value: label for value, label in NoteKind.choices if value != NoteKind.STAND},
    )  # fmt: skip


def _of_programme(programme_id: int) -> NotesOut:
    rows = (
        Note.objects.filter(session__programme=programme_id, archived_at=None)
        .select_related("person", "pull")
        .defer("photo")
    )
    return to_schema(list(rows))


@router.get("/programmes/{programme_id}/notes", response=NotesOut, operation_id="notes")
def read_notes(request: HttpRequest, programme_id: int) -> NotesOut:
    programme = get_object_or_404(Programme.objects.visible_to(person_of(request)), pk=programme_id)
    return _of_programme(programme.pk)


def _pull(session: Session, pull_id: int | None) -> Pull | None:
    return None if pull_id is None else get_object_or_404(session.pulls, pk=pull_id)


@router.post("/sessions/{session_id}/notes", response=NotesOut, operation_id="write_note")
def write_note(request: HttpRequest, session_id: int, given: NoteIn) -> NotesOut:
    person = person_of(request)
    session = _session(person, session_id)
    notes.write(person, session, given.kind, given.text, timezone.now(), pull=_pull(session, given.pull_id),
                rpm=given.rpm)  # fmt: skip
    return _of_programme(session.programme_id)


@router.post("/sessions/{session_id}/photos", response=NotesOut, operation_id="add_note_photo")
def add_photo(
    request: HttpRequest, session_id: int, file: File[UploadedFile], text: Form[str] = "",
    kind: Form[str] = NoteKind.SEEN, pull_id: Form[int | None] = None,
) -> NotesOut:  # fmt: skip
    person = person_of(request)
    session = _session(person, session_id)
    pull = _pull(session, pull_id)
    notes.write(person, session, kind, text, timezone.now(), pull=pull, photo=notes.read_upload(file))
    return _of_programme(session.programme_id)


@router.put("/notes/{note_id}/archived", response=NotesOut, operation_id="archive_note")
def archive_note(request: HttpRequest, note_id: int, given: ArchivedNoteIn) -> NotesOut:
    person = person_of(request)
    seen = Note.objects.filter(session__programme__in=Programme.objects.visible_to(person))
    note = get_object_or_404(seen.select_related("session").defer("photo"), pk=note_id)
    notes.archive(person, note, timezone.now() if given.archived else None)
    return _of_programme(note.session.programme_id)


@router.get("/notes/{note_id}/photo", operation_id="note_photo", response={200: None})
def read_photo(request: HttpRequest, note_id: int) -> HttpResponse:
    seen = Note.objects.filter(session__programme__in=Programme.objects.visible_to(person_of(request)))
    note = get_object_or_404(seen.exclude(photo=None), pk=note_id)
    answer = HttpResponse(bytes(note.photo or b""), content_type="image/jpeg")
    answer["Cache-Control"] = "private, max-age=86400"
    return answer
