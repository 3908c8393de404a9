"""The board of tests, and what each says so far."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from django.utils import timezone
from ninja import Query, Router

from programmes.listing.schemas import ProgrammeRow, programme_row
from shop.paging import PageIn, page_of, searched
from shop.permissions import person_of
from shop.schema import Schema
from verdicts.home import board

router = Router(tags=["home"])


class LastPull(Schema):
    number: int
    setup_id: int
    at: datetime | None


class TestRow(ProgrammeRow):
    """A test and where it stands."""

    stage: str
    last_pull: LastPull | None
    needs: list[str]


class TestsPage(Schema):
    total: int
    rows: list[TestRow]


class VerdictLine(Schema):
    """Empty where the test cannot say anything yet."""

    line: str


@router.get("/tests-table", response=TestsPage, operation_id="tests_table")
def page_of_tests(request: HttpRequest, asked: Query[PageIn]) -> TestsPage:
    """The tests a page at a time: found by question, engine, setup or author."""
    person, now = person_of(request), timezone.now()
    every = board.board(person).filter(archived_at__isnull=not asked.archived)

    def row(test: Any) -> TestRow:
        last = test.last_number and LastPull(number=test.last_number, setup_id=test.last_setup, at=test.last_pull_at)
        return TestRow(
            **programme_row(test), stage=board.stage(test), last_pull=last or None,
            needs=board.needs(test, person, now),
        )  # fmt: skip

    return TestsPage(**page_of(searched(every, asked.search, board.SEARCHED), asked, board.SORTS, row))


@router.get("/programmes/{programme_id}/verdict-line", response=VerdictLine, operation_id="verdict_line")
def read_verdict_line(request: HttpRequest, programme_id: int) -> VerdictLine:
    """The verdict in one sentence, by the test's own duty and standard."""
    return VerdictLine(line=board.verdict_line(person_of(request), programme_id))
