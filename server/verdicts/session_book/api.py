"""Books of sessions: what there is, issuing one, and its page and PDF."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router

from curves.archive.exports import file_name
from programmes.models import Programme
from shop.models import Person
from shop.permissions import person_of
from shop.schema import Schema
from stand.models import Session
from verdicts.models import SessionBook
from verdicts.session_book import book, rendering
from verdicts.session_book.book import BookOptions

router = Router(tags=["session books"])


class BookIn(Schema):
    """`change` says what is new against the version before; the first needs none."""

    show_owner: bool = False
    interests: str = ""
    change: str = ""


class BookOut(Schema):
    id: int
    number: int
    by: str
    at: datetime
    change: str


class SessionWithBooks(Schema):
    """A session of a test, and its books, the newest first."""

    session_id: int
    opened_at: datetime
    closed_at: datetime | None
    stand: str
    pulls: int
    books: list[BookOut]


class BookHtml(Schema):
    html: str


def _out(one: SessionBook) -> BookOut:
    return BookOut(id=one.pk, number=one.number, by=str(one.by), at=one.at, change=one.change)


def _book(person: Person, book_id: int) -> SessionBook:
    seen = SessionBook.objects.filter(session__programme__in=Programme.objects.visible_to(person))
    return get_object_or_404(seen.select_related("session__programme"), pk=book_id)


@router.get("/programmes/{programme_id}/books", response=list[SessionWithBooks], operation_id="session_books")
def read_books(request: HttpRequest, programme_id: int) -> list[SessionWithBooks]:
    """Every session of a test with its books."""
    programme = get_object_or_404(Programme.objects.visible_to(person_of(request)), pk=programme_id)
    sessions = programme.sessions.select_related("stand").prefetch_related("pulls")
    books: dict[int, list[SessionBook]] = {}
    for one in SessionBook.objects.filter(session__programme=programme).defer("document").select_related("by"):
        books.setdefault(one.session_id, []).append(one)
    return [
        SessionWithBooks(session_id=one.pk, opened_at=one.opened_at, closed_at=one.closed_at, stand=str(one.stand),
                         pulls=len(one.pulls.all()), books=[_out(each) for each in books.get(one.pk, [])])
        for one in sessions
    ]  # fmt: skip


@router.post("/sessions/{session_id}/books", response=BookOut, operation_id="issue_session_book")
def issue(request: HttpRequest, session_id: int, given: BookIn) -> BookOut:
    """Freeze the book of a closed session."""
    person = person_of(request)
    seen = Session.objects.filter(programme__in=Programme.objects.visible_to(person))
    session = get_object_or_404(seen.select_related("programme__build__engine", "stand", "opened_by"), pk=session_id)
    wanted = BookOptions(given.show_owner, given.interests)
    return _out(book.issue(person, session, wanted, given.change, timezone.now()))


@router.get("/books/{book_id}/html", response=BookHtml, operation_id="session_book_html")
def read_html(request: HttpRequest, book_id: int) -> BookHtml:
    """A book as it was issued."""
    return BookHtml(html=rendering.html(_book(person_of(request), book_id)))


@router.get("/books/{book_id}/book.pdf", operation_id="session_book_pdf", response={200: None})
def read_pdf(request: HttpRequest, book_id: int) -> HttpResponse:
    found = _book(person_of(request), book_id)
    answer = HttpResponse(rendering.pdf(found), content_type="application/pdf")
    name = file_name(found.document["question"], "session book", found.number)
    answer["Content-Disposition"] = f'attachment; filename="{name}.pdf"'
    answer["Cache-Control"] = "private, no-store"
    return answer
