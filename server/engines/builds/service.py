"""Describe engines: write down what is known of a build, close it once it was used, and succeed it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime

from django.db import transaction
from django.db.models import Max
from torvix_core.engine import short_block
from torvix_core.engine.dimensions import SHEET, Dimension
from torvix_core.engine.evidence import Origin
from torvix_core.engine.sheet import Missing
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity

from engines.models import Build, Engine, FlowTable, Installation, Item
from engines.sheet import readings, sheets
from engines.sheet.entries import DimensionValue, read_entries, read_entry, refuse_wrong
from engines.sheet.readings import ReadingChange
from engines.signals import engine_kept_back
from shop.models import Person
from shop.permissions import require_operator, units_of
from shop.refusals import Invalid, Refusal
from shop.texts import named, optional

MOST_FLOW_ROWS = 60


class BuildClosed(Refusal):
    """The revision was used by a pull, so it stays as it was."""

    code = "build_closed"


@transaction.atomic
def describe_engine(
    person: Person,
    at: datetime,
    name: str,
    texts: Mapping[str, str],
    *,
    origin: Origin = Origin.REPORTED,
    owner: str = "",
    confidential: bool = False,
) -> Build:
    """A new engine with its first revision; `texts` as typed, in the person's units unless they name theirs."""
    require_operator(person)
    plain = named(name, "name", 120)
    if Engine.objects.filter(name=plain).exists():
        raise Invalid("There is an engine of that name.", fields={"name": "taken; open that one or choose another"})
    entries, wrong = read_entries(SHEET, {key: text for key, text in texts.items() if text.strip()}, units_of(person))
    refuse_wrong(wrong)
    engine = Engine.objects.create(name=plain, owner=optional(owner, "owner", 120), confidential=confidential)
    build = Build.objects.create(engine=engine, created_at=at, created_by=person)
    readings.write_all(build.readings, entries, origin, person, at)
    return build


@transaction.atomic
def describe_owner(person: Person, engine: Engine, *, owner: str, confidential: bool) -> Engine:
    """Whose engine it is, and whether viewers see it."""
    require_operator(person)
    was_open = not engine.confidential
    engine.owner, engine.confidential = optional(owner, "owner", 120), confidential
    engine.save(update_fields=["owner", "confidential"])
    if confidential and was_open:
        engine_kept_back.send(sender=Engine, engine=engine, person=person)
    return engine


@transaction.atomic
def write_down(person: Person, build: Build, key: str, change: ReadingChange, at: datetime) -> Build:
    """Put one value of one origin on the sheet, or take it out."""
    require_operator(person)
    open_build(build)
    dimension = line(key)
    entry = entry_or_refuse(dimension, change.text, person) if change.text.strip() else None
    readings.write(build.readings, key, entry, change, person, at)
    return build


def note(person: Person, build: Build, notes: str) -> Build:
    """Remarks beside the sheet. They change no figure, so they may be added to a closed revision, too."""
    require_operator(person)
    build.notes = optional(notes, "notes", 4000)
    build.save(update_fields=["notes"])
    return build


@transaction.atomic
def choose(person: Person, build: Build, key: str, origin: Origin) -> Build:
    """Use this value although another contradicts it."""
    require_operator(person)
    open_build(build)
    readings.choose(build.readings, line(key).key, origin)
    return build


@transaction.atomic
def succeed(person: Person, build: Build, changes: Mapping[str, ReadingChange], reason: str, at: datetime) -> Build:
    """A new revision: everything of this one, with the changes. This one stays as it is."""
    require_operator(person)
    if not reason.strip():
        raise Invalid("Say why there is a new revision.", fields={"reason": "a few words are enough"})
    unknown = {key: "There is no such line." for key in changes if key not in SHEET}
    wrong: dict[str, str] = dict(unknown)
    units, entries = units_of(person), {}
    for key, change in changes.items():
        if key in unknown or not change.text.strip():
            continue
        try:
            entries[key] = read_entry(SHEET[key], change.text, units)
        except NotUnderstood as told:
            wrong[key] = str(told)
    refuse_wrong(wrong)
    engine = Engine.objects.select_for_update().get(pk=build.engine_id)
    last = engine.builds.aggregate(last=Max("revision"))["last"] or 0
    made = Build.objects.create(
        engine=engine,
        revision=last + 1,
        notes=build.notes,
        reason=optional(reason, "reason", 200),
        created_at=at,
        created_by=person,
    )
    dropped = {(key, str(change.origin)) for key, change in changes.items()}
    for reading in build.readings.all():
        if (reading.dimension, reading.origin) not in dropped:
            reading.pk, reading.build = None, made
            # A choice between contradicting values ends where one of them is written anew.
            reading.chosen = reading.chosen and reading.dimension not in changes
            reading.save()
    for key, entry in entries.items():
        readings.write(made.readings, key, entry, changes[key], person, at)
    for related in (build.flow_tables.all(), build.installation.all()):
        for row in related:
            row.pk, row.build = None, made
            row.save()
    return made


