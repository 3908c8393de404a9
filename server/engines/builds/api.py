"""Engines and their revisions: the sheet with all that follows from it, "what if", and two revisions side by side."""

from __future__ import annotations

from django.db.models import F
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Query, Router
from torvix_core.engine.dimensions import GROUPS
from torvix_core.engine.evidence import Origin

from engines.builds import service as builds
from engines.builds.access import engines, one_build
from engines.builds.schemas import (
    BuildName,
    BuildNames,
    BuildOut,
    EngineIn,
    EngineRow,
    EnginesPage,
    FlowTableIn,
    InstallationIn,
    NotesIn,
    OwnerIn,
    ReadingIn,
    build_afresh,
    build_out,
    engine_row,
)
from engines.models import Build, Engine
from engines.sheet import schemas as sheet_schemas
from engines.sheet.readings import ReadingChange
from shop.paging import NamesIn, PageIn, names_of, page_of, searched
from shop.permissions import person_of, units_of

router = Router(tags=["engines"])


@router.get("/build-names", response=BuildNames, operation_id="build_names")
def names_of_builds(request: HttpRequest, asked: Query[NamesIn]) -> BuildNames:
    """Revisions of engines by name alone, for a field in which one is chosen; the newest of each engine first."""
    seen = Engine.objects.visible_to(person_of(request))
    found = Build.objects.filter(engine__in=seen.values("pk")).select_related("engine").order_by(
        "engine__name", "-revision"
    )  # fmt: skip
    found = found.annotate(archived_at=F("engine__archived_at"))

    def row(build: Build) -> BuildName:
        return BuildName(id=build.pk, engine=build.engine.name, revision=build.revision,
                         archived=build.engine.archived_at is not None)  # fmt: skip

    return BuildNames(**names_of(found, asked, ("engine__name", "engine__owner"), row))


@router.get("/engines-table", response=EnginesPage, operation_id="engines_table")
def page_of_engines(request: HttpRequest, asked: Query[PageIn]) -> EnginesPage:
    """The engines a page at a time: found by name, owner or the reason of a revision."""
    person = person_of(request)
    every = engines(person).filter(archived_at__isnull=not asked.archived)
    found = searched(every, asked.search, ("name", "owner", "builds__reason"))
    return EnginesPage(
        **page_of(found, asked, {"name": "name", "owner": "owner"}, lambda engine: engine_row(engine, person))
    )


@router.post("/engines", response=BuildOut, operation_id="describe_engine")
def describe_engine(request: HttpRequest, given: EngineIn) -> BuildOut:
    person = person_of(request)
    made = builds.describe_engine(
        person, timezone.now(), given.name, given.texts,
        origin=given.origin, owner=given.owner, confidential=given.confidential,
    )  # fmt: skip
    return build_afresh(person, made)


@router.get("/sheet", response=list[sheet_schemas.GroupOut], operation_id="blank_sheet")
def blank_sheet(request: HttpRequest) -> list[sheet_schemas.GroupOut]:
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
def describe_owner(request: HttpRequest, engine_id: int, given: OwnerIn) -> EngineRow:
    person = person_of(request)
    engine = get_object_or_404(engines(person), pk=engine_id)
    return engine_row(builds.describe_owner(person, engine, owner=given.owner, confidential=given.confidential), person)


@router.get("/builds/{build_id}", response=BuildOut, operation_id="build")
def read_build(request: HttpRequest, build_id: int) -> BuildOut:
    person = person_of(request)
    return build_out(one_build(person, build_id), person)


@router.put("/builds/{build_id}/readings/{dimension}/{origin}", response=BuildOut, operation_id="write_reading")
def write_reading(request: HttpRequest, build_id: int, dimension: str, origin: Origin, given: ReadingIn) -> BuildOut:
    person = person_of(request)
    change = ReadingChange(given.text, origin, given.how)
    return build_afresh(
        person, builds.write_down(person, one_build(person, build_id), dimension, change, timezone.now())
    )


@router.post(
    "/builds/{build_id}/readings/{dimension}/{origin}/choose", response=BuildOut, operation_id="choose_reading"
)
def choose_reading(request: HttpRequest, build_id: int, dimension: str, origin: Origin) -> BuildOut:
    person = person_of(request)
    return build_afresh(person, builds.choose(person, one_build(person, build_id), dimension, origin))


@router.put("/builds/{build_id}/notes", response=BuildOut, operation_id="note_build")
def note(request: HttpRequest, build_id: int, given: NotesIn) -> BuildOut:
    person = person_of(request)
    return build_afresh(person, builds.note(person, one_build(person, build_id), given.notes))


@router.put("/builds/{build_id}/flow/{side}", response=BuildOut, operation_id="write_flow_table")
def write_flow_table(request: HttpRequest, build_id: int, side: str, given: FlowTableIn) -> BuildOut:
    person = person_of(request)
    rows = [(row.lift, row.flow) for row in given.rows]
    return build_afresh(
        person,
        builds.write_flow_table(
            person, one_build(person, build_id), side, given.depression, rows, timezone.now(),
            origin=given.origin, how=given.how,
        ),
    )  # fmt: skip


@router.put("/builds/{build_id}/installation/{item}", response=BuildOut, operation_id="describe_installation")
def describe_installation(request: HttpRequest, build_id: int, item: str, given: InstallationIn) -> BuildOut:
    person = person_of(request)
    build = one_build(person, build_id)
    return build_afresh(person, builds.describe_installation(person, build, item, **given.model_dump()))
