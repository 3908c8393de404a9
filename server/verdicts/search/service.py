"""Find what was written down, kind by kind, as far as the person may see it."""

from __future__ import annotations

import operator
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from functools import reduce
from typing import Any

from django.contrib.postgres.search import SearchQuery as Stems
from django.contrib.postgres.search import TrigramWordSimilarity
from django.db.models import FloatField, Func, Max, Model, Q, QuerySet
from torvix_core.engine.dimensions import Slot
from torvix_core.units.grammar import counted

from curves.models import ChannelMean
from engines.models import BuildReading, Engine, Part, PartReading
from programmes.models import Programme, Setup, SetupSetting
from programmes.plan.plans import SETTING
from shop.models import Person
from shop.paging import holding
from stand.models import SAID_OF_A_PULL, SAYS_SOMETHING, Note, NoteKind, Pull
from verdicts.models import Decision, Sheet
from verdicts.search.query import SearchQuery

LIKE = 0.5  # word similarity from which a name that is spelled otherwise is offered [prac]
BOOST = f"{SETTING}boost_target"
CUT = 160  # characters of a long text that a row shows


class FoundKind(StrEnum):
    TEST = "test"
    ENGINE = "engine"
    PART = "part"
    PULL = "pull"
    NOTE = "note"
    DECISION = "decision"
    REPORT = "report"


@dataclass(frozen=True)
class Found:
    """One thing that was found: what it is called, what is said about it, and where it is looked at."""

    kind: FoundKind
    id: int
    title: str
    about: str
    at: datetime | None = None
    programme_id: int | None = None
    pull_id: int | None = None
    build_id: int | None = None
    archived: bool = False


@dataclass(frozen=True)
class _Searched:
    """How one kind is searched: its rows as a person may see them, the fields that hold words, those of them that are
    sentences (their word stems are searched too), who wrote a row and when, and how it is shown."""

    rows: Callable[[Person], QuerySet[Any]]
    words: tuple[str, ...]
    sentences: tuple[str, ...]
    writers: tuple[str, ...]
    moment: str
    order: tuple[str, ...]
    show: Callable[[Any], Found]
    names: tuple[str, ...] = ()  # fields that are tried for another spelling
    values: Callable[[str, float | None, float | None], Q] | None = None
    measured: Callable[[Person], QuerySet[Any]] | None = None  # the rows that are searched by a figure, if not the same


class _Highest(Func):
    """Of an array of bins, those that hold a number."""

    template = "(SELECT max(bin) FROM unnest(%(expressions)s) AS bin WHERE bin <> 'NaN'::float8)"
    output_field = FloatField()


def find(person: Person, query: SearchQuery, kind: FoundKind, first: int, rows: int) -> tuple[int, list[Found]]:
    """How many there are of one kind, and some of them: the nearest names first, else the newest."""
    how = SEARCHED[kind]
    found = _matching(how, (how.measured or how.rows if query.values else how.rows)(person), query)
    if found is None:
        return 0, []
    total = found.count()
    if not rows or total <= first:
        return total, []
    return total, [how.show(row) for row in found.order_by(*how.order)[first : first + rows]]


def spelled_otherwise(person: Person, query: SearchQuery, rows: int) -> list[Found]:
    """Names that are like what was typed, where nothing holds the words themselves."""
    typed = " ".join(query.words)
    if not typed or query.values:
        return []
    near: list[tuple[float, Found]] = []
    for how in SEARCHED.values():
        for name in how.names:
            like = how.rows(person).annotate(nearness=Max(TrigramWordSimilarity(typed, name)))
            best = like.filter(nearness__gte=LIKE).order_by("-nearness")[:rows]
            near += [(row.nearness, how.show(row)) for row in best]
    best_first = dict.fromkeys(found for _, found in sorted(near, key=lambda one: -one[0]))
    return list(best_first)[:rows]


