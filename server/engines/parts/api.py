"""The parts library over the API, and two stacks of parts held against each other."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Form, Query, Router
from ninja.files import UploadedFile
from torvix_core.engine.dimensions import STACK_ORDER, part_dimensions
from torvix_core.engine.evidence import Origin

from engines.models import Part, Photo
from engines.parts import service as parts
from engines.parts.access import one_part
from engines.parts.schemas import (
    AliasIn,
    FactsIn,
    ModificationIn,
    PartIn,
    PartName,
    PartNames,
    PartOut,
    PartReadingIn,
    PartRow,
    PartsPage,
    SlotOut,
    part_afresh,
    part_out,
    part_row,
)
from engines.parts.service import LARGEST_UPLOAD, PartFacts
from engines.sheet import schemas as sheet_schemas
from engines.sheet.readings import ReadingChange
from shop.paging import NamesIn, PageIn, names_of, page_of, searched
from shop.permissions import person_of, units_of
from shop.refusals import Invalid

router = Router(tags=["parts"])
SEARCHED = ("name", "aliases__name", "slot", "parent__name", "modification")


@router.get("/slots", response=list[SlotOut], operation_id="slots")
def list_slots(request: HttpRequest) -> list[SlotOut]:
    """Kinds of part, and what can be written down of each."""
    units = units_of(person_of(request))
    return [
        SlotOut(value=slot, label=slot.label, lines=sheet_schemas.lines_out(part_dimensions(slot).values(), [], units))
        for slot in STACK_ORDER
    ]


@router.get("/part-names", response=PartNames, operation_id="part_names")
def names_of_parts(request: HttpRequest, asked: Query[NamesIn], slot: str = "") -> PartNames:
    """Parts by name and slot alone, for a field in which one is chosen."""
    every = Part.objects.visible_to(person_of(request))
    found = every.filter(slot=slot) if slot else every

    def row(part: Part) -> PartName:
        return PartName(id=part.pk, name=part.name, slot=part.slot, archived=part.archived_at is not None)

    there = set(every.filter(archived_at=None).order_by("slot").values_list("slot", flat=True).distinct())
    return PartNames(
        slots=[known for known in STACK_ORDER if known in there],
        **names_of(found, asked, ("name", "aliases__name"), row),
    )


@router.get("/parts-table", response=PartsPage, operation_id="parts_table")
def page_of_parts(request: HttpRequest, asked: Query[PageIn], slot: str = "") -> PartsPage:
    """The library a page at a time: found by name, alias, slot, or what a part was made from."""
    person = person_of(request)
    every = parts.readable_parts(person).filter(archived_at__isnull=not asked.archived)
    found = searched(every.filter(slot=slot) if slot else every, asked.search, SEARCHED)
    there = set(every.order_by("slot").values_list("slot", flat=True).distinct())
    return PartsPage(
        slots=[known for known in STACK_ORDER if known in there],
        **page_of(found, asked, {"name": "name", "slot": "slot"}, lambda part: PartRow(**part_row(part, person))),
    )


@router.post("/parts", response=PartOut, operation_id="add_part")
def add_part(request: HttpRequest, given: PartIn) -> PartOut:
    person = person_of(request)
    facts = PartFacts(**given.model_dump(exclude={"slot", "texts", "origin"}))
    return part_afresh(
        person, parts.add_part(person, timezone.now(), given.slot, facts, given.texts, origin=given.origin)
    )


@router.get("/parts/{part_id}", response=PartOut, operation_id="part")
def read_part(request: HttpRequest, part_id: int) -> PartOut:
    person = person_of(request)
    return part_out(one_part(person, part_id), person)


@router.put("/parts/{part_id}", response=PartOut, operation_id="describe_part")
def describe_part(request: HttpRequest, part_id: int, given: FactsIn) -> PartOut:
    person = person_of(request)
    return part_afresh(person, parts.describe_part(person, one_part(person, part_id), PartFacts(**given.model_dump())))


@router.put("/parts/{part_id}/readings/{dimension}/{origin}", response=PartOut, operation_id="write_part_reading")
def write_reading(request: HttpRequest, part_id: int, dimension: str, origin: Origin, given: PartReadingIn) -> PartOut:
    person = person_of(request)
    change = ReadingChange(given.text, origin, given.how)
    return part_afresh(person, parts.write_down(person, one_part(person, part_id), dimension, change, timezone.now()))


@router.post(
    "/parts/{part_id}/readings/{dimension}/{origin}/choose", response=PartOut, operation_id="choose_part_reading"
)
def choose_reading(request: HttpRequest, part_id: int, dimension: str, origin: Origin) -> PartOut:
    person = person_of(request)
    return part_afresh(person, parts.choose(person, one_part(person, part_id), dimension, origin))


@router.post("/parts/{part_id}/children", response=PartOut, operation_id="modify_part")
def modify_part(request: HttpRequest, part_id: int, given: ModificationIn) -> PartOut:
    person = person_of(request)
    return part_afresh(
        person, parts.modify_part(person, one_part(person, part_id), timezone.now(), **given.model_dump())
    )


@router.post("/parts/{part_id}/aliases", response=PartOut, operation_id="name_alias")
def name_alias(request: HttpRequest, part_id: int, given: AliasIn) -> PartOut:
    person = person_of(request)
    return part_afresh(person, parts.name_alias(person, one_part(person, part_id), given.name))


@router.post("/parts/{part_id}/aliases/drop", response=PartOut, operation_id="drop_alias")
def drop_alias(request: HttpRequest, part_id: int, given: AliasIn) -> PartOut:
    person = person_of(request)
    return part_afresh(person, parts.drop_alias(person, one_part(person, part_id), given.name))


@router.post("/parts/{part_id}/photos", response=PartOut, operation_id="add_photo")
def add_photo(request: HttpRequest, part_id: int, file: File[UploadedFile], caption: Form[str] = "") -> PartOut:
    person = person_of(request)
    part = one_part(person, part_id)
    if file.size and file.size > LARGEST_UPLOAD:
        message = f"{file.size / 1e6:.0f} MB, at most {LARGEST_UPLOAD / 1e6:.0f} MB are taken"
        raise Invalid("The file is too large.", fields={"file": message})
    parts.add_photo(person, part, file.read(), caption, timezone.now())
    return part_afresh(person, part)


@router.get("/photos/{photo_id}", operation_id="photo", response={200: None})
def read_photo(request: HttpRequest, photo_id: int) -> HttpResponse:
    photo = get_object_or_404(Photo, pk=photo_id, part__in=Part.objects.visible_to(person_of(request)))
    return HttpResponse(
        bytes(photo.data),
        content_type="image/jpeg",
        headers={"Cache-Control": "private, max-age=31536000, immutable", "X-Content-Type-Options": "nosniff"},
    )
