"""The book of a session: every pull, kept or not, with its air, tune, temperatures, limits, curve and notes; frozen."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, tzinfo
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import prefetch_related_objects
from torvix_core.air.standards import DEFINITIONS, Standard
from torvix_core.engine import geometry
from torvix_core.pull.limits import USUAL
from torvix_core.units import quantities

from curves.comparability import pull_screening
from curves.models import Reduced
from curves.pull_log.schemas import PullRow, pull_row
from curves.reduction import correct, not_repaired
from curves.reduction.nature import Nature, nature_of
from programmes.models import Programme
from programmes.settings import tune_sizes
from shop.models import Person, Shop
from shop.moments import clock, moment
from shop.permissions import require_operator, units_of
from shop.refusals import Invalid, Refusal
from shop.texts import optional
from stand.limits import service as limits
from stand.models import Note, Pull, Session
from stand.session import cautions
from verdicts.models import SessionBook

FORMAT = 1
RISING_AT_RPM = 5000.0  # at which a limit that rises with the speed is printed
TEMPERATURES = {
    "oil_temperature": "oil", "coolant_temperature": "coolant", "inlet_temperature": "inlet air",
    "fuel_temperature": "fuel", "exhaust_temperature": "exhaust",
}  # fmt: skip


@dataclass(frozen=True)
class BookOptions:
    """What of the test stays in the shop unless it is asked for, and who has an interest in the outcome."""

    show_owner: bool = False
    interests: str = ""


def compose(person: Person, session: Session, wanted: BookOptions, at: datetime) -> dict[str, Any]:
    """Everything that is printed, as text where it is text, in the person's units. Raw data is only read."""
    programme, units, by = session.programme, units_of(person), clock()
    standard = Standard(programme.standard)
    every = correct.pulls_of(programme)
    pulls = [pull for pull in every if pull.session_id == session.pk]
    prefetch_related_objects(pulls, "reduced__findings", "reduced__anomalies")
    rows = _rows(programme, pulls, every, standard, units)
    notes = list(session.notes.select_related("person", "pull").filter(archived_at=None))
    return {
        "format": FORMAT, "made_at": at.isoformat(), "shop": Shop.here().name, "question": programme.question,
        "engine": str(programme.build), "owner": programme.build.engine.owner if wanted.show_owner else "",
        "stand": str(session.stand), "opened": moment(session.opened_at, by, year=True),
        "closed": "" if session.closed_at is None else moment(session.closed_at, by, year=True),
        "opened_by": str(session.opened_by), "standard": DEFINITIONS[standard].label,
        "simulated": any(nature_of(pull) is Nature.SIMULATED for pull in pulls),
        "liquids": [f"{what} {text}" for what, text in
                    (("fuel", session.fuel), ("oil", session.oil), ("coolant", session.coolant)) if text],
        "torque_unit": units["torque"], "power_unit": units["power"],
        "weather": _weather(session, units, by), "changes": _changes(session, by),
        "pulls": [_pull(pull, row, standard, units, by, notes) for pull, row in zip(pulls, rows, strict=True)],
        "notes": [_note(note, by) for note in notes if note.pull_id is None],
        "held_constant": programme.held_constant, "interests": optional(wanted.interests, "interests", 300),
        "cautions": cautions.of_engine(programme),
    }  # fmt: skip


def _rows(
    programme: Programme, pulls: Sequence[Pull], every: Sequence[Pull], standard: Standard, units: Mapping[str, str]
) -> list[PullRow]:
    """As the log has them: one place for what is said of a pull, held against those of all sessions."""
    judged = pull_screening.judge(programme, correct.kept_of(every, standard))
    beyond, sizes = not_repaired.of_pulls(programme, pulls, standard, units), tune_sizes.tables(units)
    before: dict[int, Pull] = {}
    rows = []
    for pull in pulls:
        rows.append(pull_row(pull, standard, units, judged.get(pull.pk), before.get(pull.setup_id), False, sizes,
                             beyond[pull.pk]))  # fmt: skip
        before[pull.setup_id] = pull
    return rows


def _pull(
    pull: Pull, row: PullRow, standard: Standard, units: Mapping[str, str], by: tzinfo, notes: Sequence[Note]
) -> dict[str, Any]:
    curve: list[list[float]] = []
    try:
        found = correct.corrected(pull, standard)
        power = geometry.power(found.torque, found.speed_rpm)
        curve = np.column_stack([
            found.speed_rpm, quantities.from_si(found.torque, units["torque"]),
            quantities.from_si(power, units["power"]),
        ]).round(2).tolist()  # fmt: skip
    except Refusal:
        pass  # the row says why there is none
    return {
        "number": pull.number, "letter": pull.setup.letter, "name": pull.setup.name, "position": pull.setup.position,
        "at": moment(row.made_on, by), "operator": row.operator, "purpose": pull.get_purpose_display(),
        "origin": row.origin_label, "state": row.state_label, "ended_why": row.ended_why,
        "standing": row.standing_label, "reason": row.excluded_reason, "judged_by": row.judged_by,
        "override": row.override_reason, "comparable": row.comparable.line if row.comparable else "",
        "air": _air(pull, units), "factor": None if row.factor is None else round(row.factor, 5),
        "tune": row.tune, "tune_changes": row.tune_changes, "temperatures": _temperatures(pull, units),
        "limits": watched_limits(pull, units), "findings": [*row.findings, *row.anomalies, *row.not_repaired],
        "peaks": [
            f"{top.value:.1f} {unit} at {top.speed_rpm:.0f} rpm{', still climbing' if top.still_climbing else ''}"
            for top, unit in ((row.peak_torque, units["torque"]), (row.peak_power, units["power"])) if top
        ],
        "no_curve": row.no_curve, "curve": curve,
        "notes": [_note(note, by) for note in notes if note.pull_id == pull.pk],
    }  # fmt: skip


