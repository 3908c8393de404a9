"""Engines and their revisions: the sheet with all that follows from it, "what if", and two revisions side by side."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from pydantic import Field
from torvix_core.engine.evidence import Origin
from torvix_core.units import quantities

from engines.builds import service as builds
from engines.builds.access import one_build
from engines.models import Build, Engine, Item
from engines.sheet import schemas as sheet_schemas
from engines.sheet import sheets
from shop.models import Person
from shop.permissions import units_of
from shop.schema import Schema


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


class BuildName(Schema):
    id: int
    engine: str
    revision: int
    archived: bool


class BuildNames(Schema):
    total: int
    rows: list[BuildName]


class EnginesPage(Schema):
    total: int
    rows: list[EngineRow]


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
    origin: Origin = Origin.REPORTED


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


def build_afresh(person: Person, build: Build) -> BuildOut:
    """Read again after a change: what was prefetched is older than it."""
    return build_out(one_build(person, build.pk), person)
