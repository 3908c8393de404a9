"""The parts library over the API, and two stacks of parts held against each other."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from pydantic import Field
from torvix_core.engine.dimensions import Slot, part_dimensions
from torvix_core.engine.evidence import Origin

from engines.models import Part
from engines.parts import service as parts
from engines.parts.access import one_part
from engines.sheet import schemas as sheet_schemas
from engines.sheet import sheets
from engines.sheet.entries import show
from shop.models import Person
from shop.permissions import units_of
from shop.schema import Schema


class SlotOut(Schema):
    value: str
    label: str
    lines: list[sheet_schemas.LineOut]


class PartRow(Schema):
    id: int
    name: str
    slot: str
    slot_label: str
    aliases: list[str]
    made_from: str
    modification: str
    price: str
    summary: list[str]
    photo: int | None
    archived: bool


class PartName(Schema):
    id: int
    name: str
    slot: str
    archived: bool


class PartNames(Schema):
    """`slots` are those of the library that hold any part, `total` is how many names there are to choose from."""

    total: int
    slots: list[str]
    rows: list[PartName]


class PartsPage(Schema):
    """A page of the library, and the slots that have parts."""

    total: int
    rows: list[PartRow]
    slots: list[str]


class AncestorOut(Schema):
    id: int
    name: str
    modification: str
    amount: str
    reason: str
    at: datetime | None
    by: str


class PhotoOut(Schema):
    id: int
    caption: str
    width: int
    height: int
    by: str


class LinkOut(Schema):
    id: int
    name: str


class PartOut(PartRow):
    notes: str
    belongs_to: str
    price_state: str
    price_is_private: bool
    matched_to: LinkOut | None
    same_as: LinkOut | None
    lines: list[sheet_schemas.LineOut]
    lineage: list[AncestorOut]
    children: list[AncestorOut]
    photos: list[PhotoOut]


class FactsIn(Schema):
    name: str
    notes: str = ""
    belongs_to: str = ""
    price: str = ""
    price_is_private: bool = False
    matched_to_id: int | None = None
    same_as_id: int | None = None


class PartIn(FactsIn):
    slot: Slot
    texts: dict[str, str] = Field(default_factory=dict)
    origin: Origin = Origin.REPORTED


class PartReadingIn(Schema):
    text: str
    how: str = ""


class ModificationIn(Schema):
    name: str
    modification: str
    amount: str = ""
    reason: str
    texts: dict[str, str] = Field(default_factory=dict)


class AliasIn(Schema):
    name: str


def part_row(part: Part, person: Person) -> dict[str, Any]:
    units, dimensions = units_of(person), part_dimensions(Slot(part.slot))
    known = sheets.values(part.readings.all())
    photos = list(part.photos.all())
    return {
        "id": part.pk,
        "name": part.name,
        "slot": part.slot,
        "slot_label": Slot(part.slot).label,
        "aliases": [alias.name for alias in part.aliases.all()],
        "made_from": part.parent.name if part.parent else "",
        "modification": " ".join(text for text in (part.modification, part.amount) if text),
        "price": "" if part.price is None or not parts.may_see_price(person, part) else f"{part.price:f}",
        "summary": [
            f"{dimension.label} {show(units, dimension, known[key])}"
            for key, dimension in dimensions.items()
            if key in known
        ][:4],
        "photo": photos[0].pk if photos else None,
        "archived": part.archived_at is not None,
    }  # fmt: skip


def _price_state(part: Part, person: Person) -> str:
    if part.price is None:
        return "unknown"
    return "known" if parts.may_see_price(person, part) else "private"


def _ancestor(part: Part) -> AncestorOut:
    return AncestorOut(
        id=part.pk, name=part.name, modification=part.modification, amount=part.amount, reason=part.reason,
        at=part.created_at, by=str(part.created_by or ""),
    )  # fmt: skip


def part_out(part: Part, person: Person) -> PartOut:
    dimensions = part_dimensions(Slot(part.slot))
    return PartOut(
        **part_row(part, person),
        notes=part.notes,
        belongs_to=part.belongs_to,
        price_state=_price_state(part, person),
        price_is_private=part.price_is_private,
        matched_to=LinkOut(id=part.matched_to.pk, name=part.matched_to.name) if part.matched_to else None,
        same_as=LinkOut(id=part.same_as.pk, name=part.same_as.name) if part.same_as else None,
        lines=sheet_schemas.lines_out(dimensions.values(), part.readings.all(), units_of(person)),
        lineage=[_ancestor(one) for one in parts.lineage(part)],
        children=[_ancestor(child) for child in part.children.all()],
        photos=[
            PhotoOut(id=photo.pk, caption=photo.caption, width=photo.width, height=photo.height,
                     by=str(photo.added_by))
            for photo in part.photos.all()
        ],
    )  # fmt: skip


def part_afresh(person: Person, part: Part) -> PartOut:
    return part_out(one_part(person, part.pk), person)
