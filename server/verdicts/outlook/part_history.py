"""How a part did wherever it was used: its setups, and what they made over the range of their programme."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from django.db.models import Prefetch, Q

from engines.models import Part
from programmes.models import Programme, Setup
from shop.models import Person
from verdicts.models import SetupResult
from verdicts.results import service as results
from verdicts.results.pairs import Pairs

NOTHING = "No pull is accepted yet. Make a pull at the stand, and accept it."
WAITING = "Its result is being worked out. Look again in a minute."


@dataclass(frozen=True)
class PartUse:
    """One setup that held the part. Torque in N·m; the change is a share, None where there is none.

    It is against the setup that differs in this part alone where there is one, else against the baseline.
    """

    programme: Programme
    setup: Setup
    pulls: int
    low_rpm: float
    high_rpm: float
    torque: float | None
    change: float | None
    low: float | None
    high: float | None
    state: str
    other_changes: int  # parts beside this one in which the setup differs from the baseline
    why_not: str
    against: str = ""  # letter of the setup that it is held against
    made_of: str = ""  # in words, what of its pulls is not recorded from an engine
    ran_at: datetime | None = None


def uses(person: Person, part: Part) -> list[PartUse]:
    """Every setup that held the part, the newest programme first, with the outcome where there is one; also under the
    other records of it that are linked with this one."""
    return uses_of(person, [part])[part.pk]


def uses_of(person: Person, parts: Sequence[Part]) -> dict[int, list[PartUse]]:
    """The same by part, in as many queries as for one."""
    originals = {part.pk: part.same_as_id or part.pk for part in parts}
    family = set(originals.values())
    records: dict[int, list[Part]] = {}
    for record in Part.objects.filter(Q(pk__in=family) | Q(same_as__in=family)):
        records.setdefault(record.same_as_id or record.pk, []).append(record)
    every = [record for of_one in records.values() for record in of_one]
    holding = Setup.objects.filter(parts__in=every)
    seen = Programme.objects.visible_to(person).filter(pk__in=holding.values("programme"))
    setups = Prefetch("setups", Setup.objects.prefetch_related("parts"))
    programmes = list(seen.select_related("build__engine").prefetch_related(setups))
    found = results.results_of([programme.pk for programme in programmes])
    stored = SetupResult.objects.filter(result__in=found.of.values()).select_related("result").defer("curve")
    rows = {one.setup_id: one for one in stored}
    pairs = Pairs.of(found.of.values())
    return {
        pk: [
            _use(programme, setup, record, rows.get(setup.pk), pairs, _why_not(found, programme))
            for programme in programmes for record in records.get(original, ()) for setup in programme.setups.all()
            if record in setup.parts.all()
        ]
        for pk, original in originals.items()
    }  # fmt: skip


def _why_not(found: results.Results, programme: Programme) -> str:
    if programme.pk in found.of:
        return found.of[programme.pk].why_not
    return WAITING if programme.pk in found.waiting else NOTHING


def _use(programme: Programme, setup: Setup, part: Part, row: SetupResult | None, pairs: Pairs, why: str) -> PartUse:
    setups = list(programme.setups.all())
    baseline = next((one for one in setups if one.is_baseline), None)
    beside = _beside(setup, baseline, part) if baseline else 0
    if row is None:
        ends = programme.low_rpm, programme.high_rpm
        return PartUse(programme, setup, 0, *ends, None, None, None, None, "", beside, why)
    gain, against = pairs.gain(setup, baseline), baseline
    if not setup.is_baseline and beside:
        for other in setups:
            alone = other.pk != setup.pk and part not in other.parts.all() and not _beside(setup, other, part)
            if alone and (pair := pairs.gain(setup, other)) is not None:
                gain, against, beside = pair, other, 0
                break
    return PartUse(
        programme, setup, row.pulls, row.result.low_rpm or programme.low_rpm, row.result.high_rpm or programme.high_rpm,
        row.torque, None if gain is None else gain.change, None if gain is None else gain.low,
        None if gain is None else gain.high, "" if gain is None else gain.state(programme.smallest_difference), beside,
        "", "" if gain is None or against is None else against.letter, row.made_of,
        row.result.ran_at,
    )  # fmt: skip


def _beside(setup: Setup, reference: Setup, part: Part) -> int:
    """How many parts beside this one, and what it took the place of, two setups differ in."""
    others = {one.pk for one in setup.parts.all()} ^ {one.pk for one in reference.parts.all()}
    replaced = {one.pk for one in reference.parts.all() if one.slot == part.slot}
    return len(others - {part.pk} - replaced)
