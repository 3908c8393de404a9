"""Which state of a test a comparison is of: another text after any write that a comparison could show.

Triggers on every table that a comparison reads leave a mark at the test (migration 0005), so no writer has to think of
it. A reader asks for the revision first and reads afterwards: what it then makes is never older than the revision says.
"""

from __future__ import annotations

from collections.abc import Collection
from datetime import datetime, timedelta

from django.db import connection
from django.db.models import Count, Max

from verdicts.models import ProgrammeChange

MOST_MARKS = 200  # of a test that are kept; counting them stays cheap
SETTLED = timedelta(days=1)  # older marks belong to no transaction that is still open
UNTOUCHED = "0"


def revision_of(programme_id: int) -> str:
    return revisions_of([programme_id])[programme_id]


def revisions_of(programme_ids: Collection[int], *, own: bool = False) -> dict[int, str]:
    """By test, in one query. `own` counts what was written of the test itself alone: another test of its engine changes
    the notes of a comparison, and no figure.

    A transaction that began earlier may end later, with the lower number: so the count is in it. A database that was
    restored gives its numbers again: so the time is.
    """
    marks = ProgrammeChange.objects.filter(programme__in=programme_ids).order_by().values("programme")
    if own:
        marks = marks.filter(transaction__gt=0)
    found = marks.annotate(marks=Count("pk"), newest=Max("pk"), last=Max("at"))
    written = {row["programme"]: f"{row['marks']}.{row['newest']}.{row['last'].timestamp():.6f}" for row in found}
    return {pk: written.get(pk, UNTOUCHED) for pk in programme_ids}


def settle(programme_id: int, at: datetime) -> None:
    """Put the old marks of a test into one new one, which is a new revision, where they have become many."""
    if ProgrammeChange.objects.filter(programme=programme_id).count() <= MOST_MARKS:
        return
    with connection.cursor() as cursor:
        cursor.execute(
            """
            WITH gone AS (
                DELETE FROM verdicts_programmechange WHERE programme = %(programme)s AND at < %(before)s RETURNING 1
            )
            INSERT INTO verdicts_programmechange (programme, transaction, at)
            SELECT %(programme)s, txid_current(), statement_timestamp() WHERE EXISTS (SELECT 1 FROM gone)
            ON CONFLICT (programme, transaction) DO UPDATE
                SET id = nextval(pg_get_serial_sequence('verdicts_programmechange', 'id')), at = excluded.at
            """,
            {"programme": programme_id, "before": at - SETTLED},
        )
