"""Tests that stay open: what was late, skipped or fell off, what was not reached, what is expected, what it costs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from torvix_core.planning import changeover

from programmes.models import Candidate, Expectation, Programme, ProgrammeKind
from programmes.plan.plans import Plan, of_programme


@dataclass(frozen=True)
class OpenTest:
    """A setup that nobody has pulled. Minutes from the baseline, the pulls, and back to it; price of that time."""

    programme: Programme
    setup_id: int
    letter: str
    position: int
    name: str
    why: str
    expected: Sequence[Expectation]
    minutes: float
    price: float | None


def open_tests(programme: Programme) -> list[OpenTest]:
    """What a programme has not answered. Setups in a running plan that has begun count once others were pulled."""
    plan = of_programme(programme)
    begun = any(setup.pulled for setup in plan.setups)
    visited = {visit.setup for visit in plan.order}
    expected: dict[int, list[Expectation]] = {}
    for setup in programme.setups.all():
        expected[setup.pk] = list(setup.expectations.all())
    found = []
    for place, one in enumerate(plan.setups):
        why = _why(plan, place, begun, place in visited)
        if place and why and not one.pulled:
            minutes = _minutes(plan, place)
            price = plan.times.hour_price
            found.append(OpenTest(
                programme, one.pk or 0, one.letter, one.position, one.name, why, expected.get(one.pk or 0, []), minutes,
                None if price is None else float(price) * minutes / 60,
            ))  # fmt: skip
    return found


def _why(plan: Plan, place: int, begun: bool, visited: bool) -> str:
    setup = plan.setups[place]
    if setup.candidate == Candidate.INELIGIBLE:
        return ""  # it stays listed, but nobody will pull it
    if not setup.is_in:
        return f"{Candidate(setup.candidate).label}: {setup.reason}"
    if not visited:
        return "Did not fit the paid time"
    return "Not pulled yet" if begun else ""


def _return_min(plan: Plan) -> float:
    return plan.times.visit_min(plan.times.return_pulls, first=False)


def _minutes(plan: Plan, place: int) -> float:
    levels, works = plan.levels(), plan.works()
    setup = plan.setups[place]
    base = setup.based_on if plan.kind == ProgrammeKind.STEPWISE and setup.based_on is not None else 0
    there = changeover.minutes(levels[base], levels[place], works)
    back = changeover.minutes(levels[place], levels[0], works)
    return there + plan.times.visit_min(setup.pulls, first=True) + back + _return_min(plan)
