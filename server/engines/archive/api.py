"""Parts and engines out of the lists and back; what was never used, deleted."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router, Status

from engines.archive import service as archiving
from engines.models import Engine, Part
from shop.permissions import person_of
from shop.schema import Schema

router = Router(tags=["archive"])


class ArchivedIn(Schema):
    archived: bool


def _part(request: HttpRequest, part_id: int) -> Part:
    return get_object_or_404(Part.objects.visible_to(person_of(request)), pk=part_id)


def _engine(request: HttpRequest, engine_id: int) -> Engine:
    return get_object_or_404(Engine.objects.visible_to(person_of(request)), pk=engine_id)


@router.put("/archive/parts/{part_id}", response={204: None}, operation_id="archive_part")
def archive_part(request: HttpRequest, part_id: int, given: ArchivedIn) -> Status[None]:
    archiving.archive(person_of(request), _part(request, part_id), timezone.now() if given.archived else None)
    return Status(204, None)


@router.delete("/archive/parts/{part_id}", response={204: None}, operation_id="delete_part")
def delete_part(request: HttpRequest, part_id: int) -> Status[None]:
    archiving.delete_part(person_of(request), _part(request, part_id))
    return Status(204, None)


@router.put("/archive/engines/{engine_id}", response={204: None}, operation_id="archive_engine")
def archive_engine(request: HttpRequest, engine_id: int, given: ArchivedIn) -> Status[None]:
    archiving.archive(person_of(request), _engine(request, engine_id), timezone.now() if given.archived else None)
    return Status(204, None)


@router.delete("/archive/engines/{engine_id}", response={204: None}, operation_id="delete_engine")
def delete_engine(request: HttpRequest, engine_id: int) -> Status[None]:
    archiving.delete_engine(person_of(request), _engine(request, engine_id))
    return Status(204, None)