def _matching(how: _Searched, found: QuerySet[Any], query: SearchQuery) -> QuerySet[Any] | None:
    """None where this kind has nothing of what is asked for."""
    if query.values and how.values is None:
        return None
    every: type[Model] = found.model
    for word in query.words:
        there = {f"{field}__icontains": word for field in (*how.words, *how.sentences)}
        stems = {f"{field}__search": Stems(word, config="english") for field in how.sentences}
        found = found.filter(holding(every, {**there, **stems}))
    for value in query.values:
        assert how.values is not None
        found = found.filter(reduce(operator.or_, (how.values(key, *ends) for key, ends in value.bounds.items())))
    if query.people:
        found = found.filter(holding(every, {f"{writer}__in": query.people for writer in how.writers}))
    if query.since or query.until:
        ends = {"gte": query.since, "lt": query.until}
        within = {f"{how.moment}__{end}": moment for end, moment in ends.items() if moment is not None}
        found = found.filter(pk__in=every._base_manager.filter(**within).values("pk"))
    return found


def _between(low: float | None, high: float | None) -> Q:
    return (Q() if low is None else Q(value__gte=low)) & (Q() if high is None else Q(value__lte=high))


def _parts_with(key: str, low: float | None, high: float | None) -> Q:
    held = PartReading.objects.filter(_between(low, high), dimension=key)
    return Q(pk__in=held.values("part"))


def _engines_with(key: str, low: float | None, high: float | None) -> Q:
    return Q(builds__in=BuildReading.objects.filter(_between(low, high), dimension=key).values("build"))


def _tests_with(key: str, low: float | None, high: float | None) -> Q:
    """By what a setup was set to, a part of it, or the engine's sheet."""
    if key == BOOST:
        asked_for = SetupSetting.objects.filter(_between(low, high), key=key).values("setup__programme")
        return Q(pk__in=asked_for) | Q(pk__in=_reached(low, high).values("reduced__pull__session__programme"))
    if key.startswith(SETTING):
        return Q(pk__in=SetupSetting.objects.filter(_between(low, high), key=key).values("setup__programme"))
    parts = PartReading.objects.filter(_between(low, high), dimension=key).values("part")
    engines = BuildReading.objects.filter(_between(low, high), dimension=key).values("build")
    holding = Setup.parts.through.objects.filter(part__in=parts)
    return Q(build__in=engines) | Q(pk__in=holding.values("setup__programme"))


def _pulls_with(key: str, low: float | None, high: float | None) -> Q:
    """Pulls that reached a boost; by nothing else that they measured."""
    return Q(pk__in=_reached(low, high).values("reduced__pull")) if key == BOOST else Q(pk__in=())


def _reached(low: float | None, high: float | None) -> QuerySet[ChannelMean]:
    """Of boost as it was measured, by its highest bin: what a target was, a gauge need not have shown."""
    boost = ChannelMean.objects.filter(channel="boost").annotate(value=_Highest("values"))
    return boost.filter(_between(low, high))


def _in_tests(path: str) -> Callable[[QuerySet[Any], Person], QuerySet[Any]]:
    def seen(rows: QuerySet[Any], person: Person) -> QuerySet[Any]:
        return rows.filter(**{f"{path}__in": Programme.objects.visible_to(person).values("pk")})

    return seen


def _short(text: str) -> str:
    return text if len(text) <= CUT else f"{text[: CUT - 1].rstrip()}…"


def _test(row: Programme) -> Found:
    return Found(FoundKind.TEST, row.pk, row.question, row.build.engine.name, row.created_at, row.pk,
                 archived=row.archived_at is not None)  # fmt: skip


def _engine(row: Engine) -> Found:
    builds = list(row.builds.all())
    about = counted(len(builds), "revision") + (f", {row.owner}" if row.owner else "")
    return Found(FoundKind.ENGINE, row.pk, row.name, about, build_id=builds[-1].pk if builds else None,
                 archived=row.archived_at is not None)  # fmt: skip


