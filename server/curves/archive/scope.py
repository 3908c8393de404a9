"""What a file of many tests is of: an engine or the whole shop. And by what a test is known again elsewhere."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cached_property
from typing import Any

from django.db.models import QuerySet

from curves.archive.tables import Table, named_parts, parts_of
from curves.files.table import FileProblem
from engines.models import Build, Engine, Part
from programmes.models import Programme
from shop.models import Person, Shop, Stand
from shop.permissions import require_operator, require_owner
from stand.models import ListItem, Pull


@dataclass(frozen=True)
class Scope:
    """`engine` alone, or without one all that the shop has. Practice tests are exercises: they stay."""

    engine: Engine | None

    @property
    def kind(self) -> str:
        return "shop" if self.engine is None else "engine"

    @property
    def is_whole_shop(self) -> bool:
        return self.engine is None

    @property
    def name(self) -> str:
        return Shop.here().name if self.engine is None else self.engine.name

    def require(self, person: Person) -> None:
        """Prices go along, and of a whole shop everything: NotAllowed for who may not take it out."""
        if self.engine is None:
            require_owner(person)
        else:
            require_operator(person)

    def programmes(self) -> QuerySet[Programme]:
        found = Programme.objects.filter(practice=None)
        return found if self.engine is None else found.filter(build__engine=self.engine)

    def library(self, table: Table) -> QuerySet[Any]:
        """The rows that tests share: each stands once in the file, and not with its tests."""
        model = table.model
        rows = model._default_manager.order_by("pk")
        if self.engine is None:
            return self._without_practice(rows)
        tests = self.programmes()
        if model is Engine:
            return rows.filter(pk=self.engine.pk)
        if model is Stand:
            return rows.filter(sessions__programme__in=tests).distinct()
        if model is ListItem:
            return rows.filter(ticks__session__programme__in=tests).distinct()
        if model is Build:
            return rows.filter(engine=self.engine)
        if model is Part:
            return rows.filter(pk__in=self._parts)
        names = {field.name for field in model._meta.concrete_fields}
        return rows.filter(build__engine=self.engine) if "build" in names else rows.filter(part__in=self._parts)

    @staticmethod
    def _without_practice(rows: QuerySet[Any]) -> QuerySet[Any]:
        """Engines and parts that were made for practice tests alone stay with these."""
        played = Programme.objects.exclude(practice=None)
        others = Programme.objects.filter(practice=None)
        engines = Engine.objects.filter(builds__programmes__in=played).exclude(builds__programmes__in=others)
        parts = Part.objects.filter(setups__programme__in=played).exclude(setups__programme__in=others)
        parts = parts.exclude(pk__in=_referred_to() | named_parts(others))
        if rows.model is Engine:
            return rows.exclude(pk__in=engines)
        if rows.model is Part:
            return rows.exclude(pk__in=parts)
        names = {field.name for field in rows.model._meta.concrete_fields}
        if rows.model is Build:
            return rows.exclude(engine__in=engines)
        if "build" in names:
            return rows.exclude(build__engine__in=engines)
        return rows.exclude(part__in=parts) if "part" in names else rows

    @cached_property
    def _parts(self) -> set[int]:
        found: set[int] = set()
        for programme in self.programmes():
            found |= parts_of(programme)
        return found


def _referred_to() -> set[int]:
    """Parts that another is made from, matched to or the same as."""
    rows = Part.objects.values_list("parent_id", "matched_to_id", "same_as_id")
    return {key for row in rows for key in row if key is not None}


@dataclass(frozen=True)
class TestIdentity:
    """`digest` is the same for a test and for what was read in from its file, whatever it is called by now."""

    digest: str
    created_at: datetime
    pulls: int


def identities(programmes: Iterable[int]) -> dict[int, TestIdentity]:
    """By test, in two queries."""
    keys = list(programmes)
    pulls: dict[int, list[str]] = {key: [] for key in keys}
    made = Pull.objects.filter(session__programme__in=keys).values_list("session__programme_id", "number", "armed_at")
    for key, number, armed_at in made.order_by():
        pulls[key].append(_mark(number, armed_at))
    created = dict(Programme.objects.filter(pk__in=keys).values_list("pk", "created_at"))
    return {key: _identity(created[key], pulls[key]) for key in keys}


def identity_in(tables: Mapping[str, Any]) -> TestIdentity | None:
    """Of the test in a record; None where the record does not say when it was made."""
    try:
        (programme,) = tables["programmes"]
        created = _moment(programme["created_at"])
        pulls = [_mark(one["number"], _moment(one["armed_at"])) for one in tables.get("pulls", [])]
    except (KeyError, TypeError, ValueError):
        return None
    return _identity(created, pulls)


def identities_listed(tests: Collection[Mapping[str, Any]]) -> list[TestIdentity]:
    """As a list of tests in a file gives them."""
    try:
        return [TestIdentity(one["identity"], _moment(one["created_at"]), int(one.get("pulls", 0))) for one in tests]
    except (TypeError, ValueError) as error:
        raise FileProblem("its list of tests says no time that can be read") from error


def here_already(found: Collection[TestIdentity]) -> dict[str, Programme]:
    """By digest, the tests of this shop that have it; three queries."""
    candidates = Programme.objects.filter(created_at__in={one.created_at for one in found})
    by_key = {one.pk: one for one in candidates.select_related("build__engine")}
    digests = {one.digest for one in found}
    return {one.digest: by_key[key] for key, one in identities(by_key).items() if one.digest in digests}


def _moment(text: str) -> datetime:
    """ValueError where it has no zone: it could be any."""
    found = datetime.fromisoformat(text)
    if found.tzinfo is None:
        raise ValueError(f"{text} has no zone")
    return found


def _mark(number: int, armed_at: datetime) -> str:
    return f"{number} {armed_at.astimezone(UTC).isoformat()}"


def _identity(created: datetime, pulls: Iterable[str]) -> TestIdentity:
    marks = sorted(pulls)
    text = "\n".join([created.astimezone(UTC).isoformat(), *marks])
    return TestIdentity(hashlib.sha256(text.encode()).hexdigest(), created, len(marks))
