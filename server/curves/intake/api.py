"""Bring files: begin, give one file after the other, settle what is what, read them all by a job."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import date

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Router, Schema
from ninja.files import UploadedFile
from torvix_core.air.standards import DEFINITIONS, Standard
from torvix_core.pull.reduction import StandInertia
from torvix_core.units import quantities

from curves.files.layout import OTHER_UNITS
from curves.files.mapping import MEASURES, Mapped
from curves.files.table import LARGEST_FILE
from curves.intake import imports
from curves.intake.filing import FilingPlace
from curves.models import FileState, Import, SourceFile
from curves.reduction.correct import UNKNOWN_STANDARD
from jobs.api import JobOut, job_out
from jobs.service import jobs_of
from programmes.models import STANDARDS, Programme, Setup
from shop.models import Person, Stand
from shop.permissions import is_person, require_operator, units_of
from shop.refusals import Invalid

router = Router(tags=["imports"])


class ImportColumn(Schema):
    name: str
    unit: str
    first: list[str]
    low: str
    high: str
    channel: str
    mapped_unit: str


class LayoutOut(Schema):
    """Files of one make. `known`: it is mapped as it was settled the last time."""

    key: str
    kind: str
    files: int
    example: str
    columns: list[ImportColumn]
    is_table: bool
    rate_hz: float | None
    doubts: list[str]
    notes: list[str]
    known: bool


class ImportFile(Schema):
    id: int
    name: str
    size: int
    rows: int
    layout_key: str
    setup_id: int | None
    state: str
    state_label: str
    told: str
    pull_id: int | None


class ImportBatchOut(Schema):
    id: int
    files: list[ImportFile]
    layouts: list[LayoutOut]
    job: JobOut | None


class ChannelChoice(Schema):
    key: str
    name: str
    units: list[str]


class ImportChoices(Schema):
    """What can be said of files and figures, for the screens that ask."""

    channels: list[ChannelChoice]
    standards: dict[str, str]
    stand_names: list[str]
    inertia: dict[str, str]
    largest_file: int


class MappedIn(Schema):
    column: str
    channel: str = ""
    unit: str = ""


class LayoutIn(Schema):
    key: str
    mapped: list[MappedIn]
    is_table: bool = False
    rate_hz: float | None = None


class WhereIn(Schema):
    """As typed, in the person's units; air is given whole or not at all."""

    day: date
    stand_name: str = ""
    fuel: str = ""
    inertia_in_torque: str = StandInertia.UNKNOWN
    inertia: float = 0.0
    figures_standard: str = ""
    barometer: float | None = None
    air_temperature: float | None = None
    humidity_percent: float | None = None
    keep: bool = False


class SetupOfFile(Schema):
    file_id: int
    setup_id: int


class RunIn(Schema):
    layouts: list[LayoutIn]
    setups: list[SetupOfFile]
    where: WhereIn


def where_of(given: WhereIn, person: Person) -> FilingPlace:
    units = units_of(person)

    def si(value: float | None, unit: str) -> float | None:
        return None if value is None else float(quantities.to_si(value, unit))

    return FilingPlace(
        day=given.day, stand_name=given.stand_name, fuel=given.fuel, inertia_in_torque=given.inertia_in_torque,
        inertia=si(given.inertia, units["inertia"]) or 0.0, figures_standard=given.figures_standard,
        barometer=si(given.barometer, units["air_pressure"]),
        air_temperature=si(given.air_temperature, units["temperature"]),
        relative_humidity=si(given.humidity_percent, "%"), keep=given.keep,
    )  # fmt: skip


def _import(person: Person, import_id: int) -> Import:
    """For who may run the programme: the next shift may go on with what one has begun."""
    require_operator(person)
    seen = Programme.objects.visible_to(person)
    return get_object_or_404(Import.objects.filter(programme__in=seen), pk=import_id)


@router.get("/import-choices", response=ImportChoices, operation_id="import_choices")
def choices(request: HttpRequest):
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
        standards={**standards, UNKNOWN_STANDARD: "Nobody knows"},
        stand_names=list(Stand.objects.order_by("name").values_list("name", flat=True)),
        inertia={StandInertia.INCLUDED: "The stand's torque has it", StandInertia.NOT_INCLUDED: "It must be added",
                 StandInertia.UNKNOWN: "Nobody knows"},
        largest_file=LARGEST_FILE,
    )  # fmt: skip