def _air(pull: Pull, units: Mapping[str, str]) -> str:
    if pull.air is None:
        return ""
    pressure = float(quantities.from_si(pull.air.barometer, units["air_pressure"]))
    warmth = float(quantities.from_si(pull.air.temperature, units["temperature"]))
    return (
        f"{pressure:.2f} {units['air_pressure']}, {warmth:.1f} {units['temperature']}, "
        f"{pull.air.relative_humidity * 100:.0f} % humidity"
    )


def _temperatures(pull: Pull, units: Mapping[str, str]) -> list[str]:
    """Means over the curve."""
    reduced: Reduced | None = getattr(pull, "reduced", None)
    if reduced is None:
        return []
    found = []
    for channel, label in TEMPERATURES.items():
        values = reduced.means.get(channel)
        if values is not None and len(values) and np.isfinite(values).all():
            mean = float(quantities.from_si(float(np.mean(values)), units["temperature"]))
            found.append(f"{label} {mean:.1f} {units['temperature']}")
    return found


def watched_limits(pull: Pull, units: Mapping[str, str]) -> list[str]:
    """What the pull was watched by, and at what value."""
    known = {limit.key: limit for limit in USUAL}
    found = []
    for key, value in pull.active_limits:
        limit = known.get(str(key))
        if limit is not None:
            unit, at, where = units.get(limit.figure, limit.unit), float(value), ""
            if limit.per_rpm:  # it rises with the speed, and says little at none
                at, where = at + limit.per_rpm * RISING_AT_RPM, f" at {RISING_AT_RPM:.0f} rpm"
            found.append(f"{limit.label.lower()} {limits.shown(limit, at, unit)}{where}")
    return found


def _weather(session: Session, units: Mapping[str, str], by: tzinfo) -> list[dict[str, str]]:
    """The log of the air, what was struck too."""
    found = []
    for one in session.weather.select_related("written_by"):
        pressure = float(quantities.from_si(one.barometer, units["air_pressure"]))
        warmth = float(quantities.from_si(one.temperature, units["temperature"]))
        found.append({
            "at": moment(one.at, by), "source": one.source,
            "words": f"{pressure:.2f} {units['air_pressure']}, {warmth:.1f} {units['temperature']}, "
                     f"{one.relative_humidity * 100:.0f} %",
            "struck": one.struck_reason,
        })  # fmt: skip
    return found


def _changes(session: Session, by: tzinfo) -> list[dict[str, str]]:
    """By the stopwatch: what came on in place of what, how long it took, what was noted of it."""
    found = []
    for one in session.changes.select_related("before", "after", "begun_by").order_by("begun_at"):
        took = None if one.ended_at is None else (one.ended_at - one.begun_at).total_seconds() / 60
        beside = [f"{what}: {text}" for what, text in
                  (("gasket", one.gasket), ("sealer", one.sealer), ("milled", one.milling)) if text]  # fmt: skip
        found.append({
            "at": moment(one.begun_at, by), "by": str(one.begun_by),
            "what": f"{one.before.letter if one.before else '–'} to {one.after.letter} {one.after.name}",
            "took": "not ended" if took is None else f"{took:.0f} min, {one.planned_min:.0f} planned",
            "beside": "; ".join(beside),
        })  # fmt: skip
    return found


def _note(note: Note, by: tzinfo) -> dict[str, Any]:
    return {
        "at": moment(note.at, by), "by": str(note.person or ""), "kind": note.get_kind_display(), "text": note.text,
        "rpm": note.rpm, "photo": photo_mark(note.photo),
    }  # fmt: skip


def photo_mark(photo: bytes | memoryview | None) -> str:
    """By which a book finds a photograph again, in another shop too; empty for none."""
    return "" if photo is None else hashlib.sha256(photo).hexdigest()


@transaction.atomic
def issue(person: Person, session: Session, wanted: BookOptions, change: str, at: datetime) -> SessionBook:
    """Freeze the book of a closed session. The first is version 1; every further one says what changed."""
    require_operator(person)
    Session.objects.select_for_update().get(pk=session.pk)
    if session.closed_at is None:
        raise Refusal("The session is open. Close it at the dyno, then issue its book.", code="session_open")
    last, said = session.books.defer("document").first(), optional(change, "change", 300)
    if last is not None and not said:
        raise Invalid(
            "Say what changed against the version before.", fields={"change": "readers of the earlier one see it"}
        )
    return SessionBook.objects.create(
        session=session, number=last.number + 1 if last else 1, document=compose(person, session, wanted, at),
        change=said if last else "", by=person, at=at,
    )  # fmt: skip
