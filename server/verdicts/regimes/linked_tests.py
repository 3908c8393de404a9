"""Other tests of the same engine on the map of a grid: what shares a setup with it is linked like another day.

Only what differs in the grid's own rows is taken over: a test with another header, fuel or way of mixture is another
engine for this purpose. Rankings at one level stay with the test itself.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from django.db.models import Exists, OuterRef
from torvix_core.judging.design_matrix import Layout
from torvix_core.pull import comparability
from torvix_core.pull.comparability import ComparabilityLevel
from torvix_core.pull.curve import shared_grid
from torvix_core.units.grammar import counted

from curves.comparability.pull_screening import configurations, facts_of, windows_of
from curves.reduction.correct import CorrectedPull
from curves.reduction.nature import nature_of
from programmes.models import Programme, Setup
from programmes.plan.grids import PlanGrid
from programmes.plan.plans import PLAN_ROWS, Plan, PlannedSetup, of_programme
from shop.models import Person
from stand.models import Pull, Standing
from verdicts.comparison.aligned_pulls import Comparison, NothingKept, compare
from verdicts.prior import known_scatter

MOST_TESTS = 6  # the newest that share a setup; each is read and corrected like the test itself
SAME_VALUE = 1e-3  # of a setting typed in another unit

Factors = frozenset[tuple[str, str]]


@dataclass(frozen=True)
class LinkedTests:
    """A comparison with the pulls of other tests; `plan` has the setups of all of them, those of the test first."""

    comparison: Comparison
    plan: Plan
    others: tuple[Programme, ...] = ()
    notes: tuple[str, ...] = ()


def with_other_tests(
    person: Person, comparison: Comparison, plan: Plan, grid: PlanGrid, low_rpm: float, high_rpm: float
) -> LinkedTests:
    """The comparison with all pulls of tests of this engine that share a setup of the grid with it.

    A test whose pulls do not span the range judged is left as it is, and named.
    """
    pulled = {setup.pk for setup in comparison.setups}
    if not any(setup.pk in pulled for setup in grid.setups):
        return LinkedTests(comparison, plan)  # of the grid itself nothing counts: nothing can be linked with it
    merged = _Merged(comparison, plan, grid)
    taken: list[Programme] = []
    notes: list[str] = []
    candidates = _candidates(person, comparison.programme, merged)
    if len(candidates) > MOST_TESTS:
        notes.append(f"{len(candidates)} tests share a setup with this one; the newest {MOST_TESTS} stand here.")
    for other, of_other in candidates[:MOST_TESTS]:
        try:
            theirs = compare(other, comparison.standard, comparison.counting)
        except NothingKept:
            continue
        rows = merged.comparable(theirs, of_other)
        if not any(of_other[theirs.setups[setup].pk] in merged.run for setup in theirs.setup_of[rows]):
            continue
        speed = shared_grid([theirs.kept[row].speed_rpm for row in rows], [theirs.kept[row].torque for row in rows])[0]
        if not len(speed) or speed[0] > low_rpm or speed[-1] < high_rpm:
            notes.append(f'"{other.question}" was run over other speeds, and does not stand on this map.')
            continue
        merged.take(theirs, rows, of_other)
        taken.append(other)
        notes.append(
            f'{counted(len(rows), "pull")} of "{other.question}" stand here too: the same engine, linked through a '
            "setup that both tests ran."
        )
        if other.build_id != comparison.programme.build_id:
            notes.append(f'"{other.question}" was run on another revision of the engine.')
    if not taken:
        return LinkedTests(comparison, plan, notes=tuple(notes))
    return LinkedTests(merged.comparison(taken), replace(plan, setups=merged.planned), tuple(taken), tuple(notes))


def _candidates(
    person: Person, programme: Programme, merged: _Merged
) -> list[tuple[Programme, dict[int, Factors]]]:  # fmt: skip
    """Tests that share a setup and bring others of the grid, newest first, with what each setup of theirs is."""
    accepted = Pull.objects.filter(session__programme=OuterRef("pk"), standing=Standing.ACCEPTED)
    tests = (
        Programme.objects.visible_to(person)
        .filter(
            Exists(accepted), build__engine=programme.build.engine_id, archived_at=None,
            mixture_policy=programme.mixture_policy, boost_school=programme.boost_school,
        )
        .exclude(pk=programme.pk)
        .select_related("build", "day_rules")
        .prefetch_related(*PLAN_ROWS)
        .order_by("-created_at")
    )  # fmt: skip
    found = []
    for other in tests:
        theirs = merged.read(of_programme(other))
        if merged.run & set(theirs.values()):
            found.append((other, theirs))
    return found


class _Merged:
    """The setups and pulls of a test with those of others, as they are taken over one by one."""

    def __init__(self, comparison: Comparison, plan: Plan, grid: PlanGrid) -> None:
        self.own, self.own_plan = comparison, plan
        self._crossed = {*grid.grid.part_slots, grid.grid.level_slot}
        self._level_slot = grid.grid.level_slot
        self._levels = dict(zip(grid.grid.levels, grid.level_values, strict=True))
        factors = [frozenset(plan.factors(setup).items()) for setup in grid.setups]
        self._baseline = self._uncrossed(dict(factors[0]))
        pks = {setup.pk for setup in comparison.setups}
        self.run = {one for one, setup in zip(factors, grid.setups, strict=True) if setup.pk in pks}
        self.planned = list(plan.setups)
        self._setup_of = {
            one: setup.pk for one, setup in zip(factors, grid.setups, strict=True) if setup.pk is not None
        }
        self._setups: list[Setup] = list(comparison.setups)
        self._parts = [(comparison.kept, comparison.layout.setup, comparison.layout.session, comparison.layout.place)]
        anchor = next(row for row, one in enumerate(comparison.kept) if one.pull.setup_id in self._setup_of.values())
        found = comparison.kept[anchor]
        configured = configurations(comparison.programme).get(found.pull.setup_id, {})
        self._anchor, self._windows = (
            facts_of(comparison.programme, found, configured),
            windows_of(comparison.programme),
        )
        self._natures = {nature_of(one.pull) for one in comparison.kept}
        self._planned_others: dict[Factors, PlannedSetup] = {}

    def _uncrossed(self, factors: Mapping[str, str]) -> Factors:
        return frozenset((row, level) for row, level in factors.items() if row not in self._crossed)

    def read(self, theirs: Plan) -> dict[int, Factors]:
        """By setup, what it is in the words of this test; only setups that belong to the grid."""
        found = {}
        for place in theirs.active:
            setup = theirs.setups[place]
            factors = theirs.factors(setup)
            if self._level_slot in factors:
                factors[self._level_slot] = self._same_level(setup, factors[self._level_slot])
            if setup.pk is not None and self._uncrossed(factors) == self._baseline and self._level_slot in factors:
                found[setup.pk] = frozenset(factors.items())
                self._planned_others.setdefault(found[setup.pk], setup)
        return found

    def _same_level(self, setup: PlannedSetup, text: str) -> str:
        """The level as this test writes it, where the value is the same in another unit."""
        setting = setup.settings.get(self._level_slot)
        if setting is None or setting.value is None:
            return text
        return next(
            (own for own, value in self._levels.items()
             if value is not None and abs(value - setting.value) <= SAME_VALUE * abs(value)), text,
        )  # fmt: skip

    def comparable(self, theirs: Comparison, of_theirs: Mapping[int, Factors]) -> list[int]:
        """Rows of another comparison that belong to the grid and may be held against this test but for the day."""
        configured = configurations(theirs.programme)
        rows = []
        for row, found in enumerate(theirs.kept):
            if found.pull.setup_id not in of_theirs or nature_of(found.pull) not in self._natures:
                continue
            facts = facts_of(self.own.programme, found, configured.get(found.pull.setup_id, {}))
            checks = comparability.compare(self._anchor, facts, self._windows, linked=True)
            if all(check.level is not ComparabilityLevel.BLOCK or check.key == "session" for check in checks):
                rows.append(row)
        return rows

    def take(self, theirs: Comparison, rows: Sequence[int], of_theirs: Mapping[int, Factors]) -> None:
        index = {setup.pk: place for place, setup in enumerate(self._setups)}
        places = []
        for row in rows:
            setup = theirs.setups[theirs.setup_of[row]]
            one = of_theirs[setup.pk]
            if one not in self._setup_of:
                self._setup_of[one] = setup.pk
                self.planned.append(replace(self._planned_others[one], based_on=None))
            own = self._setup_of[one]
            if own not in index:
                index[own] = len(self._setups)
                self._setups.append(setup)
            places.append(index[own])
        kept: list[CorrectedPull] = [theirs.kept[row] for row in rows]
        first = 1 + max(int(part[2].max()) for part in self._parts)
        self._parts.append((kept, np.array(places), first + theirs.layout.session[rows], theirs.layout.place[rows]))

    def comparison(self, others: Sequence[Programme]) -> Comparison:
        kept = [one for part in self._parts for one in part[0]]
        setup, session, place = (np.concatenate([part[column] for part in self._parts]) for column in (1, 2, 3))
        session = np.unique(session, return_inverse=True)[1]
        speed, torque = shared_grid([one.speed_rpm for one in kept], [one.torque for one in kept])
        _, power = shared_grid([one.speed_rpm for one in kept], [one.power for one in kept])
        # What was known of scatter before the first of them: later history has these pulls in it already.
        first = min((self.own.programme, *others), key=lambda one: one.created_at)
        return replace(
            self.own, setups=self._setups, kept=kept, layout=Layout(setup, session, place),
            history=known_scatter.history_of(first), speed_rpm=speed, torque=torque, power=power,
        )  # fmt: skip