def mark_used(build: Build, at: datetime) -> None:
    """Close a revision: a pull points at it from now on."""
    Build.objects.filter(pk=build.pk, used_at=None).update(used_at=at)


@transaction.atomic
def write_flow_table(
    person: Person,
    build: Build,
    side: str,
    depression: str,
    rows: Sequence[tuple[str, str]],
    at: datetime,
    *,
    origin: Origin = Origin.MEASURED,
    how: str = "",
) -> Build:
    """The flow bench table of one port as typed; no rows take it out."""
    require_operator(person)
    open_build(build)
    if side not in ("intake", "exhaust"):
        raise Invalid("A table is of the intake or the exhaust.", fields={"side": "intake or exhaust"})
    if len(rows) > MOST_FLOW_ROWS:
        raise Invalid(f"A table holds at most {MOST_FLOW_ROWS} rows.", fields={"rows": f"{len(rows)} rows"})
    existing = FlowTable.objects.filter(build=build, side=side)
    if not rows:
        existing.delete()
        return build
    units, wrong = units_of(person), {}
    lifts, flows = [], []

    def read(field: str, text: str, measure: str, unit: str, low: float, high: float) -> float:
        try:
            return read_quantity(text, measure, unit, low, high).value
        except NotUnderstood as reason:
            wrong[field] = str(reason)
            return 0.0

    pressure = read("depression", depression, "pressure", units["bench"], 200.0, 50_000.0)
    for number, (lift, flow) in enumerate(rows):
        lifts.append(read(f"rows.{number}.lift", lift, "length", units["length"], 1e-4, 0.05))
        flows.append(read(f"rows.{number}.flow", flow, "volume flow", units["air_flow"], 1e-4, 2.0))
        if number and f"rows.{number}.lift" not in wrong and lifts[-1] <= lifts[-2]:
            wrong[f"rows.{number}.lift"] = "Each lift must be above the one before it."
    refuse_wrong(wrong)
    existing.delete()
    FlowTable.objects.create(
        build=build, side=side, depression=pressure, lifts=lifts, flows=flows, origin=origin,
        how=optional(how, "how", 200),
        typed={
            "depression": depression.strip(), "rows": [[lift.strip(), flow.strip()] for lift, flow in rows],
            "units": [units["bench"], units["length"], units["air_flow"]],
        },
        written_at=at, written_by=person,
    )  # fmt: skip
    return build


@transaction.atomic
def describe_installation(
    person: Person, build: Build, item: str, *, tested: str, installed: str, allowance: str, basis: str, applied: bool
) -> Build:
    """An item as tested and as it will be installed. What was tested is closed with the build; the rest is not."""
    require_operator(person)
    if item not in Item.values:
        raise Invalid("There is no such item.", fields={"item": f"one of {', '.join(Item.labels)}"})
    row = Installation.objects.filter(build=build, item=item).first() or Installation(build=build, item=item)
    tested = optional(tested, "tested", 120)
    if build.used_at and tested != row.tested:
        raise BuildClosed(f"{build} was used by a pull: what was tested stays as it was. Make a new revision.")
    row.tested, row.installed = tested, optional(installed, "installed", 120)
    row.basis, row.applied = optional(basis, "basis", 200), applied
    row.allowance = None
    if allowance.strip():
        try:
            row.allowance = read_quantity(allowance, "power", units_of(person)["power"], 0.0, 500_000.0).value
        except NotUnderstood as reason:
            raise Invalid("The allowance is not understood.", fields={"allowance": str(reason)}) from reason
    if applied and row.allowance is None:
        raise Invalid("There is no allowance to apply.", fields={"allowance": "say how much power the item takes"})
    row.save()
    return build


def displacement(build: Build) -> float | None:
    """m³; None while the sheet does not give it."""
    try:
        return short_block.displacement(sheets.sheet_of(build))
    except (Missing, ValueError):
        return None


def open_build(build: Build) -> None:
    if build.used_at is not None:
        raise BuildClosed(f"{build} was used by a pull and stays as it was. Change it as a new revision.")


def line(key: str) -> Dimension:
    if key not in SHEET:
        raise Invalid("There is no such line on the sheet.", fields={key: "There is no such line."})
    return SHEET[key]


def entry_or_refuse(dimension: Dimension, text: str, person: Person) -> DimensionValue:
    try:
        return read_entry(dimension, text, units_of(person))
    except NotUnderstood as reason:
        raise Invalid("What was typed is not understood.", fields={dimension.key: str(reason)}) from reason


def applied_allowance(build: Build) -> float | None:
    """W that the installed accessories are allowed to take, all that are applied; None where none is."""
    applied = [row.allowance or 0.0 for row in build.installation.all() if row.applied]
    return sum(applied) if applied else None
