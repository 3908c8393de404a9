"""Pulls that were not recorded here: where they are filed, and everything that is kept of each."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, time, timedelta

import numpy as np
from django.db import transaction
from django.db.models import Max
from django.utils import timezone
from torvix_core.air.standards import DEFINITIONS, Standard
from torvix_core.pull.reduction import Options, StandInertia
from torvix_core.units import quantities

from curves.reduction.correct import UNKNOWN_STANDARD
from curves.reduction.curve import Curve, RecordingKind, curve_of_channels
from curves.reduction.reduce import store
from engines.builds.service import mark_used as close_build
from programmes.expectations.service import seal
from programmes.models import STANDARDS, Programme, Setup
from programmes.plan.versions import mark_used
from shop.bulk_rows import copy_rows
from shop.models import Person, Stand
from shop.refusals import Invalid
from shop.texts import optional
from stand.models import Channel, Pull, PullOrigin, PullState, Purpose, Session, Standing
from stand.pulls.codec import pack
from stand.pulls.raw_channels import TIME, figures_of
from stand.pulls.steps import next_step
from stand.signals import session_opened

ELSEWHERE = "Elsewhere"
NOON = time(12)


@dataclass(frozen=True)
class FilingPlace:
    """What is known of pulls that come together: when and on which stand, in which air, how the stand reads."""

    day: date
    stand_name: str = ""
    fuel: str = ""
    inertia_in_torque: str = StandInertia.UNKNOWN
    inertia: float = 0.0  # kg·m², to be added where the stand leaves it out
    figures_standard: str = ""  # of printed figures
    barometer: float | None = None  # Pa; all three or none
    air_temperature: float | None = None  # K
    relative_humidity: float | None = None  # 0 to 1
    keep: bool = False  # counted at once, without a look at each
    opens: datetime | None = None  # of one of several sessions of that day; None: the whole day is one
    closes: datetime | None = None
    session_id: int | None = None  # of one that was opened on a stand; the rest then says what it says anyway

    @property
    def options(self) -> Options:
        """How pulls of it are reduced."""
        return Options(stand_inertia=StandInertia(self.inertia_in_torque), inertia=self.inertia)

    def on(self, day: date, number: int, sessions: int) -> FilingPlace:
        """The same in one of so many sessions of a day, which share it out in their order."""
        if sessions < 2:
            return replace(self, day=day)
        midnight = datetime.combine(day, time(0), timezone.get_current_timezone())
        opens, closes = (midnight + timedelta(days=1) * place / sessions for place in (number, number + 1))
        return replace(self, day=day, opens=opens, closes=closes - timedelta(seconds=1))


def checked(where: FilingPlace, today: date) -> FilingPlace:
    """The same with its texts in order. Invalid names the field."""
    wrong = {}
    if where.day > today:
        wrong["day"] = "lies in the future"
    air = (where.barometer, where.air_temperature, where.relative_humidity)
    if any(value is None for value in air) and any(value is not None for value in air):
        wrong["barometer"] = "give pressure, temperature and humidity, or none of them"
    if where.barometer is not None and not 50_000 <= where.barometer <= 110_000:
        wrong["barometer"] = "between 50 and 110 kPa, as read at the inlet"
    if where.air_temperature is not None and not 233.15 <= where.air_temperature <= 353.15:
        wrong["air_temperature"] = "between -40 and 80 °C"
    if where.relative_humidity is not None and not 0 <= where.relative_humidity <= 1:
        wrong["relative_humidity"] = "between 0 and 100 %"
    if where.inertia_in_torque not in list(StandInertia):
        wrong["inertia_in_torque"] = f"one of {', '.join(StandInertia)}"
    if not 0 <= where.inertia <= 50:
        wrong["inertia"] = "between 0 and 50 kg·m²"
    if where.figures_standard not in ("", UNKNOWN_STANDARD, *STANDARDS):
        wrong["figures_standard"] = "a standard, observed, or unknown"
    if wrong:
        raise Invalid("What is said of these pulls cannot be used: see the fields.", fields=wrong)
    return replace(
        where,
        stand_name=optional(where.stand_name, "stand_name", 80) or ELSEWHERE,
        fuel=optional(where.fuel, "fuel", 80),
    )


def session_for(person: Person, programme: Programme, where: FilingPlace) -> Session:
    """The session of that day and stand, made where there is none. A stand known by name only is never linked to."""
    if where.session_id is not None:
        return Session.objects.get(pk=where.session_id, programme=programme)
    stand, _ = Stand.objects.get_or_create(name=where.stand_name, defaults={"on_line": False})
    zone = timezone.get_current_timezone()
    opened = where.opens or datetime.combine(where.day, time(0), zone)
    closed = where.closes or opened + timedelta(days=1) - timedelta(seconds=1)
    session, made = Session.objects.get_or_create(
        programme=programme, stand=stand, filed=True, opened_at=opened, fuel=where.fuel,
        defaults={"closed_at": closed, "opened_by": person},
    )  # fmt: skip
    if made:
        session_opened.send(sender=Session, session=session, at=timezone.now())
    return session


@dataclass
class FiledPull:
    """A pull that is about to be kept: its channels as (unit, values), and its curve or why there is none."""

    setup: Setup
    origin: PullOrigin
    source: str
    channels: Mapping[str, tuple[str, np.ndarray]]
    where: FilingPlace
    curve: Curve = field(default_factory=lambda: Curve(Options()))
    torque_step: float = 0.0  # N·m
    purpose: str = Purpose.SWEEP
    start: datetime | None = None  # None: the time of day is not known

    @property
    def kind(self) -> RecordingKind:
        is_figures, is_steps = self.origin is not PullOrigin.FILE, self.purpose == Purpose.STEPS
        return RecordingKind(self.source, self.where.options, is_figures, is_steps)

    def reduce(self) -> None:
        """Make its curve; a pull that gives none says why, and is kept."""
        self.curve = curve_of_channels(self.kind, self.channels)

    def figures(self) -> tuple[np.ndarray, np.ndarray]:
        return figures_of(self.channels)

    @property
    def air_channel(self) -> str:
        """What says how warm the air was: inlet air serves where no other is given."""
        return "air_temperature" if "air_temperature" in self.channels else "inlet_temperature"

    def air(self) -> tuple[float, float, float] | None:
        """Of its own channels, else as it was said for all; Pa, K, 0 to 1."""
        own = []
        for name in ("barometer", self.air_channel, "relative_humidity"):
            if name in self.channels:
                unit, values = self.channels[name]
                with np.errstate(invalid="ignore"):
                    mean = float(np.nanmean(quantities.to_si(values, unit))) if np.isfinite(values).any() else None
                own.append(mean)
        if len(own) == 3 and all(value is not None for value in own):
            barometer, temperature, humidity = own
            if 50_000 <= barometer <= 110_000 and 233.15 <= temperature <= 353.15 and 0 <= humidity <= 1:  # type: ignore[operator]
                return barometer, temperature, humidity  # type: ignore[return-value]
        where = self.where
        if where.barometer is None or where.air_temperature is None or where.relative_humidity is None:
            return None
        return where.barometer, where.air_temperature, where.relative_humidity


@transaction.atomic
def keep(person: Person, programme: Programme, filed: Sequence[FiledPull], at: datetime) -> list[Pull]:
    """Everything of these pulls, or nothing; in their order."""
    if not filed:
        return []
    Programme.objects.select_for_update().get(pk=programme.pk)  # numbers are given one after the other
    last = Pull.objects.filter(session__programme=programme).aggregate(last=Max("number"))["last"] or 0
    sessions = {where: session_for(person, programme, where) for where in {one.where for one in filed}}
    in_session = {session.pk: session.pulls.count() for session in sessions.values()}
    pulls = []
    for number, one in enumerate(filed, start=last + 1):
        session = sessions[one.where]
        pulls.append(_pull(person, programme, session, number, in_session[session.pk], one, at))
        in_session[session.pk] += 1
    made = Pull.objects.bulk_create(pulls)
    store([(pull, one.curve) for pull, one in zip(made, filed, strict=True)])
    copy_rows(
        Channel,
        ("pull", "position", "name", "unit", "codec", "samples", "data"),
        (row for pull, one in zip(made, filed, strict=True) for row in _channels(pull, one)),
    )
    for setup in {one.setup.pk: one.setup for one in filed}.values():
        seal(setup, at)
    close_build(programme.build, at)
    return made


def _pull(
    person: Person, programme: Programme, session: Session, number: int, place: int, one: FiledPull, at: datetime
) -> Pull:
    """The row of one pull. Where the time of day is not known pulls follow one another from noon, and none is shown."""
    speeds, air = one.curve.speed_rpm, one.air()
    rate_hz = None
    if TIME in one.channels and len(one.channels[TIME][1]) > 1:
        time = one.channels[TIME][1]
        rate_hz = float((len(time) - 1) / (time[-1] - time[0]))
    kept = one.where.keep and bool(speeds)
    return Pull(
        session=session, number=number, setup=one.setup, build=programme.build, purpose=one.purpose,
        origin=one.origin, source=one.source[:200], state=PullState.COMPLETE,
        figures_standard="" if one.origin == PullOrigin.FILE else one.where.figures_standard or UNKNOWN_STANDARD,
        torque_step=one.torque_step,
        armed_at=one.start or (one.where.opens or datetime.combine(
            one.where.day, NOON, timezone.get_current_timezone()
        )) + timedelta(minutes=place),
        started_at=one.start,
        operator=person,
        sweep_start_rpm=speeds[0] if speeds else programme.sweep_start_rpm,
        sweep_end_rpm=speeds[-1] if speeds else programme.sweep_end_rpm,
        sweep_rate_rpm_s=(one.curve.cut.sweep_rate_rpm_s if one.curve.cut else 0.0) or programme.sweep_rate_rpm_s,
        rate_hz=rate_hz, inertia_in_torque=one.where.inertia_in_torque, inertia=one.where.inertia,
        barometer=air[0] if air else None, air_temperature=air[1] if air else None,
        relative_humidity=air[2] if air else None,
        standing=Standing.ACCEPTED if kept else Standing.UNDECIDED,
        judged_at=at if kept else None, judged_by=person if kept else None,
    )  # fmt: skip


def join(pull: Pull, ended: datetime) -> None:
    """As any pull of an open session: its times, its visit of the running order, the plan in force."""
    samples = max((channel.samples for channel in pull.channels.all()), default=0)
    pull.ended_at = ended
    pull.started_at = pull.armed_at = ended - timedelta(seconds=samples / pull.rate_hz if pull.rate_hz else 0.0)
    pull.step = next_step(pull.session.programme, pull.setup)
    pull.plan_version = mark_used(pull.session.programme, ended)
    pull.save(update_fields=["armed_at", "started_at", "ended_at", "step", "plan_version"])


def _channels(pull: Pull, filed: FiledPull) -> Iterator[tuple[int, int, str, str, str, int, bytes]]:
    for position, (name, (unit, samples)) in enumerate(filed.channels.items()):
        codec, data = pack(samples)
        yield pull.pk, position, name, unit[:16], codec, len(samples), data


def standard_words(figures_standard: str) -> str:
    """What printed figures are, for people."""
    if figures_standard == UNKNOWN_STANDARD:
        return "not known whether corrected"
    if figures_standard == Standard.OBSERVED:
        return "as observed"
    return f"corrected to {DEFINITIONS[Standard(figures_standard)].label}"
