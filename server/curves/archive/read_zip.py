"""A programme that was written as one file, read back in under new keys: all of it or nothing."""

from __future__ import annotations

from datetime import datetime

from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction

from curves.archive import preview
from curves.archive.preview import ImportPreview
from curves.archive.row_reader import RowReader
from curves.archive.unpack import unpacked
from curves.files.table import FileProblem
from programmes.models import Programme
from shop.models import Person
from shop.permissions import require_operator


def look(person: Person, content: bytes) -> ImportPreview:
    """What it would bring; nothing is written. FileProblem says what is wrong."""
    require_operator(person)
    record, _ = unpacked(content)
    return preview.look(record["tables"])


def read(person: Person, content: bytes, at: datetime, question: str = "", *, link_parts: bool = False) -> Programme:
    """A programme as it was written, under new keys; all of it or nothing. FileProblem says what is wrong.

    `question` takes the place of the file's; with `link_parts` a part that this shop has, the same in every value, is
    not made a second time.

    Nobody of this shop is made to have written what a file says: its people are people of that file, who cannot sign
    in, and its stands are no stands of this shop. An engine or a part whose name is taken gets another.
    """
    require_operator(person)
    record, blobs = unpacked(content)
    try:
        with transaction.atomic():
            known = preview.same_parts(record["tables"]) if link_parts else {}
            made = RowReader(person, record, blobs, known).programme()
            made.from_file_at, made.question = at, question or made.question
            made.save(update_fields=["from_file_at", "question"])
            return made
    except ValidationError as error:
        raise FileProblem(f"{'; '.join(error.messages)[:300]}") from error
    except IntegrityError as error:
        raise FileProblem(f"its rows contradict each other: {str(error).splitlines()[0][:200]}") from error
