"""What is looked for, as it was understood from one typed line."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from torvix_core.engine.dimensions import SHEET, STACK_ORDER, part_dimensions
from torvix_core.engine.settings import SETTINGS
from torvix_core.units.sought_values import SoughtFigure, SoughtValue, take_values

from programmes.plan.plans import SETTING
from shop.models import Person
from shop.moments import clock
from shop.permissions import units_of
from shop.refusals import Invalid

_DAY = r"(\d{4})-(\d{2})(?:-(\d{2}))?"
_SINCE = re.compile(rf"\b(?:since|after|from)\s+{_DAY}\b", re.IGNORECASE)
_UNTIL = re.compile(rf"\b(?:until|before|to)\s+{_DAY}\b", re.IGNORECASE)
_ON = re.compile(rf"(?<!\d){_DAY}(?!\d)")
_BY = re.compile(r"\bby\s+([^\W\d][\w.'-]*)", re.IGNORECASE)


@dataclass(frozen=True)
class SearchQuery:
    """Words that must all be found, figures, who wrote it, and from when to when; `understood` says it again."""

    words: tuple[str, ...]
    values: tuple[SoughtValue, ...]
    people: frozenset[int]
    since: datetime | None
    until: datetime | None  # not included
    understood: tuple[str, ...]

    @property
    def is_empty(self) -> bool:
        return not (self.words or self.values or self.people or self.since or self.until)


def read_query(person: Person, text: str) -> SearchQuery:
    """Invalid where a date or a range cannot be meant."""
    said: list[str] = []
    rest, since, until = _days(text, said)
    rest, people = _people(rest, said)
    try:
        rest, values = take_values(rest, _figures(person))
    except ValueError as reason:
        raise Invalid("This cannot be searched for.", fields={"q": str(reason)}) from reason
    said += [value.words for value in values]
    return SearchQuery(tuple(rest.split()), tuple(values), people, since, until, tuple(said))


def _figures(person: Person) -> Sequence[SoughtFigure]:
    units = units_of(person)
    lines = [*SHEET.values(), *(line for slot in STACK_ORDER for line in part_dimensions(slot).values())]
    lines = [line for line in {line.key: line for line in lines}.values() if line.is_quantity]
    of_setups = [line for line in SETTINGS if line.is_quantity]
    return [
        SoughtFigure(f"{prefix}{line.key}", line.label, line.measure, units[line.figure] if line.figure else line.unit)
        for prefix, group in (("", lines), (SETTING, of_setups)) for line in group
    ]  # fmt: skip


def _people(text: str, said: list[str]) -> tuple[str, frozenset[int]]:
    """“by mats” where somebody is called so; else the words stay words."""
    found = _BY.search(text)
    if found is None:
        return text, frozenset()
    name = found[1].casefold()
    called = [
        one for one in Person.objects.all()
        if any(known.casefold().startswith(name) for known in (one.username, one.first_name, one.last_name))
    ]  # fmt: skip
    if not called:
        return text, frozenset()
    said.append(f"by {' or '.join(sorted(str(one) for one in called))}")
    return f"{text[: found.start()]} {text[found.end() :]}", frozenset(one.pk for one in called)


def _days(text: str, said: list[str]) -> tuple[str, datetime | None, datetime | None]:
    """Ends of the time that is meant, in the shop's clock: a day, a month, or from and to."""
    since = until = None
    for pattern in (_SINCE, _UNTIL, _ON):
        found = pattern.search(text)
        if found is None:
            continue
        first, after = _period(found)
        if pattern is _SINCE:
            since = first
        elif pattern is _UNTIL:
            until = first if found[0].lower().startswith("before") else after
        else:
            since, until = first, after
        said.append(" ".join(found[0].lower().split()))
        text = f"{text[: found.start()]} {text[found.end() :]}"
    if since and until and since >= until:
        raise Invalid("This cannot be searched for.", fields={"q": "write the earlier day first"})
    return text, since, until


def _period(found: re.Match[str]) -> tuple[datetime, datetime]:
    """A day or a month: its first moment and the first after it."""
    year, month, day = int(found[1]), int(found[2]), int(found[3] or 1)
    try:
        first = datetime(year, month, day, tzinfo=clock())
        if found[3]:
            return first, first + timedelta(days=1)
        return first, first.replace(year=year + month // 12, month=month % 12 + 1)
    except (ValueError, OverflowError):
        raise Invalid("This cannot be searched for.", fields={"q": f"there is no day {found[0]}"}) from None
