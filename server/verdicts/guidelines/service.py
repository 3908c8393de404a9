"""Guidelines and their explanations: who wrote what, and what is out of the lists."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from torvix_core.beyond import deciding
from torvix_core.engine.dimensions import Dimension, Slot
from torvix_core.guidelines.standing import Claimed
from torvix_core.units.quantity_parser import NotUnderstood, read_number, read_quantity

from programmes.models import Programme
from shop.models import Person
from shop.permissions import require_operator, units_of
from shop.refusals import Invalid
from shop.texts import optional
from shop.units import unit_for
from verdicts.models import Explanation, Grade, Guideline, GuidelineMeasure

SMALLEST = {
    GuidelineMeasure.TORQUE: 0.003,
    GuidelineMeasure.PEAK_SPEED: 50.0,
}  # that matter where nothing is typed [prac]
LEAST_RPM, MOST_RPM = 200.0, 25_000.0


@dataclass(frozen=True)
class GuidelineTexts:
    """A guideline as it was typed; `smallest` in per cent or rpm, speeds empty for the whole range of each test."""

    statement: str
    slot: str
    variable: str
    step: str
    measure: str
    claimed: str
    smallest: str = ""
    low_rpm: str = ""
    high_rpm: str = ""
    engine_words: str = ""


def variables_of(slot: str) -> tuple[Dimension, ...]:
    """What can decide for a kind of part; none for what is no kind."""
    return deciding.variables(Slot(slot)) if slot in list(Slot) else ()


def variable_of(guideline: Guideline) -> Dimension:
    return next(one for one in variables_of(guideline.slot) if one.key == guideline.variable)


def write(person: Person, given: GuidelineTexts, at: datetime, guideline: Guideline | None = None) -> Guideline:
    """A new guideline, or an older one written anew. Invalid names every field that is not understood."""
    require_operator(person)
    wrong: dict[str, str] = {}
    found = guideline or Guideline()
    found.statement = optional(given.statement, "statement", 300)
    if not found.statement:
        wrong["statement"] = "say in a sentence what more of it does"
    dimension = next((one for one in variables_of(given.slot) if one.key == given.variable), None)
    if dimension is None:
        field = "variable" if variables_of(given.slot) else "slot"
        raise Invalid("There is no such variable.", fields={**wrong, field: "choose one of the list"})
    found.slot, found.variable = given.slot, given.variable
    if given.measure not in GuidelineMeasure.values or given.claimed not in list(Claimed):
        raise Invalid("There is no such figure.", fields={**wrong, "claimed": "choose one of the list"})
    found.measure, found.claimed = given.measure, given.claimed
    found.step = _step(person, dimension, given.step, wrong)
    found.step_text = given.step.strip()[:40]
    found.smallest = _smallest(GuidelineMeasure(found.measure), given.smallest, wrong)
    found.low_rpm, found.high_rpm = _range(given, GuidelineMeasure(found.measure), wrong)
    found.engine_words = optional(given.engine_words, "engine_words", 80)
    if wrong:
        raise Invalid("The guideline is not complete: see the fields.", fields=wrong)
    found.written_by, found.written_at = person, at
    found.save()
    return found


def _step(person: Person, dimension: Dimension, text: str, wrong: dict[str, str]) -> float:
    try:
        if not dimension.is_quantity:
            return read_number(text, 1e-6, dimension.high)
        unit = unit_for(dimension.figure, dimension.unit, units_of(person))
        value = read_quantity(text, dimension.measure, unit, 0.0, dimension.high).value
        if value > 0:
            return float(value)
        wrong["step"] = "must be above zero"
    except NotUnderstood as reason:
        wrong["step"] = str(reason)
    return 1.0


def _smallest(measure: GuidelineMeasure, text: str, wrong: dict[str, str]) -> float:
    if not text.strip():
        return SMALLEST[measure]
    try:
        if measure is GuidelineMeasure.PEAK_SPEED:
            return read_quantity(text, "speed", "rpm", 1.0, 5000.0).value
        return read_quantity(text, "fraction", "%", 0.0001, 0.5).value
    except NotUnderstood as reason:
        wrong["smallest"] = str(reason)
    return SMALLEST[measure]


def _range(
    given: GuidelineTexts, measure: GuidelineMeasure, wrong: dict[str, str]
) -> tuple[float, float] | tuple[None, None]:
    if measure is GuidelineMeasure.PEAK_SPEED or not (given.low_rpm.strip() or given.high_rpm.strip()):
        return None, None
    ends = []
    for field, text in (("low_rpm", given.low_rpm), ("high_rpm", given.high_rpm)):
        try:
            ends.append(read_quantity(text, "speed", "rpm", LEAST_RPM, MOST_RPM).value)
        except NotUnderstood as reason:
            wrong[field] = str(reason)
    if len(ends) < 2:
        return None, None
    if ends[1] < ends[0] + 200:
        wrong["high_rpm"] = "must be at least 200 rpm above the lower end"
    return ends[0], ends[1]


def explain(
    person: Person, guideline: Guideline, text: str, grade: str, programme: Programme | None, separated_by: str,
    at: datetime,
) -> Explanation:  # fmt: skip
    """One more explanation beside those that there are. What counts as measured names the test that measured it."""
    require_operator(person)
    plain = optional(text, "text", 500)
    wrong: dict[str, str] = {}
    if not plain:
        wrong["text"] = "say what may be behind it"
    if grade not in Grade.values:
        wrong["grade"] = f"one of {', '.join(Grade.labels).lower()}"
    if grade == Grade.MEASURED and programme is None:
        wrong["programme_id"] = "name the test that measured it, or call it inferred"
    if wrong:
        raise Invalid("The explanation is not complete: see the fields.", fields=wrong)
    return Explanation.objects.create(
        guideline=guideline, text=plain, grade=grade, programme=programme if grade == Grade.MEASURED else None,
        separated_by=optional(separated_by, "separated_by", 300), written_by=person, written_at=at,
    )  # fmt: skip


def withdraw(person: Person, explanation: Explanation, withdrawn: bool, at: datetime) -> None:
    """It stays on record, crossed out; and may be brought back."""
    require_operator(person)
    explanation.withdrawn_at = at if withdrawn else None
    explanation.save(update_fields=["withdrawn_at"])


def archive(person: Person, guideline: Guideline, archived: bool, at: datetime) -> None:
    require_operator(person)
    guideline.archived_at = at if archived else None
    guideline.save(update_fields=["archived_at"])