@router.post("/programmes/{programme_id}/imports", response=ImportBatchOut, operation_id="begin_import")
def begin(request: HttpRequest, programme_id: int):
    assert is_person(request.user)
    programme = get_object_or_404(Programme.objects.visible_to(request.user), pk=programme_id)
    return _out(imports.begin(request.user, programme, timezone.now()), request.user)


@router.post("/imports/{import_id}/files", response=ImportFile, operation_id="give_import_file")
def give(request: HttpRequest, import_id: int, file: File[UploadedFile]):
    """One file; what is in it, or why it cannot be read."""
    assert is_person(request.user)
    batch = _import(request.user, import_id)
    if (file.size or 0) > LARGEST_FILE:
        raise Invalid("The file is too large.", fields={"file": f"at most {LARGEST_FILE / 1e6:.0f} MB"})
    taken = imports.take(request.user, batch, file.name or "file", file.read())
    return _file(taken, list(batch.programme.setups.all()))


@router.get("/imports/{import_id}", response=ImportBatchOut, operation_id="import_batch")
def read(request: HttpRequest, import_id: int):
    assert is_person(request.user)
    return _out(_import(request.user, import_id), request.user)


@router.post("/imports/{import_id}/run", response=ImportBatchOut, operation_id="run_import")
def run(request: HttpRequest, import_id: int, given: RunIn):
    assert is_person(request.user)
    batch = _import(request.user, import_id)
    layouts = {
        one.key: imports.LayoutChoice([Mapped(**part.dict()) for part in one.mapped], one.is_table, one.rate_hz)
        for one in given.layouts
    }
    setups = {one.file_id: one.setup_id for one in given.setups}
    imports.run(request.user, batch, layouts, setups, where_of(given.where, request.user), timezone.now())
    return _out(batch, request.user)


def _out(batch: Import, person: Person) -> ImportBatchOut:
    files = list(batch.files.defer("content").order_by("name", "pk"))
    setups = list(Setup.objects.filter(programme=batch.programme_id))
    job = jobs_of(person).filter(pk=batch.job).first() if batch.job else None
    return ImportBatchOut(
        id=batch.pk, files=[_file(file, setups) for file in files], layouts=_layouts(files),
        job=job_out(job) if job else None,
    )  # fmt: skip


def _file(file: SourceFile, setups: Sequence[Setup]) -> ImportFile:
    return ImportFile(
        id=file.pk, name=file.name, size=file.size, rows=file.layout.get("rows", 0), layout_key=file.layout_key,
        setup_id=guess_setup(file.name, setups), state=file.state, state_label=FileState(file.state).label,
        told=file.told, pull_id=file.pull_id,
    )  # fmt: skip


def guess_setup(name: str, setups: Sequence[Setup]) -> int | None:
    """The setup whose name, or whose letter as a word of its own, stands in the file's name."""
    plain = re.sub(r"[^a-z0-9]+", " ", name.rsplit(".", 1)[0].lower())
    named = [setup for setup in setups if re.sub(r"[^a-z0-9]+", " ", setup.name.lower()).strip() in plain]
    if named:
        return max(named, key=lambda setup: len(setup.name)).pk
    words = plain.split()
    lettered = [setup for setup in setups if setup.letter.lower() in words]
    if len(lettered) == 1:
        return lettered[0].pk
    return setups[0].pk if len(setups) == 1 else None


def _layouts(files: Sequence[SourceFile]) -> list[LayoutOut]:
    """One for each make of file that waits, as it was settled before or as it is guessed."""
    waiting = [file for file in files if file.state == FileState.WAITING]
    known = imports.remembered([file.layout_key for file in waiting])
    found: dict[str, LayoutOut] = {}
    for file in waiting:
        if file.layout_key in found:
            found[file.layout_key].files += 1
            continue
        about, before = file.layout, known.get(file.layout_key)
        settled = {one.column: one for one in before.mapped} if before else {}
        columns = []
        for column in about["columns"]:
            one = settled.get(column["name"])
            told = {"channel": one.channel, "mapped_unit": one.unit} if one else {}
            columns.append(ImportColumn(**{**column, **told}))
        found[file.layout_key] = LayoutOut(
            key=file.layout_key, kind=about["kind"], files=1, example=file.name, columns=columns,
            is_table=before.is_table if before else about["is_table"], rate_hz=before.rate_hz if before else None,
            doubts=[] if before else about["doubts"], notes=about["notes"], known=before is not None,
        )  # fmt: skip
    return list(found.values())
