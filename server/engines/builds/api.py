"""Engines and their revisions: the sheet with all that follows from it, "what if", and two revisions side by side."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from django.db.models import Prefetch, QuerySet
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router, Schema
from pydantic import Field
from torvix_core.engine.dimensions import GROUPS
from torvix_core.engine.evidence import Origin
from torvix_core.units import quantities

from engines.builds import service as builds
from engines.models import Build, BuildReading, Engine, FlowTable, Item
from engines.sheet import schemas as sheet_schemas
from engines.sheet import sheets
from engines.sheet.readings import ReadingChange
from shop.models import Person
from shop.permissions import is_person, units_of

router = Router(tags=["engines"])


class RevisionOut(Schema):
    id: int
    revision: int
    reason: str
    created_at: datetime | None
    created_by: str
    used: bool


class EngineRow(Schema):
    id: int
    name: str
    owner: str
    confidential: bool
    displacement: str
    archived: bool
    revisions: list[RevisionOut]


class InstallationOut(Schema):
    item: str
    label: str
    tested: str
    installed: str
    allowance: str
    unit: str
    basis: str
    applied: bool


class BuildOut(Schema):
    id: int
    engine: EngineRow
    revision: int
    used: bool
    reason: str
    notes: str
    groups: list[sheet_schemas.GroupOut]
    flow_tables: list[sheet_schemas.FlowTableOut]
    flow_units: list[str]
    flow_depression: str  # the usual one, 28 inH2O, as it is typed in the person's unit
    installation: list[InstallationOut]
    allowance: float | None
    power_unit: str
    airflow: sheet_schemas.TableOut | None
    advance: sheet_schemas.TableOut | None


class EngineIn(Schema):
    name: str
    owner: str = ""
    confidential: bool = False
    texts: dict[str, str] = Field(default_factory=dict)
    origin: Origin = Origin.TOLD


class OwnerIn(Schema):
    owner: str
    confidential: bool


class ReadingIn(Schema):
    text: str
    how: str = ""


class ChangeIn(ReadingIn):
    origin: Origin = Origin.MEASURED


class NotesIn(Schema):
    notes: str


class FlowRowIn(Schema):
    lift: str
    flow: str


class FlowTableIn(Schema):
    depression: str
    rows: list[FlowRowIn]
    origin: Origin = Origin.MEASURED
    how: str = ""


class InstallationIn(Schema):
    tested: str = ""
    installed: str = ""
    allowance: str = ""
    basis: str = ""
    applied: bool = False


def person_of(request: HttpRequest) -> Person:
    assert is_person(request.user)  # the router's authentication has seen to it
    return request.user


def _engines(person: Person) -> QuerySet[Engine]:
    revisions = Build.objects.select_related("created_by").prefetch_related("readings", "flow_tables")
    return Engine.objects.visible_to(person).prefetch_related(Prefetch("builds", queryset=revisions)).order_by("name")


def readable_builds(person: Person) -> QuerySet[Build]:
    """Builds with all that their sheet needs, in a bounded number of queries."""
    readings = BuildReading.objects.select_related("written_by")
    tables = FlowTable.objects.select_related("written_by")
    return (
        Build.objects.filter(engine__in=Engine.objects.visible_to(person))
        .select_related("engine", "created_by")
        .prefetch_related(
            Prefetch("readings", queryset=readings), Prefetch("flow_tables", queryset=tables), "installation",
            "engine__builds__created_by", "engine__builds__readings", "engine__builds__flow_tables",
        )
    )  # fmt: skip


def revision_out(build: Build) -> RevisionOut:
    return RevisionOut(
        id=build.pk, revision=build.revision, reason=build.reason, created_at=build.created_at,
        created_by=str(build.created_by or ""), used=build.used_at is not None,
    )  # fmt: skip


def engine_row(engine: Engine, person: Person) -> EngineRow:
    revisions = list(engine.builds.all())
    volume = builds.displacement(revisions[-1]) if revisions else None
    return EngineRow(
        id=engine.pk, name=engine.name, owner=engine.owner, confidential=engine.confidential,
        displacement="" if volume is None else quantities.words(volume, units_of(person)["displacement"]),
        archived=engine.archived_at is not None,
        revisions=[revision_out(build) for build in revisions],
    )  # fmt: skip


def _installation_out(build: Build, units: Mapping[str, str]) -> list[InstallationOut]:
    rows = {row.item: row for row in build.installation.all()}

    def allowance(item: str) -> str:
        row = rows.get(item)
        if row is None or row.allowance is None:
            return ""
        return f"{float(quantities.from_si(row.allowance, units['power'])):.6g}"

    return [
        InstallationOut(
            item=item.value, label=item.label, tested=row.tested if (row := rows.get(item.value)) else "",
            installed=row.installed if row else "", allowance=allowance(item.value), unit=units["power"],
            basis=row.basis if row else "", applied=bool(row and row.applied),
        )
        for item in Item
    ]  # fmt: skip


def build_out(build: Build, person: Person) -> BuildOut:
    units = units_of(person)
    worked = sheets.work_out(sheets.sheet_of(build))
    allowance = builds.applied_allowance(build)
    return BuildOut(
        id=build.pk, engine=engine_row(build.engine, person), revision=build.revision,
        used=build.used_at is not None, reason=build.reason, notes=build.notes,
        groups=sheet_schemas.groups_out(build, worked, units),
        flow_tables=[sheet_schemas.flow_table_out(row, units) for row in build.flow_tables.all()],
        flow_units=[units["length"], units["air_flow"], units["bench"]],
        flow_depression=f"{float(quantities.from_si(quantities.to_si(28, 'inH2O'), units['bench'])):.4g}",
        installation=_installation_out(build, units),
        allowance=None if allowance is None else float(quantities.from_si(allowance, units["power"])),
        power_unit=units["power"],
        airflow=sheet_schemas.airflow_out(worked.airflow(), units),
        advance=sheet_schemas.advance_out(worked.advance(), units),
    )  # fmt: skip


def one_build(person: Person, build_id: int) -> Build:
    return get_object_or_404(readable_builds(person), pk=build_id)


def afresh(person: Person, build: Build) -> BuildOut:
    """Read again after a change: what was prefetched is older than it."""
    return build_out(one_build(person, build.pk), person)


@router.get("/engines", response=list[EngineRow], operation_id="engines")
def list_engines(request: HttpRequest):
    person = person_of(request)
    return [engine_row(engine, person) for engine in _engines(person)[:500]]


@router.post("/engines", response=BuildOut, operation_id="describe_engine")
def describe_engine(request: HttpRequest, given: EngineIn):
    person = person_of(request)
    made = builds.describe_engine(
        person, timezone.now(), given.name, given.texts,
        origin=given.origin, owner=given.owner, confidential=given.confidential,
    )  # fmt: skip
    return afresh(person, made)


@router.get("/sheet", response=list[sheet_schemas.GroupOut], operation_id="blank_sheet")
def blank_sheet(request: HttpRequest):
    """The lines of an empty sheet in the person's units, for an engine that is not there yet."""
    units = units_of(person_of(request))
    return [
        sheet_schemas.GroupOut(
            key=group.key, label=group.label, lines=sheet_schemas.lines_out(group.dimensions, [], units),
            figures=[], findings=[],
        )
        for group in GROUPS
    ]  # fmt: skip


