"""What is left in the tank through the day: what somebody read or the plan has, less what was burned since."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from torvix_core.units import quantities
from torvix_core.units.grammar import plural
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity

from programmes.plan import plans
from shop.models import Person
from shop.permissions import require_operator, units_of
from shop.refusals import Invalid, Refusal
from stand.models import Pull, Purpose, Session, TankReading

LARGEST = 10.0  # m³
RESERVE = 1.25  # pulls' worth below which a pull may run it dry: the figure is an estimate [prac]


@dataclass(frozen=True)
class TankLevel:
    """m³ left and a pull's worth, idling included; `basis` is where the need of a pull comes from."""

    left: float
    pull: float
    read_at: datetime | None
    basis: str

    @property
    def pulls(self) -> int:
        return max(0, int(self.left / self.pull)) if self.pull > 0 else 0

    @property
    def dry(self) -> bool:
        return self.left < RESERVE * self.pull


def fill(person: Person, session: Session, text: str, at: datetime) -> TankReading:
    """What stands in the tank now, after filling it or looking."""
    require_operator(person)
    if session.closed_at is not None:
        raise Refusal("This session is closed. Open a new one.", code="session_closed")
    try:
        volume = read_quantity(text, "volume", units_of(person)["fuel"], 0.0, LARGEST).value
    except NotUnderstood as reason:
        raise Invalid("The volume cannot be used.", fields={"volume": str(reason)}) from reason
    return TankReading.objects.create(session=session, at=at, volume=volume, by=person)


def left_in_tank(session: Session) -> TankLevel | None:
    """About what is left on this stand; None where nobody said what there is, or nothing tells what a pull burns."""
    programme = session.programme
    # Another test's reading is older than what this one's plan says there is.
    readings = TankReading.objects.filter(session__programme=programme, session__stand=session.stand_id)
    reading = readings.last()
    times = plans.times_of(programme)
    there = reading.volume if reading else times.fuel_available
    if there is None:
        return None
    sweep = plans.Sweep(programme.sweep_start_rpm, programme.sweep_end_rpm, programme.sweep_rate_rpm_s)
    need, basis = plans.fuel_need(times, sweep, programme.build)
    if need is None or need.pull <= 0:
        return None
    made = Pull.objects.filter(session__stand=session.stand_id, session__filed=False).exclude(started_at=None)
    made = made.filter(started_at__gt=reading.at) if reading else made.filter(session__programme=programme)
    burned, warmed = 0.0, set()
    for purpose, session_id, opened_at in made.values_list("purpose", "session_id", "session__opened_at"):
        burned += need.pull * (plans.CHECK_BURNS if purpose == Purpose.CHECK else 1.0)
        if session_id not in warmed and (reading is None or opened_at >= reading.at):
            burned += need.warm_up
        warmed.add(session_id)
    return TankLevel(max(0.0, there - burned), need.pull, reading.at if reading else None, basis)


def tank_words(level: TankLevel, units: Mapping[str, str]) -> str:
    """One sentence in the reader's units."""
    unit = units["fuel"]
    left, pull = (
        f"{float(quantities.from_si(volume, unit)):.1f} {unit}" for volume in (level.left, level.pull)
    )  # a decimal is as much as an estimate is worth
    if level.dry:
        return f"About {left} in the tank, and a pull takes {pull}. Fill it first: dry under load is lean under load."
    return f"About {left} in the tank, {level.pulls} {plural('pull', level.pulls)} of {pull}"
