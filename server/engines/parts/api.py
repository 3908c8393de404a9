"""The parts library over the API, and two stacks of parts held against each other."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from functools import partial
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Form, Router, Schema
from ninja.files import UploadedFile
from pydantic import Field
from torvix_core.engine.dimensions import STACK_ORDER, Slot, part_dimensions
from torvix_core.engine.evidence import Origin
from torvix_core.engine.stack import Limits, StackPart, changes, check_fairness, check_fit, difference

from engines.builds.api import person_of, readable_builds
from engines.models import Part, Photo
from engines.parts import service as parts
from engines.parts.service import LARGEST_UPLOAD, PartFacts
from engines.sheet import schemas as sheet_schemas
from engines.sheet import sheets
from engines.sheet.entries import show
from engines.sheet.readings import ReadingChange
from shop.models import Person
from shop.permissions import units_of
from shop.refusals import Invalid

router = Router(tags=["parts"])
MOST_PARTS = 2000
STACK_AT_MOST = 40


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
    origin: Origin = Origin.TOLD


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


class StacksIn(Schema):
    one: list[int]
    other: list[int]
    build_id: int | None = None


class CheckOut(Schema):
    level: str
    about: str
    text: str


class StacksOut(Schema):
    """How the second stack differs, in how many slots, whether each goes together, and whether they compare fairly."""

    differences: list[str]
    changes: int
    fit: list[list[CheckOut]]
    fairness: list[CheckOut]


def _row(part: Part, person: Person) -> dict[str, Any]:
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
        **_row(part, person),
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


def _part(person: Person, part_id: int) -> Part:
    return get_object_or_404(parts.readable_parts(person), pk=part_id)


def _afresh(person: Person, part: Part) -> PartOut:
    return part_out(_part(person, part.pk), person)


@router.get("/slots", response=list[SlotOut], operation_id="slots")
def list_slots(request: HttpRequest):
    """Kinds of part, and what can be written down of each."""
    units = units_of(person_of(request))
    return [
        SlotOut(value=slot, label=slot.label, lines=sheet_schemas.lines_out(part_dimensions(slot).values(), [], units))
        for slot in STACK_ORDER
    ]


@router.get("/parts", response=list[PartRow], operation_id="parts")
def list_parts(request: HttpRequest):
    person = person_of(request)
    return [_row(part, person) for part in parts.readable_parts(person)[:MOST_PARTS]]


@router.post("/parts", response=PartOut, operation_id="add_part")
def add_part(request: HttpRequest, given: PartIn):
    person = person_of(request)
    facts = PartFacts(**given.model_dump(exclude={"slot", "texts", "origin"}))
    return _afresh(person, parts.add_part(person, timezone.now(), given.slot, facts, given.texts, origin=given.origin))


@router.get("/parts/{part_id}", response=PartOut, operation_id="part")
def read_part(request: HttpRequest, part_id: int):
    person = person_of(request)
    return part_out(_part(person, part_id), person)


@router.put("/parts/{part_id}", response=PartOut, operation_id="describe_part")
def describe_part(request: HttpRequest, part_id: int, given: FactsIn):
    person = person_of(request)
    return _afresh(person, parts.describe_part(person, _part(person, part_id), PartFacts(**given.model_dump())))


@router.put("/parts/{part_id}/readings/{dimension}/{origin}", response=PartOut, operation_id="write_part_reading")
def write_reading(request: HttpRequest, part_id: int, dimension: str, origin: Origin, given: PartReadingIn):
    person = person_of(request)
    change = ReadingChange(given.text, origin, given.how)
    return _afresh(person, parts.write_down(person, _part(person, part_id), dimension, change, timezone.now()))


@router.post(
    "/parts/{part_id}/readings/{dimension}/{origin}/choose", response=PartOut, operation_id="choose_part_reading"
)
def choose_reading(request: HttpRequest, part_id: int, dimension: str, origin: Origin):
    person = person_of(request)
    return _afresh(person, parts.choose(person, _part(person, part_id), dimension, origin))


@router.post("/parts/{part_id}/children", response=PartOut, operation_id="modify_part")
def modify_part(request: HttpRequest, part_id: int, given: ModificationIn):
    person = person_of(request)
    return _afresh(person, parts.modify_part(person, _part(person, part_id), timezone.now(), **given.model_dump()))


@router.post("/parts/{part_id}/aliases", response=PartOut, operation_id="name_alias")
def name_alias(request: HttpRequest, part_id: int, given: AliasIn):
    person = person_of(request)
    return _afresh(person, parts.name_alias(person, _part(person, part_id), given.name))


@router.post("/parts/{part_id}/aliases/drop", response=PartOut, operation_id="drop_alias")
def drop_alias(request: HttpRequest, part_id: int, given: AliasIn):
    person = person_of(request)
    return _afresh(person, parts.drop_alias(person, _part(person, part_id), given.name))


@router.post("/parts/{part_id}/photos", response=PartOut, operation_id="add_photo")
def add_photo(request: HttpRequest, part_id: int, file: File[UploadedFile], caption: Form[str] = ""):
    person = person_of(request)
    part = _part(person, part_id)
    if file.size and file.size > LARGEST_UPLOAD:
        told = f"{file.size / 1e6:.0f} MB, at most {LARGEST_UPLOAD / 1e6:.0f} MB are taken"
        raise Invalid("The file is too large.", fields={"file": told})
    parts.add_photo(person, part, file.read(), caption, timezone.now())
    return _afresh(person, part)


@router.get("/photos/{photo_id}", operation_id="photo", response={200: None})
def read_photo(request: HttpRequest, photo_id: int):
    photo = get_object_or_404(Photo, pk=photo_id, part__in=Part.objects.visible_to(person_of(request)))
    return HttpResponse(
        bytes(photo.data),
        content_type="image/jpeg",
        headers={"Cache-Control": "private, max-age=31536000, immutable", "X-Content-Type-Options": "nosniff"},
    )


@router.post("/stacks/compare", response=StacksOut, operation_id="compare_stacks")
def compare_stacks(request: HttpRequest, given: StacksIn):
    """Any two stacks of parts, before anything is bolted on. A build brings the height that it allows."""
    person = person_of(request)
    if len(given.one) > STACK_AT_MOST or len(given.other) > STACK_AT_MOST:
        raise Invalid(f"A stack holds at most {STACK_AT_MOST} parts.", fields={"one": "too many parts"})
    limits = Limits()
    if given.build_id is not None:
        limits = sheets.limits(get_object_or_404(readable_builds(person), pk=given.build_id))
    found = {part.pk: part for part in parts.readable_parts(person).filter(pk__in={*given.one, *given.other})}
    missing = {*given.one, *given.other} - found.keys()
    if missing:
        raise Invalid("A part of the stack is not in the library.", fields={"one": f"no part {min(missing)}"})
    stacks = [parts.stack_of([found[pk] for pk in chosen]) for chosen in (given.one, given.other)]
    return stacks_out(stacks[0], stacks[1], limits, units_of(person))


def stacks_out(
    one: Sequence[StackPart], other: Sequence[StackPart], limits: Limits, units: Mapping[str, str]
) -> StacksOut:
    shown = partial(show, units)
    return StacksOut(
        differences=difference(one, other, shown),
        changes=changes(one, other),
        fit=[
            [
                CheckOut(level=check.level, about=check.about, text=check.text)
                for check in check_fit(stack, limits, shown)
            ]
            for stack in (one, other)
        ],
        fairness=[
            CheckOut(level=check.level, about=check.about, text=check.text)
            for check in check_fairness(one, other, shown)
        ],
    )