@router.put("/engines/{engine_id}/owner", response=EngineRow, operation_id="describe_engine_owner")
def describe_owner(request: HttpRequest, engine_id: int, given: OwnerIn):
    person = person_of(request)
    engine = get_object_or_404(_engines(person), pk=engine_id)
    return engine_row(builds.describe_owner(person, engine, owner=given.owner, confidential=given.confidential), person)


@router.get("/builds/{build_id}", response=BuildOut, operation_id="build")
def read_build(request: HttpRequest, build_id: int):
    person = person_of(request)
    return build_out(one_build(person, build_id), person)


@router.put("/builds/{build_id}/readings/{dimension}/{origin}", response=BuildOut, operation_id="write_reading")
def write_reading(request: HttpRequest, build_id: int, dimension: str, origin: Origin, given: ReadingIn):
    person = person_of(request)
    change = ReadingChange(given.text, origin, given.how)
    return afresh(person, builds.write_down(person, one_build(person, build_id), dimension, change, timezone.now()))


@router.post(
    "/builds/{build_id}/readings/{dimension}/{origin}/choose", response=BuildOut, operation_id="choose_reading"
)
def choose_reading(request: HttpRequest, build_id: int, dimension: str, origin: Origin):
    person = person_of(request)
    return afresh(person, builds.choose(person, one_build(person, build_id), dimension, origin))


@router.put("/builds/{build_id}/notes", response=BuildOut, operation_id="note_build")
def note(request: HttpRequest, build_id: int, given: NotesIn):
    person = person_of(request)
    return afresh(person, builds.note(person, one_build(person, build_id), given.notes))


@router.put("/builds/{build_id}/flow/{side}", response=BuildOut, operation_id="write_flow_table")
def write_flow_table(request: HttpRequest, build_id: int, side: str, given: FlowTableIn):
    person = person_of(request)
    rows = [(row.lift, row.flow) for row in given.rows]
    return afresh(
        person,
        builds.write_flow_table(
            person, one_build(person, build_id), side, given.depression, rows, timezone.now(),
            origin=given.origin, how=given.how,
        ),
    )  # fmt: skip


@router.put("/builds/{build_id}/installation/{item}", response=BuildOut, operation_id="describe_installation")
def describe_installation(request: HttpRequest, build_id: int, item: str, given: InstallationIn):
    person = person_of(request)
    build = one_build(person, build_id)
    return afresh(person, builds.describe_installation(person, build, item, **given.model_dump()))
