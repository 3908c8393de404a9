"""The limits of a stand: read by everybody, set by its owner."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema
from torvix_core import quantities
from torvix_core.limits import Side

from shop.models import Person, Role, Stand
from shop.services import is_person, units_of
from stand import limits
from stand.models import Link

router = Router(tags=["limits"])


class LimitOut(Schema):
    """A limit in the reader's unit. `blind`: the stand sends no such channel, so it protects nothing."""

    key: str
    label: str
    side: str
    value: float | None
    unit: str
    told: str
    why: str
    samples: int
    of: int
    watched: bool
    own: bool
    blind: bool


class LimitIn(Schema):
    text: str = ""
    samples: str
    of: str
    watched: bool = True


class LimitsOut(Schema):
    limits: list[LimitOut]
    may_set: bool


def _told(found: limits.Set, unit: str) -> str:
    """A limit in words: the value, and what it depends on."""
    limit = found.limit
    if limit.value is None:
        return limit.why
    if limit.per_rpm:
        each = quantities.words(limit.value + limit.per_rpm * 1000, unit)
        return f"{each} at 1000 rpm, in proportion"
    return limits.shown(limit, limit.value, unit)


def _needs_no_watch(found: limits.Set) -> bool:
    """What has a value only by a target or an owner is missed by nobody while it has none."""
    return found.limit.key in ("boost", "turbine", "back_pressure") and found.limit.value is None


def _out(person: Person, stand: Stand) -> LimitsOut:
    units = units_of(person)
    link = Link.objects.filter(stand=stand).first()
    channels = {name for name, _ in (link.hello if link else {}).get("channels", [])}
    rows = []
    for found in limits.of_stand(stand):
        limit = found.limit
        unit = units.get(limit.figure, limit.unit)
        rows.append(LimitOut(
            key=limit.key, label=limit.label, side="above" if limit.side is Side.ABOVE else "below",
            value=None if limit.value is None else float(quantities.from_si(limit.value, unit)), unit=unit,
            told=_told(found, unit), why=limit.why, samples=limit.samples, of=limit.of, watched=found.watched,
            own=found.own, blind=bool(channels) and limit.channel not in channels and not _needs_no_watch(found),
        ))  # fmt: skip
    return LimitsOut(limits=rows, may_set=person.role == Role.OWNER)


@router.get("/stands/{stand_id}/limits", response=LimitsOut, operation_id="stand_limits")
def read_limits(request: HttpRequest, stand_id: int):
    assert is_person(request.user)
    return _out(request.user, get_object_or_404(Stand, pk=stand_id))


@router.put("/stands/{stand_id}/limits/{key}", response=LimitsOut, operation_id="set_limit")
def set_limit(request: HttpRequest, stand_id: int, key: str, given: LimitIn):
    assert is_person(request.user)
    stand = get_object_or_404(Stand, pk=stand_id)
    limits.set_limit(request.user, stand, key, given.text, given.samples, given.of, watched=given.watched)
    return _out(request.user, stand)
