"""A page of a long list: searched, sorted and cut by the database, with how many there are in all."""

from __future__ import annotations

import operator
from collections.abc import Callable, Mapping, Sequence
from functools import reduce
from typing import Any, Literal, TypeVar

from django.db.models import F, Model, Q, QuerySet
from pydantic import Field

from shop.schema import Schema

MOST_ROWS = 200
M = TypeVar("M", bound=Model)


class PageIn(Schema):
    """What of a list is asked for. An unknown `sort` leaves the list in its own order."""

    search: str = Field("", max_length=200)
    sort: str = ""
    order: Literal["asc", "desc"] = "asc"
    page: int = Field(1, ge=1, le=100_000)
    size: int = Field(25, ge=1, le=MOST_ROWS)
    archived: bool = False


MOST_NAMES = 30  # that a field offers at once; the rest are found by typing


class NamesIn(Schema):
    """For a field in which one of many is chosen: what was typed into it, and `ids` that it holds already."""

    search: str = Field("", max_length=200)
    ids: list[int] = Field([], max_length=2000)


def names_of(found: QuerySet[M], asked: NamesIn, fields: Sequence[str], row: Callable[[M], Any]) -> dict[str, Any]:
    """Those asked for by number, archived or not, or the first MOST_NAMES of those that hold what was typed, of `total`
    in all."""
    if asked.ids:
        held = found.filter(pk__in=asked.ids)
        return {"total": len(asked.ids), "rows": [row(one) for one in held]}
    fitting = searched(found.filter(archived_at=None), asked.search, fields)
    return {"total": fitting.count(), "rows": [row(one) for one in fitting[:MOST_NAMES]]}


def searched(found: QuerySet[M], words: str, fields: Sequence[str]) -> QuerySet[M]:
    """Those that hold every word, each in any of the fields, in either case.

    A field may be of many related rows; one that matches in several comes once.
    """
    for word in words.split():
        found = found.filter(holding(found.model, {f"{field}__icontains": word for field in fields}))
    return found


def holding(model: type[Model], lookups: Mapping[str, Any]) -> Q:
    """Rows for which any of the lookups holds. One over related rows is a query of its own: so an index serves it."""
    every = model._base_manager
    return reduce(operator.or_, (
        Q(pk__in=every.filter(**{lookup: value}).values("pk")) if lookup.count("__") > 1 else Q(**{lookup: value})
        for lookup, value in lookups.items()
    ))  # fmt: skip


def page_of(found: QuerySet[M], asked: PageIn, sorts: Mapping[str, str], row: Callable[[M], Any]) -> dict[str, Any]:
    """The rows of a page and how many there are in all; `sorts` maps a column to what the database sorts by."""
    total = found.count()
    if asked.sort in sorts:
        column = F(sorts[asked.sort])
        # What has no value, such as the last pull of a test that was only planned, comes last either way.
        first_of_all = column.desc(nulls_last=True) if asked.order == "desc" else column.asc(nulls_last=True)
        found = found.order_by(first_of_all, "pk")
    first = (asked.page - 1) * asked.size
    return {"total": total, "rows": [row(one) for one in found[first : first + asked.size]]}
