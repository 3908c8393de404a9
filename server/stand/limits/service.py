"""Limits of a stand: the usual ones, as far as its owner has not set his own; and those that guard one pull."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from django.db import transaction
from django.utils import timezone
from torvix_core.pull import limits
from torvix_core.pull.guard import Cause, Trip
from torvix_core.pull.limits import USUAL, Limit
from torvix_core.units import quantities
from torvix_core.units.quantity_parser import NotUnderstood, read_count, read_quantity

from engines.models import Build
from engines.sheet import sheets
from programmes.models import Setup
from programmes.plan.plans import SETTING
from programmes.settings import service as adjusting
from shop import audit
from shop.models import Person, Stand
from shop.permissions import require_owner, units_of
from shop.refusals import Invalid
from stand.models import Pull, StandLimit

RANGES: dict[str, tuple[float, float]] = {  # SI, what a slip of the finger is not [prac]
    "speed": (500.0, 20_000.0),
    "temperature": (303.15, 1600.0),
    "mixture": (0.7, 1.3),
    "pressure": (0.0, 6e5),
    "fraction": (0.0, 1.0),
}
OTHER_RANGES = {"turbine": (20_000.0, 400_000.0)}  # fmt: skip


UNSEEN = {
    Cause.SILENT: "nothing came from {}",
    Cause.IMPOSSIBLE: "the impossible came from {}",
    Cause.STILL: "{} stood still to the last digit",
}


@dataclass(frozen=True)
class LimitSetting:
    """A limit as it is set on a stand, and whether it is watched at all."""

    limit: Limit
    watched: bool
    own: bool  # the owner's, not the usual one


def of_stand(stand: Stand) -> list[LimitSetting]:
    """Every limit there is, in its order."""
    own = {row.key: row for row in StandLimit.objects.filter(stand=stand)}
    return [
        LimitSetting(
            replace(
                usual,
                value=row.value if row.value is not None else usual.value,
                samples=row.samples,
                of=row.of,
                stops_unseen=row.stops_unseen,
            ),
            row.watched,
            True,
        )
        if (row := own.get(usual.key))
        else LimitSetting(usual, True, False)
        for usual in USUAL
    ]


def for_pull(pull: Pull) -> tuple[Limit, ...]:
    """What guards a pull."""
    watched = [found.limit for found in of_stand(pull.session.stand) if found.watched]
    return with_engine(watched, pull.build, pull.setup)


def with_engine(watched: Sequence[Limit], build: Build, setup: Setup) -> tuple[Limit, ...]:
    """A stand's limits with the engine's redline and the boost target of its setup; those without a value left out."""
    target = adjusting.in_force(setup).get(f"{SETTING}boost_target")
    return limits.in_force(watched, sheets.value(build, "redline"), target.value if target else None)


def is_boosted(setup: Setup) -> bool:
    """Whether the test says how boost is held, or its setup has a target of it."""
    return bool(setup.programme.boost_policy) or f"{SETTING}boost_target" in adjusting.in_force(setup)


@transaction.atomic
def set_limit(
    person: Person, stand: Stand, key: str, text: str, samples: str, of: str, *, watched: bool,
    stops_unseen: bool = True,
) -> StandLimit:  # fmt: skip
    """The owner's own value; an empty text goes back to the usual one. Invalid names the field."""
    require_owner(person)
    usual = next((limit for limit in USUAL if limit.key == key), None)
    if usual is None:
        raise Invalid("There is no such limit.", fields={"key": "choose one of the list"})
    wrong: dict[str, str] = {}
    value, counts = None, {}
    if text.strip():
        unit = units_of(person).get(usual.figure, usual.unit)
        try:
            value = read_quantity(text, usual.measure, unit, *OTHER_RANGES.get(key, RANGES[usual.measure])).value
        except NotUnderstood as reason:
            wrong["text"] = str(reason)
    for field, typed in (("samples", samples), ("of", of)):
        try:
            counts[field] = read_count(typed, 1, 50)
        except NotUnderstood as reason:
            wrong[field] = str(reason)
    if not wrong and counts["samples"] > counts["of"]:
        wrong["samples"] = "No more than are looked at."
    if wrong:
        raise Invalid("The limit is not usable: see the fields.", fields=wrong)
    row, _ = StandLimit.objects.update_or_create(
        stand=stand, key=key, defaults={"value": value, "watched": watched, "stops_unseen": stops_unseen, **counts}
    )
    limit_text = text.strip() or "the usual value"
    how = f"{limit_text}, {counts['samples']} of {counts['of']} samples" if watched else "not watched"
    unseen = "" if stops_unseen else ", goes on where it cannot be seen"
    audit.note(person, f"set the limit {usual.label} of {stand}: {how}{unseen}", timezone.now())
    return row


def trip_text(trip: Trip, units: Mapping[str, str] | None = None, *, stopped: bool = True) -> str:
    """A trip as it stands in the record: what read what, against what, where; and whether the stand was stopped."""
    limit = trip.limit
    unit = (units or {}).get(limit.figure, limit.unit)
    if trip.cause is not Cause.CROSSED:
        did = "Stopped: " if stopped else ""
        said = f"{did}{UNSEEN[trip.cause].format(limit.channel.replace('_', ' '))} under load, so " \
               f"{limit.label.lower()} was not watched, from {trip.speed_rpm:.0f} rpm on."  # fmt: skip
        return said[0].upper() + said[1:]
    value, against = (shown(limit, each, unit) for each in (trip.value, trip.against))
    side = "above" if limit.side is limits.Side.ABOVE else "below"
    at = "" if limit.key == "over_speed" else f" at {trip.speed_rpm:.0f} rpm"
    did = "Stopped by the limit" if stopped else "A limit was crossed, and this stand takes no commands"
    return f"{did}: {limit.label.lower()} {value}, {side} {against}{at}."


def shown(limit: Limit, value: float, unit: str) -> str:
    return quantities.words(value, unit) if unit != "1" else f"{value:g}"