def _part(row: Part) -> Found:
    also = ", ".join(alias.name for alias in row.aliases.all())
    about = Slot(row.slot).label + (f", also {also}" if also else "")
    return Found(FoundKind.PART, row.pk, row.name, about, row.created_at, archived=row.archived_at is not None)


def _pull(row: Pull) -> Found:
    test = row.session.programme
    why = row.excluded_reason or row.override_reason or row.ended_why or row.source
    about = _short(" · ".join(filter(None, (why, test.question))))
    return Found(FoundKind.PULL, row.pk, f"Pull {row.number} of {row.setup.letter}", about,
                 row.started_at or row.armed_at, test.pk, row.pk)  # fmt: skip


def _note(row: Note) -> Found:
    test = row.session.programme
    said = _short(row.text) if row.text else "Photograph"
    about = f"{NoteKind(row.kind).label} · {test.question}"
    return Found(FoundKind.NOTE, row.pk, said, about, row.at, test.pk, row.pull_id)


def _decision(row: Decision) -> Found:
    chosen = "nothing chosen" if row.setup is None else f"{row.setup.letter} chosen"
    return Found(FoundKind.DECISION, row.pk, _short(row.reason), f"{chosen} · {row.programme.question}", row.at,
                 row.programme_id)  # fmt: skip


def _report(row: Sheet) -> Found:
    about = _short(row.change) if row.change else "as first issued"
    return Found(FoundKind.REPORT, row.pk, f"{row.programme.question}, version {row.number}", about, row.at,
                 row.programme_id)  # fmt: skip


SEARCHED: dict[FoundKind, _Searched] = {
    FoundKind.TEST: _Searched(
        lambda person: Programme.objects.visible_to(person).select_related("build__engine"),
        ("question", "build__engine__name", "setups__name", "setups__parts__name", "held_constant"), (),
        ("created_by", "sessions__pulls__operator"), "sessions__opened_at", ("-created_at", "-pk"), _test,
        ("question",), _tests_with,
    ),
    FoundKind.ENGINE: _Searched(
        lambda person: Engine.objects.visible_to(person).prefetch_related("builds"),
        ("name", "owner", "builds__reason", "builds__notes"), (), ("builds__created_by",), "builds__created_at",
        ("name", "pk"), _engine, ("name",), _engines_with,
    ),
    FoundKind.PART: _Searched(
        lambda person: Part.objects.visible_to(person).prefetch_related("aliases"),
        ("name", "aliases__name", "notes", "modification", "belongs_to", "slot"), (), ("created_by",), "created_at",
        ("name", "pk"), _part, ("name", "aliases__name"), _parts_with,
    ),
    FoundKind.PULL: _Searched(
        lambda person: _in_tests("session__programme")(
            Pull.objects.filter(SAYS_SOMETHING).select_related("session__programme", "setup"), person
        ),
        SAID_OF_A_PULL, (), ("operator", "judged_by"), "armed_at",
        ("-armed_at", "-pk"), _pull, (), _pulls_with,
        lambda person: _in_tests("session__programme")(
            Pull.objects.select_related("session__programme", "setup"), person
        ),
    ),
    FoundKind.NOTE: _Searched(
        lambda person: _in_tests("session__programme")(
            Note.objects.filter(archived_at=None).defer("photo").select_related("session__programme"), person
        ),
        (), ("text",), ("person",), "at", ("-at", "-pk"), _note,
    ),
    FoundKind.DECISION: _Searched(
        lambda person: _in_tests("programme")(Decision.objects.select_related("programme", "setup"), person),
        ("programme__question",), ("reason",), ("by",), "at", ("-at", "-pk"), _decision,
    ),
    FoundKind.REPORT: _Searched(
        lambda person: _in_tests("programme")(Sheet.objects.defer("document").select_related("programme"), person),
        ("programme__question", "change"), (), ("by",), "at", ("-at", "-pk"), _report,
    ),
}  # fmt: skip
KINDS: Sequence[FoundKind] = tuple(SEARCHED)
