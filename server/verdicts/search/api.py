"""One line that finds anything, and a kind of it a page at a time."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from ninja import Query, Router
from pydantic import Field

from shop.permissions import person_of
from shop.schema import Schema
from verdicts.search import service
from verdicts.search.query import read_query
from verdicts.search.service import KINDS, Found, FoundKind

router = Router(tags=["search"])
OF_EACH = 5  # rows of each kind where none is chosen
OF_ONE = 50  # rows of a page of one kind


class FoundOut(Schema):
    """One thing that was found; the ids say where it is looked at."""

    kind: FoundKind
    id: int
    title: str
    about: str
    at: datetime | None
    programme_id: int | None
    pull_id: int | None
    build_id: int | None
    archived: bool


class FoundOfKind(Schema):
    kind: FoundKind
    total: int
    rows: list[FoundOut]


class SearchOut(Schema):
    """`understood` says what of the line was taken for a figure, a person or a time; `otherwise` are names that are
    spelled much like it, where nothing holds its words."""

    understood: list[str]
    found: list[FoundOfKind]
    otherwise: list[FoundOut]


class SearchIn(Schema):
    q: str = Field("", max_length=200)
    kind: FoundKind | None = None
    page: int = Field(1, ge=1, le=100_000)


def _out(found: Found) -> FoundOut:
    return FoundOut(**vars(found))


@router.get("/search", response=SearchOut, operation_id="search")
def search(request: HttpRequest, asked: Query[SearchIn]) -> SearchOut:
    """Everything that holds the words, figures, person and time of one line: some of each kind, or a page of one."""
    person = person_of(request)
    query = read_query(person, asked.q)
    if query.is_empty:
        return SearchOut(understood=[], found=[], otherwise=[])
    rows = OF_EACH if asked.kind is None else OF_ONE
    counted = [
        (kind, *service.find(person, query, kind, (asked.page - 1) * rows if kind is asked.kind else 0,
                             rows if asked.kind in (None, kind) else 0))
        for kind in KINDS
    ]  # fmt: skip
    return SearchOut(
        understood=list(query.understood),
        found=[
            FoundOfKind(kind=kind, total=total, rows=[_out(row) for row in some])
            for kind, total, some in counted if total
        ],
        otherwise=[] if any(total for _, total, _ in counted) else [
            _out(row) for row in service.spelled_otherwise(person, query, OF_EACH)
        ],
    )  # fmt: skip
