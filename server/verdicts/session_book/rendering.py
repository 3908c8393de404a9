"""A session book as a page and on paper. It adds nothing but the photographs, which never change."""

from __future__ import annotations

import base64
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from django.template.loader import render_to_string

from stand.models import Note
from verdicts.customer_report import rendering
from verdicts.customer_report.setup_marks import mark_of
from verdicts.models import SessionBook
from verdicts.session_book.book import photo_mark

COLUMNS = 3  # of speed, torque and power beside each other


def html(book: SessionBook, *, page: bool = False) -> str:
    """For the screen and, with `page`, a whole page for the printer."""
    document: Mapping[str, Any] = book.document
    taken = Note.objects.filter(session=book.session_id, photo__isnull=False).values_list("photo", flat=True)
    photos = {photo_mark(photo): photo for photo in taken}
    shown = {
        **document, "made_at": datetime.fromisoformat(document["made_at"]),
        "notes": [_with_photo(note, photos) for note in document["notes"]],
        "pulls": [
            {**pull, "mark": mark_of(pull["position"]), "columns": _columns(pull["curve"]),
             "notes": [_with_photo(note, photos) for note in pull["notes"]]}
            for pull in document["pulls"]
        ],
    }  # fmt: skip
    context = {"book": shown, "version": book.number, "change": book.change, "fonts": rendering.fonts()}
    return render_to_string("verdicts/session_book_page.html" if page else "verdicts/session_book.html", context)


def pdf(book: SessionBook) -> bytes:
    """On A4."""
    return rendering.pdf_of(html(book, page=True))


def _with_photo(note: Mapping[str, Any], photos: Mapping[str, Any]) -> dict[str, Any]:
    content = photos.get(note["photo"])
    found = "" if content is None else base64.b64encode(bytes(content)).decode()
    return {**note, "image": f"data:image/jpeg;base64,{found}" if found else ""}


def _columns(curve: list[list[float]]) -> list[list[list[float]]]:
    """Rows of a curve in COLUMNS stacks beside each other."""
    length = -(-len(curve) // COLUMNS) or 1
    return [curve[start : start + length] for start in range(0, len(curve), length)]
