"""What a tick of the list measures before an engine is turned: clearances and cam phases, and what they may be.

The least values and the tolerance are common practice, no source. A build sheet may ask for more, never for less. Only
the owner goes past them, with a reason that is kept; nobody goes past a valve that touches.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from torvix_core.engine.camshaft import BANK_TOLERANCE, LEAST_CLEARANCE
from torvix_core.units import quantities
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity

from engines.models import Build
from engines.sheet import sheets
from shop.models import Person, Role
from shop.permissions import units_of
from shop.refusals import Invalid
from stand.models import Asks

ON_THE_SHEET = {"intake": "least_intake_clearance", "exhaust": "least_exhaust_clearance"}
TOUCHES = 0.0002  # m, less than what clay and a dial tell apart from contact [prac]
CLEARANCE_RANGE = (0.0, 0.02)  # m
PHASE_RANGE = (70.0, 150.0)  # intake centerline, degrees of crank after top dead center
BANKS = ("left", "right")


@dataclass
class TickMeasurements:
    """What was read, what of it cannot be read, and what is out of bounds; by field."""

    values: dict[str, float] = field(default_factory=dict)
    unreadable: dict[str, str] = field(default_factory=dict)
    out: dict[str, str] = field(default_factory=dict)
    never: bool = False  # out of bounds beyond what anybody may go past


def read(person: Person, build: Build, asks: str, measured: Mapping[str, str], reason: str) -> dict[str, float]:
    """Values in m or degrees of crank. Invalid names the fields; `reason` is the owner's for going past a bound."""
    found = _clearances(person, build, measured) if asks == Asks.CLEARANCE else _phases(measured)
    if found.unreadable or found.never:
        raise Invalid("Not usable: see the fields.", fields=found.out | found.unreadable)
    if found.out and not reason:
        how = "Override it with a reason." if person.role == Role.OWNER else "Only the owner can override this."
        raise Invalid(f"Do not turn the engine. {how}", code="out_of_bounds", fields=found.out)
    if found.out and person.role != Role.OWNER:
        raise Invalid("Only the owner can override this.", code="out_of_bounds", fields=found.out)
    return found.values


def _clearances(person: Person, build: Build, measured: Mapping[str, str]) -> TickMeasurements:
    unit, found = units_of(person)["length"], TickMeasurements()
    for side, usual in LEAST_CLEARANCE.items():
        try:
            value = read_quantity(measured.get(side, ""), "length", unit, *CLEARANCE_RANGE).value
        except NotUnderstood as reason:
            found.unreadable[side] = str(reason)
            continue
        found.values[side] = value
        sheet = sheets.value(build, ON_THE_SHEET[side])
        least = max(usual, sheet or 0.0)
        if value < TOUCHES:
            found.out[side], found.never = "the valve touches the piston", True
        elif value < least - 1e-9:
            whose = "on the build sheet" if sheet is not None and sheet >= usual else "by common practice"
            found.out[side] = f"below the least of {quantities.words(least, unit)} {whose}"
    return found


def _phases(measured: Mapping[str, str]) -> TickMeasurements:
    """The right bank may be left out: an engine may have one."""
    found = TickMeasurements()
    for bank in BANKS:
        text = measured.get(bank, "")
        if bank == "right" and not text.strip():
            continue
        try:
            found.values[bank] = read_quantity(text, "angle", "°", *PHASE_RANGE).value
        except NotUnderstood as reason:
            found.unreadable[bank] = str(reason)
    apart = abs(found.values.get("left", 0.0) - found.values.get("right", found.values.get("left", 0.0)))
    if apart > BANK_TOLERANCE + 1e-9:
        found.out["right"] = f"{apart:.1f}° from the left bank; at most {BANK_TOLERANCE:g}° by common practice"
    return found
