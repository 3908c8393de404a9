"""The tests that speak of a guideline, found anew whenever it is read: they gather by themselves."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import lru_cache

import numpy as np
from django.db.models import Prefetch
from torvix_core.guidelines.pooling import Pooled, pool
from torvix_core.guidelines.standing import Bearing, Claimed, GuidelineState, speaks, stands

from curves.reduction.nature import Nature
from engines.models import Engine, Part, PartReading
from programmes.models import Programme, Setup
from shop.models import Person
from verdicts.guidelines.one_test import PartValues, TestSays, groups_of, say_of
from verdicts.models import Guideline, PairGain, StoredResult
from verdicts.results import service as results

SAME_RECORDINGS = 0.5  # share of the smaller test's bins that is in another one


@dataclass(frozen=True)
class EngineSays:
    """The tests of one engine together."""

    engine: Engine
    pooled: Pooled
    bearing: Bearing


@dataclass(frozen=True)
class Gathered:
    """All that is known of a guideline. `engines` and `pooled` are of measured pulls alone; printed and simulated
    figures are pooled apart. `unused` are tests that have such parts and say nothing, each with why."""

    person: Person
    guideline: Guideline
    tests: Sequence[TestSays]
    engines: Sequence[EngineSays]
    pooled: Pooled | None
    apart: Mapping[Nature, Pooled]
    state: GuidelineState
    unused: Sequence[tuple[Programme, str]]
    waiting: int  # tests that are still being worked out

    @property
    def counted(self) -> list[TestSays]:
        """Measured, each recording once."""
        return [one for one in self.tests if one.nature is Nature.MEASURED and one.double_of is None]

    def bearing(self, which: Bearing) -> int:
        return sum(one.bearing is which for one in self.counted)

    @property
    def span(self) -> tuple[float, float] | None:
        """Least and most of the variable in what was tested, SI."""
        amounts = [amount for one in self.counted for _, amount in one.setups]
        return (min(amounts), max(amounts)) if amounts else None


def gather(person: Person, guidelines: Sequence[Guideline]) -> list[Gathered]:
    """For each guideline what the tests say that the person may see; in as many queries as for one."""
    slots = {guideline.slot for guideline in guidelines}
    holding = Setup.objects.filter(parts__slot__in=slots, parts__readings__isnull=False)
    seen = Programme.objects.visible_to(person).filter(pk__in=holding.values("programme"), practice=None)
    readings = Prefetch("readings", PartReading.objects.filter(part__slot__in=slots))
    setups = Setup.objects.prefetch_related("settings", Prefetch("parts", Part.objects.prefetch_related(readings)))
    tests = list(seen.select_related("build__engine").prefetch_related(Prefetch("setups", setups)).order_by("pk"))
    found = results.results_of([test.pk for test in tests])
    gains: dict[int, dict[tuple[int, int], PairGain]] = {}
    rows = PairGain.objects.filter(result__in=found.of.values())
    if all(guideline.low_rpm is None for guideline in guidelines):
        rows = rows.defer("change_by_speed", "half_width_by_speed")
    for row in rows:
        gains.setdefault(row.result_id, {})[row.setup_id, row.against_id] = row
    doubles = _doubles(tuple((result.pk, result.made_at) for result in found.of.values()))
    by_pk = {test.pk: test for test in tests}
    values = PartValues()
    return [_gathered(person, one, tests, found, gains, doubles, by_pk, values) for one in guidelines]


def _gathered(
    person: Person, guideline: Guideline, tests: Sequence[Programme], found: results.Results,
    gains: Mapping[int, Mapping[tuple[int, int], PairGain]], doubles: Mapping[int, int],
    by_pk: Mapping[int, Programme], values: PartValues,
) -> Gathered:  # fmt: skip
    words = guideline.engine_words.lower().split()
    say: list[TestSays] = []
    unused: list[tuple[Programme, str]] = []
    waiting = 0
    for test in tests:
        if any(word not in test.build.engine.name.lower() for word in words):
            continue
        groups = groups_of(guideline, test, values)
        if not groups:
            continue
        result = found.of.get(test.pk)
        if result is None:
            waiting += test.pk in found.waiting
            continue
        for group in groups:
            said = say_of(guideline, test, group, result, gains.get(result.pk, {}), values)
            if isinstance(said, str):
                unused.append((test, said))
            else:
                double = by_pk.get(doubles.get(test.pk, 0))
                say.append(said if double is None else replace(said, double_of=double))
    claimed = Claimed(guideline.claimed)
    measured = [one for one in say if one.nature is Nature.MEASURED and one.double_of is None]
    engines = _engines(measured, claimed, guideline.smallest)
    pooled, apart = _over_engines(engines), {}
    for nature in (Nature.FIGURES, Nature.SIMULATED):
        beside = [one for one in say if one.nature is nature and one.double_of is None]
        known = _over_engines(_engines(beside, claimed, guideline.smallest))
        if known is not None:
            apart[nature] = known
    state = stands(pooled, claimed, guideline.smallest)
    return Gathered(person, guideline, say, engines, pooled, apart, state, unused, waiting)


def _engines(tests: Sequence[TestSays], claimed: Claimed, smallest: float) -> list[EngineSays]:
    by_engine: dict[int, list[TestSays]] = {}
    for one in tests:
        by_engine.setdefault(one.engine.pk, []).append(one)
    found = []
    for mine in by_engine.values():
        pooled = pool(np.array([one.effect for one in mine]), np.array([one.error for one in mine]))
        found.append(EngineSays(mine[0].engine, pooled, speaks(pooled.low, pooled.high, claimed, smallest)))
    return found


def _over_engines(engines: Sequence[EngineSays]) -> Pooled | None:
    if not engines:
        return None
    return pool(np.array([one.pooled.mean for one in engines]), np.array([one.pooled.error for one in engines]))


@lru_cache(maxsize=8)
def _doubles(made: tuple[tuple[int, datetime], ...]) -> Mapping[int, int]:
    """Of results as they were made then: by test, an older one that holds the same recordings, or what they were cut
    from. Remembered, as a million marks are compared for a large shop."""
    stored = StoredResult.objects.filter(pk__in=[key for key, _ in made]).order_by("programme")
    fingerprints = dict(stored.values_list("programme", "fingerprint"))
    owners: dict[int, list[int]] = {}
    double: dict[int, int] = {}
    for test, marks in _held_twice(fingerprints).items():
        shared: dict[int, int] = {}
        for mark in marks:
            for owner in owners.get(mark, ()):
                shared[owner] = shared.get(owner, 0) + 1
        for owner, count in shared.items():
            if count >= SAME_RECORDINGS * min(len(fingerprints[test]), len(fingerprints[owner])):
                double[test] = double.get(owner, owner)
                break
        if test in double:
            continue  # what it holds is the older one's
        for mark in marks:
            owners.setdefault(mark, []).append(test)
    return double


def _held_twice(fingerprints: Mapping[int, Sequence[int]]) -> dict[int, list[int]]:
    """Of each test the marks that another test has too: in a shop that never cut a file again, none."""
    if not fingerprints:
        return {}
    every = np.concatenate([np.array(marks, dtype=np.int64) for marks in fingerprints.values()])
    marks, counts = np.unique(every, return_counts=True)
    twice = set(marks[counts > 1].tolist())
    found = {test: [mark for mark in of if mark in twice] for test, of in fingerprints.items()} if twice else {}
    return {test: of for test, of in found.items() if of}
