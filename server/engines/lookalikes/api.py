"""Records that may be one part: what speaks for it, and what a person makes of it."""

from __future__ import annotations

from typing import Literal

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router, Status

from engines.lookalikes import service
from engines.lookalikes.service import Lookalike, labels
from engines.models import Part
from engines.parts.access import one_part
from shop.permissions import person_of
from shop.schema import Schema

router = Router(tags=["parts"])


class LookalikePart(Schema):
    id: int
    name: str
    slot: str
    aliases: list[str]


class LookalikeOut(Schema):
    """`shared_name` is what both are called, empty where their names are only spelled alike; lines of their sheets."""

    one: LookalikePart
    other: LookalikePart
    shared_name: str
    agree: list[str]
    differ: list[str]


class SettledIn(Schema):
    """What a person says of two parts. `merge` keeps the one of the address, `link` keeps both."""

    as_what: Literal["merge", "link", "distinct"]


def _part(part: Part) -> LookalikePart:
    return LookalikePart(id=part.pk, name=part.name, slot=part.get_slot_display(),
                         aliases=[alias.name for alias in part.aliases.all()])  # fmt: skip


def _out(found: Lookalike) -> LookalikeOut:
    return LookalikeOut(
        one=_part(found.one), other=_part(found.other), shared_name=found.shared_name,
        agree=labels(found.agree), differ=labels(found.differ),
    )  # fmt: skip


@router.get("/lookalikes", response=list[LookalikeOut], operation_id="lookalikes")
def read_lookalikes(request: HttpRequest) -> list[LookalikeOut]:
    """Pairs of parts of one name, and pairs that are spelled alike and that no dimension tells apart."""
    return [_out(found) for found in service.lookalikes(person_of(request))]


@router.post("/parts/{part_id}/lookalikes/{twin_id}", response={204: None}, operation_id="settle_lookalike")
def settle(request: HttpRequest, part_id: int, twin_id: int, given: SettledIn) -> Status[None]:
    """Merge, link or tell apart two parts."""
    person = person_of(request)
    part, other = one_part(person, part_id), one_part(person, twin_id)
    if given.as_what == "merge":
        service.merge(person, part, other, timezone.now())
    elif given.as_what == "link":
        service.link(person, part, other)
    else:
        service.distinguish(person, part, other, timezone.now())
    return Status(204, None)
