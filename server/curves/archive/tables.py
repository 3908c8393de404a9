"""The tables of a file of tests (docs/file-formats.md): which rows a test takes along, and what stays behind."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass
from typing import Any

from django.db import models
from django.db.models import QuerySet

from curves.models import (
    ComparabilityOverride,
    ComparisonWindow,
    Import,
    PrintedSheet,
    ReductionOverride,
    SourceFile,
    SparkDecision,
    SparkRule,
    StandingTune,
)
from engines.models import Alias, Build, BuildReading, Engine, FlowTable, Installation, Part, PartReading, Photo
from programmes import models as plan
from programmes.models import Programme
from shop.models import Stand
from stand import models as stand
from stand.models import Pull

FORMAT, FORMAT_VERSION = "torvix-programme", 5
RECORD = "programme.json"
# A file of many tests: what is in it, the rows that tests share, each test in a folder, what is of no single test.
COLLECTION_FORMAT, COLLECTION_VERSION = "torvix-collection", 1
COLLECTION, LIBRARY_RECORD, SHOP_RECORD = "collection.json", "library.json", "shop.json"


@dataclass(frozen=True)
class Table:
    """Rows of one kind, in an order in which none refers to a later one but to its own kind."""

    name: str
    model: type[models.Model]
    rows: Callable[[Programme], QuerySet[Any]]


def parts_of(programme: Programme) -> set[int]:
    """The parts of the setups and of what theories predict, and everything that they refer to."""
    found = set(Part.objects.filter(setups__programme=programme).values_list("pk", flat=True))
    found |= named_parts([programme])
    fresh = set(found)
    while fresh:
        rows = Part.objects.filter(pk__in=fresh).values_list("parent_id", "matched_to_id", "same_as_id")
        fresh = {pk for row in rows for pk in row if pk is not None} - found
        found |= fresh
    return found


def named_parts(tests: Iterable[Programme]) -> set[int]:
    """Parts that tests name beside those of their setups: in a theory, in an estimate."""
    found: set[int] = set()
    for model, path, column in NAMES_PARTS:
        rows = model._default_manager.filter(**{f"{path}__in": tests}).exclude(**{column: None})
        found |= set(rows.values_list(column, flat=True))
    return found


def _builds(programme: Programme) -> QuerySet[Build]:
    return Build.objects.filter(engine=programme.build.engine_id)


def _of(model: type[models.Model], path: str) -> Callable[[Programme], QuerySet[Any]]:
    """Rows that reach the programme by a path of keys."""
    return lambda programme: model._default_manager.filter(**{path: programme}).distinct().order_by("pk")


def _of_builds(model: type[models.Model]) -> Callable[[Programme], QuerySet[Any]]:
    return lambda programme: model._default_manager.filter(build__in=_builds(programme)).order_by("pk")


def _of_parts(model: type[models.Model]) -> Callable[[Programme], QuerySet[Any]]:
    return lambda programme: model._default_manager.filter(part__in=parts_of(programme)).order_by("pk")


PULL, SETUP, SESSION = "pull__session__programme", "setup__programme", "session__programme"
TABLES: list[Table] = [
    Table("stands", Stand, _of(Stand, "sessions__programme")),
    Table("engines", Engine, lambda one: Engine.objects.filter(pk=one.build.engine_id)),
    Table("builds", Build, lambda one: _builds(one).order_by("pk")),
    Table("build_readings", BuildReading, _of_builds(BuildReading)),
    Table("flow_tables", FlowTable, _of_builds(FlowTable)),
    Table("installations", Installation, _of_builds(Installation)),
    Table("parts", Part, lambda one: Part.objects.filter(pk__in=parts_of(one)).order_by("pk")),
    Table("part_readings", PartReading, _of_parts(PartReading)),
    Table("aliases", Alias, _of_parts(Alias)),
    Table("part_photos", Photo, _of_parts(Photo)),
    Table("programmes", Programme, lambda one: Programme.objects.filter(pk=one.pk)),
    Table("windows", plan.Window, _of(plan.Window, "programme")),
    Table("setups", plan.Setup, _of(plan.Setup, "programme")),
    Table("settings", plan.SetupSetting, _of(plan.SetupSetting, SETUP)),
    Table("adjustments", plan.Adjustment, _of(plan.Adjustment, SETUP)),
    Table("works", plan.SlotWork, _of(plan.SlotWork, "programme")),
    Table("timed_changes", plan.TimedChange, _of(plan.TimedChange, "programme")),
    Table("timed_tunings", plan.TimedTuning, _of(plan.TimedTuning, "programme")),
    Table("day_rules", plan.DayRules, _of(plan.DayRules, "programme")),
    Table("planned_sessions", plan.PlannedSession, _of(plan.PlannedSession, "programme")),
    Table("plan_versions", plan.PlanVersion, _of(plan.PlanVersion, "programme")),
    Table("steps", plan.Step, _of(plan.Step, "programme")),
    Table("expectations", plan.Expectation, _of(plan.Expectation, SETUP)),
    Table("theories", plan.Theory, _of(plan.Theory, "programme")),
    Table("predictions", plan.Prediction, _of(plan.Prediction, "theory__programme")),
    Table("sessions", stand.Session, _of(stand.Session, "programme")),
    Table("weather", stand.WeatherReading, _of(stand.WeatherReading, SESSION)),
    Table("acknowledgements", stand.Acknowledgement, _of(stand.Acknowledgement, SESSION)),
    Table("list_items", stand.ListItem, _of(stand.ListItem, "ticks__session__programme")),
    Table("changes", stand.Change, _of(stand.Change, SESSION)),
    Table("removal_readings", stand.RemovalReading, _of(stand.RemovalReading, SESSION)),
    Table("ticks", stand.Tick, _of(stand.Tick, SESSION)),
    Table("open_jobs", stand.OpenJob, _of(stand.OpenJob, SESSION)),
    Table("tank_readings", stand.TankReading, _of(stand.TankReading, SESSION)),
    Table("idle_cards", stand.IdleCard, _of(stand.IdleCard, SESSION)),
    Table("pulls", Pull, _of(Pull, SESSION)),
    Table("pull_settings", stand.PullSetting, _of(stand.PullSetting, PULL)),
    Table("notes", stand.Note, _of(stand.Note, SESSION)),
    Table("reduction_overrides", ReductionOverride, _of(ReductionOverride, PULL)),
    Table("comparison_windows", ComparisonWindow, _of(ComparisonWindow, "programme")),
    Table("comparability_overrides", ComparabilityOverride, _of(ComparabilityOverride, PULL)),
    Table("standing_tunes", StandingTune, _of(StandingTune, SETUP)),
    Table("spark_rules", SparkRule, _of(SparkRule, SETUP)),
    Table("spark_decisions", SparkDecision, _of(SparkDecision, SETUP)),
    Table("imports", Import, _of(Import, "programme")),
    Table("source_files", SourceFile, _of(SourceFile, PULL)),
    Table("printed_sheets", PrintedSheet, _of(PrintedSheet, PULL)),
]
LIBRARY = {
    "stands", "engines", "builds", "build_readings", "flow_tables", "installations", "parts", "part_readings",
    "aliases", "part_photos", "list_items",
}  # fmt: skip
OF_THE_SHOP: list[Table] = []  # rows of later apps that are of no single test
KNOWN_BY: dict[str, tuple[str, ...]] = {}
NAME_OF = {table.model: table.name for table in TABLES}


# Rows that name a part, which goes along: the model, its path to the test, the column.
NAMES_PARTS: list[tuple[type[models.Model], str, str]] = [(plan.Prediction, "theory__programme", "part_id")]


def register(
    name: str, model: type[models.Model], path: str, left_behind: Collection[str] = (), parts: str = ""
) -> None:
    """Rows of a later app that belong to a programme: it takes them along and brings them back.

    `left_behind` are columns that stay in this shop, `parts` one that names a part.
    """
    if model in NAME_OF:
        return
    TABLES.append(Table(name, model, _of(model, path)))
    NAME_OF[model] = name
    if left_behind:
        LEFT_BEHIND[name] = {*left_behind}
    if parts:
        NAMES_PARTS.append((model, path, parts))


def register_of_shop(name: str, model: type[models.Model], known_by: tuple[str, ...]) -> None:
    """Rows of a later app that the whole shop takes along, after its tests. `known_by`: columns that tell one again."""
    if model not in NAME_OF:
        KNOWN_BY[name] = known_by
        OF_THE_SHOP.append(Table(name, model, lambda _: model._default_manager.order_by("pk")))
        NAME_OF[model] = name


# Rows that belong to one shop alone, or are made again: what a programme does not take along
# A session that was not run on a line of this shop; a list that is another shop's
FIXED = {("sessions", "filed"): True, ("list_items", "in_force"): False}
# What closes a row to changes is set once everything that belongs to it is there
LAST = (("builds", "used_at"), ("setups", "pulled"))
LEFT_BEHIND: dict[str, set[str]] = {
    "stands": {
        "host", "port", "on_line", "simulated", "worker_elsewhere", "map", "recorder", "inertia", "notes", "retired_at",
    },
    "programmes": {"from_file_at", "archived_at"}, "engines": {"archived_at"}, "parts": {"archived_at"},
    "imports": {"job"}, "printed_sheets": {"job"},
}  # fmt: skip
ACCORDING = " (according to the file)"  # behind the name of whoever, by a file, wrote something


def fields_of(table: Table) -> list[models.Field[Any, Any]]:
    """The columns of a table in the file, without its key."""
    left = LEFT_BEHIND.get(table.name, set())
    return [field for field in table.model._meta.concrete_fields if not field.primary_key and field.name not in left]
