"""Theories that compete: what separates each two of them, and the swap that separates most for least work."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations

from torvix_core.planning import changeover, theory_separation
from torvix_core.planning.theory_separation import Separation
from torvix_core.units.speed_region import SpeedRegion

from engines.models import Part
from programmes.models import Prediction, Programme, Setup, Theory
from programmes.plan import criteria
from programmes.plan.plans import Plan, PlannedSetup
from programmes.plan.saving import plan_in_force
from shop.models import Person
from verdicts.prior.measure_scatter import histories
from verdicts.prior.scatter_history import scatter_of


@dataclass(frozen=True)
class Case:
    """What theories speak of: a figure, over some speeds, of a setup or of a part at hand in the baseline."""

    setup: Setup | None
    part: Part | None
    measure: str
    region: SpeedRegion


@dataclass(frozen=True)
class TheorySeparation:
    """Two theories on one case; `minutes` for the change there and back and the pulls, None where no day has enough."""

    one: Theory
    other: Theory
    case: int
    found: Separation
    minutes: float | None


@dataclass(frozen=True)
class SeparatingSwap:
    """The case that separates most pairs of theories, the quickest of these; `replaces` are parts that come off."""

    case: int
    pairs: int
    pulls: int
    minutes: float
    replaces: tuple[str, ...] = ()


@dataclass(frozen=True)
class Theories:
    theories: Sequence[Theory]
    cases: Sequence[Case]
    separations: Sequence[TheorySeparation]
    fails: dict[int, list[str]]  # by case: why a part may not be swapped in
    swap: SeparatingSwap | None

    def prediction(self, theory: Theory, case: int) -> Prediction | None:
        return next((one for one in theory.predictions.all() if case_of(one) == self.cases[case]), None)


def case_of(prediction: Prediction) -> Case:
    region = SpeedRegion(prediction.low_rpm, prediction.high_rpm)
    return Case(prediction.setup, prediction.part, prediction.measure, region)


def theories_of(person: Person, programme: Programme) -> Theories:
    """Needs theories with predictions, and their setups and parts."""
    held = list(programme.theories.all())
    cases = list(dict.fromkeys(case_of(one) for theory in held for one in theory.predictions.all()))
    if len(held) < 2 or not cases:
        return Theories(held, cases, (), {}, None)
    plan = plan_in_force(programme)
    known = histories(programme, [(case.measure, case.region) for case in cases], scatter_of(programme))
    fails = _fails(person, programme, plan, cases)
    of_case = [known[case.measure, case.region] for case in cases]
    minutes = [_change_minutes(plan, case) for case in cases]

    def ranges(theory: Theory) -> list[theory_separation.Range | None]:
        found = {case_of(one): (one.low, one.high) for one in theory.predictions.all()}
        return [found.get(case) for case in cases]

    separated = []
    for one, other in combinations(held, 2):
        for found in theory_separation.separations(ranges(one), ranges(other), of_case):
            cost = None
            if found.pulls is not None and found.case not in fails:
                cost = minutes[found.case] + 2 * found.pulls * plan.times.one_pull_min
            separated.append(TheorySeparation(one, other, found.case, found, cost))
    separated.sort(key=lambda each: (each.minutes is None, each.minutes or 0.0, -each.found.apart))
    return Theories(held, cases, separated, fails, _swap(separated, cases, plan))


def _swap(separated: Sequence[TheorySeparation], cases: Sequence[Case], plan: Plan) -> SeparatingSwap | None:
    by_case: dict[int, list[TheorySeparation]] = {}
    for one in separated:
        if one.minutes is not None:
            by_case.setdefault(one.case, []).append(one)
    offers = []
    for case, ones in by_case.items():
        pulls, minutes = max(one.found.pulls or 0 for one in ones), max(one.minutes or 0.0 for one in ones)
        part = cases[case].part
        off = tuple(one.name for one in plan.setups[0].parts if part is not None and one.slot == part.slot)
        offers.append(SeparatingSwap(case, len(ones), pulls, minutes, off))
    return min(offers, key=lambda one: (-one.pairs, one.minutes), default=None)


def _swapped(plan: Plan, part: Part) -> list[Part]:
    """The baseline's parts with this one in its slot."""
    return [*(one for one in plan.setups[0].parts if one.slot != part.slot), part]


def _fails(person: Person, programme: Programme, plan: Plan, cases: Sequence[Case]) -> dict[int, list[str]]:
    """By case, the limits of the test that its part or setup does not keep."""
    parts = list(dict.fromkeys(case.part for case in cases if case.part is not None))
    more = [PlannedSetup(part.name, _swapped(plan, part)) for part in parts]
    failing = criteria.failing(replace(plan, setups=[*plan.setups, *more]), programme.build, person)
    place_of = {setup.pk: place for place, setup in enumerate(plan.setups)}
    found = {}
    for at, case in enumerate(cases):
        if case.part is not None:
            place: int | None = len(plan.setups) + parts.index(case.part)
        else:
            place = place_of.get(case.setup.pk) if case.setup is not None else None
        if place is not None and (reasons := failing.get(place)):
            found[at] = reasons
    return found


def _change_minutes(plan: Plan, case: Case) -> float:
    """From the baseline to the case and back."""
    baseline = plan.setups[0].levels()
    if case.part is not None:
        there = {**baseline, case.part.slot: case.part.name}
    else:
        assert case.setup is not None
        there = next((setup.levels() for setup in plan.setups if setup.pk == case.setup.pk), baseline)
    works = plan.works()
    return changeover.minutes(baseline, there, works) + changeover.minutes(there, baseline, works)
