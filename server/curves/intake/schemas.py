"""Import files: begin, give one file after the other, settle what is what, read them all by a job."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from torvix_core.pull.reduction import StandInertia
from torvix_core.units import quantities

from curves.intake import imports, running_order
from curves.intake.filing import FilingPlace
from curves.models import FileState, Import, SourceFile
from jobs.schemas import JobOut, job_out
from jobs.service import jobs_of
from programmes.models import Setup
from shop.models import Person
from shop.permissions import units_of
from shop.schema import Schema


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
    session: str
    start: str
    state: str
    state_label: str
    outcome: str
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
    """In the running order: what a file is of, its session by name, and when it began, as typed."""

    file_id: int
    setup_id: int
    session: str = ""
    start: str = ""


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


def batch_out(batch: Import, person: Person) -> ImportBatchOut:
    files = list(batch.files.defer("content"))
    setups = list(Setup.objects.filter(programme=batch.programme_id))
    placed = placed_files(batch, files, setups)
    files.sort(key=lambda file: list(placed).index(file.pk))
    job = jobs_of(person).filter(pk=batch.job_id).first() if batch.job_id else None
    return ImportBatchOut(
        id=batch.pk, files=[file_out(file, placed[file.pk]) for file in files], layouts=_layouts(files),
        job=job_out(job) if job else None,
    )  # fmt: skip


def placed_files(
    batch: Import, files: Sequence[SourceFile], setups: Sequence[Setup]
) -> dict[int, running_order.PlacedFile]:
    """Where each file belongs, in the order in which they were run as far as that is known."""
    starts = {file.pk: file.layout.get("start") or file.name for file in files}
    manifest = [running_order.ManifestRow(**line.model_dump()) for line in batch.manifest]
    return running_order.place({file.pk: file.name for file in files}, starts, manifest, setups)


def file_out(file: SourceFile, placed: running_order.PlacedFile) -> ImportFile:
    return ImportFile(
        id=file.pk,
        name=file.name,
        size=file.size,
        rows=file.layout.get("rows", 0),
        layout_key=file.layout_key,
        setup_id=placed.setup_id,
        session=placed.session,
        start=placed.start,
        state=file.state,
        state_label=FileState(file.state).label,
        outcome=file.outcome,
        pull_id=file.pull_id,
    )


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
