"""Import files: begin, give one file after the other, settle what is what, read them all by a job."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Router
from ninja.files import UploadedFile
from torvix_core.air.standards import DEFINITIONS, Standard
from torvix_core.pull.reduction import StandInertia
from torvix_core.units import quantities

from curves.files.layout import OTHER_UNITS
from curves.files.mapping import MEASURES, Mapped
from curves.files.table import LARGEST_FILE
from curves.intake import imports
from curves.intake.imports import FilePlacing
from curves.intake.schemas import (
    ChannelChoice,
    ImportBatchOut,
    ImportChoices,
    ImportFile,
    RunIn,
    batch_out,
    file_out,
    placed_files,
    where_of,
)
from curves.models import Import
from curves.reduction.correct import UNKNOWN_STANDARD
from programmes.models import STANDARDS, Programme
from shop.models import Person, Stand
from shop.permissions import is_person, require_operator
from shop.refusals import Invalid

router = Router(tags=["imports"])


def _import(person: Person, import_id: int) -> Import:
    """For who may run the programme: the next shift may go on with what one has begun."""
    require_operator(person)
    seen = Programme.objects.visible_to(person)
    return get_object_or_404(Import.objects.filter(programme__in=seen), pk=import_id)


@router.get("/import-choices", response=ImportChoices, operation_id="import_choices")
def choices(request: HttpRequest) -> ImportChoices:
    assert is_person(request.user)
    standards = {
        str(one): "As observed, not corrected" if one is Standard.OBSERVED else f"Corrected to {DEFINITIONS[one].label}"
        for one in STANDARDS
    }
    return ImportChoices(
        channels=[
            ChannelChoice(key=key, name=key.replace("_", " ").capitalize() if key != "rpm" else "Engine speed",
                          units=[*quantities.units_of(measure), *(own for own, (_, unit) in OTHER_UNITS.items()
                                 if quantities.measures(unit) == measure)])
            for key, measure in MEASURES.items()
        ],
        standards={**standards, UNKNOWN_STANDARD: "Unknown"},
        stand_names=list(Stand.objects.order_by("name").values_list("name", flat=True)),
        inertia={StandInertia.INCLUDED: "The stand's torque has it", StandInertia.NOT_INCLUDED: "It must be added",
                 StandInertia.UNKNOWN: "Unknown"},
        largest_file=LARGEST_FILE,
    )  # fmt: skip


@router.post("/programmes/{programme_id}/imports", response=ImportBatchOut, operation_id="begin_import")
def begin(request: HttpRequest, programme_id: int) -> ImportBatchOut:
    assert is_person(request.user)
    programme = get_object_or_404(Programme.objects.visible_to(request.user), pk=programme_id)
    return batch_out(imports.begin(request.user, programme, timezone.now()), request.user)


@router.get(
    "/programmes/{programme_id}/imports/unfinished", response=ImportBatchOut | None, operation_id="unfinished_import"
)
def read_unfinished(request: HttpRequest, programme_id: int) -> ImportBatchOut | None:
    """One's own, to go on with."""
    assert is_person(request.user)
    programme = get_object_or_404(Programme.objects.visible_to(request.user), pk=programme_id)
    batch = imports.unfinished(request.user, programme)
    return batch_out(batch, request.user) if batch else None


@router.post("/imports/{import_id}/files", response=ImportFile, operation_id="give_import_file")
def give(request: HttpRequest, import_id: int, file: File[UploadedFile]) -> ImportFile:
    """One file; what is in it, or why it cannot be read."""
    assert is_person(request.user)
    batch = _import(request.user, import_id)
    if (file.size or 0) > LARGEST_FILE:
        raise Invalid("The file is too large.", fields={"file": f"at most {LARGEST_FILE / 1e6:.0f} MB"})
    taken = imports.take(request.user, batch, file.name or "file", file.read())
    return file_out(taken, placed_files(batch, [taken], list(batch.programme.setups.all()))[taken.pk])


@router.get("/imports/{import_id}", response=ImportBatchOut, operation_id="import_batch")
def read(request: HttpRequest, import_id: int) -> ImportBatchOut:
    assert is_person(request.user)
    return batch_out(_import(request.user, import_id), request.user)


@router.post("/imports/{import_id}/run", response=ImportBatchOut, operation_id="run_import")
def run(request: HttpRequest, import_id: int, given: RunIn) -> ImportBatchOut:
    assert is_person(request.user)
    batch = _import(request.user, import_id)
    layouts = {
        layout.key: imports.LayoutChoice(
            [Mapped(**part.model_dump()) for part in layout.mapped], layout.is_table, layout.rate_hz
        )
        for layout in given.layouts
    }
    placings = {one.file_id: FilePlacing(one.setup_id, one.session, one.start) for one in given.setups}
    imports.run(request.user, batch, layouts, placings, where_of(given.where, request.user), timezone.now())
    return batch_out(batch, request.user)
