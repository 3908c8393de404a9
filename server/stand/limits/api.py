"""The limits of a stand: read by everybody, set by its owner."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router
from torvix_core.pull.guard import is_blind
from torvix_core.pull.limits import BOOSTED_LIMITS, Limit, Side
from torvix_core.units import quantities

from programmes.models import Programme, Setup
from shop.models import Person, Role, Stand
from shop.permissions import is_person, units_of
from shop.schema import Schema
from stand.limits import service as limits
from stand.models import Link

router = Router(tags=["limits"])


class LimitOut(Schema):
    """A limit in the reader's unit. `blind`: the stand sends no such channel; `set`: something gives it a value.

    A limit that is blind or not set protects nothing; `asked_for`: the engine is boosted, and nobody has set it.
    `stops_unseen`: where its channel cannot be read under load.
    """

    key: str
    label: str
    side: str
    value: float | None
    unit: str
    threshold: str
    why: str
    samples: int
    of: int
    watched: bool
    own: bool
    blind: bool
    set: bool
    asked_for: bool
    stops_unseen: bool


class LimitIn(Schema):
    text: str = ""
    samples: str
    of: str
    watched: bool = True
    stops_unseen: bool = True


class LimitsOut(Schema):
    limits: list[LimitOut]
    may_set: bool


def limit_text(limit: Limit, unit: str, redline: bool) -> str:
    """A limit in words: the value, and what it depends on."""
    if limit.value is None:
        return limit.why
    if limit.per_rpm:
        each = quantities.words(limit.value + limit.per_rpm * 1000, unit)
        return f"{each} at 1000 rpm, in proportion"
    return limits.shown(limit, limit.value, unit) + (" (redline)" if redline else "")


def _out(person: Person, stand: Stand, setup: Setup | None) -> LimitsOut:
    units = units_of(person)
    link = Link.objects.filter(stand=stand).first()
    channels = {name for name, _ in (link.hello if link else {}).get("channels", [])}
    of_stand = limits.of_stand(stand)
    every = [found.limit for found in of_stand]
    given = {one.key: one for one in (limits.with_engine(every, setup.programme.build, setup) if setup else every)}
    boosted, rows = setup is not None and limits.is_boosted(setup), []
    for found in of_stand:
        limit = given.get(found.limit.key, found.limit)
        unit = units.get(limit.figure, limit.unit)
        own = found.limit.value  # without the engine's: what the owner is given to change
        redline = limit.key == "over_speed" and limit.value != own
        rows.append(LimitOut(
            key=limit.key, label=limit.label, side="above" if limit.side is Side.ABOVE else "below",
            value=None if own is None else float(quantities.from_si(own, unit)), unit=unit,
            threshold=limit_text(limit, unit, redline), why=limit.why, samples=limit.samples, of=limit.of,
            watched=found.watched, own=found.own, set=limit.value is not None, stops_unseen=limit.stops_unseen,
            asked_for=boosted and found.watched and limit.value is None and limit.key in BOOSTED_LIMITS
            and (not channels or limit.channel in channels),
            blind=bool(channels) and is_blind(limit, channels) and limit.value is not None,
        ))  # fmt: skip
    return LimitsOut(limits=rows, may_set=person.role == Role.OWNER)


def _setup(person: Person, setup_id: int | None) -> Setup | None:
    """Whose engine gives the limits their values."""
    if setup_id is None:
        return None
    visible = Setup.objects.filter(programme__in=Programme.objects.visible_to(person))
    return get_object_or_404(visible.select_related("programme__build"), pk=setup_id)


@router.get("/stands/{stand_id}/limits", response=LimitsOut, operation_id="stand_limits")
def read_limits(request: HttpRequest, stand_id: int, setup_id: int | None = None) -> LimitsOut:
    assert is_person(request.user)
    return _out(request.user, get_object_or_404(Stand, pk=stand_id), _setup(request.user, setup_id))


@router.put("/stands/{stand_id}/limits/{key}", response=LimitsOut, operation_id="set_limit")
def set_limit(request: HttpRequest, stand_id: int, key: str, given: LimitIn, setup_id: int | None = None) -> LimitsOut:
    assert is_person(request.user)
    stand, setup = get_object_or_404(Stand, pk=stand_id), _setup(request.user, setup_id)
    limits.set_limit(request.user, stand, key, given.text, given.samples, given.of, watched=given.watched,
                     stops_unseen=given.stops_unseen)  # fmt: skip
    return _out(request.user, stand, setup)
