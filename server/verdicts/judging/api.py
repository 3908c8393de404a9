"""The verdict: the ranking for a duty, whether it holds, a stepwise build, and what parts are worth in their slots."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router
from torvix_core.judging import ladder, slot_effects
from torvix_core.judging.design import NOTHING
from torvix_core.judging.representative_pull import LABELS
from torvix_core.road import gearing

from programmes.models import ProgrammeKind
from programmes.plan.confounding import names_of
from shop.permissions import is_person, units_of
from shop.refusals import Invalid
from verdicts.access import programme_of
from verdicts.comparison.aligned_pulls import COUNTINGS
from verdicts.judging import answers, robustness
from verdicts.judging import choice as choices
from verdicts.judging.answers import Verdict
from verdicts.judging.schemas import (
    ChoiceIn,
    GearsIn,
    GearsOut,
    Robustness,
    StepwiseOut,
    VariationOut,
    VerdictChoices,
    rung_out,
    slot_out,
)

router = Router(tags=["verdicts"])


@router.get("/verdict-choices", response=VerdictChoices, operation_id="verdict_choices")
def read_choices(request: HttpRequest) -> VerdictChoices:
    return VerdictChoices(
        schools={str(key): label for key, label in LABELS.items()},
        measures={str(key): label for key, label in choices.MEASURES.items()},
        countings={str(key): label for key, label in COUNTINGS.items()},
    )


@router.post("/duty-of-gears", response=GearsOut, operation_id="duty_of_gears")
def duty_of_gears(request: HttpRequest, given: GearsIn) -> GearsOut:
    """The duty of an acceleration through the gears."""
    try:
        found = gearing.through_the_gears(given.ratios, given.shift_rpm, given.launch_rpm)
    except ValueError as error:
        raise Invalid(f"The gears cannot be used: {error}.", fields={"ratios": str(error)}) from error
    return GearsOut(points=[list(point) for point in found.points])


@router.get("/programmes/{programme_id}/verdict", response=Verdict, operation_id="verdict")
def read_verdict(request: HttpRequest, programme_id: int, given: Query[ChoiceIn]) -> Verdict:
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    return answers.out(request.user, answers.answer(request.user, programme, given.read(programme)))


@router.get("/programmes/{programme_id}/robustness", response=Robustness, operation_id="robustness")
def read_robustness(request: HttpRequest, programme_id: int, given: Query[ChoiceIn]) -> Robustness:
    """Whether the choice would be the same by other rules."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    found = answers.answer(request.user, programme, given.read(programme))
    tried, setups = robustness.variations(found.judged, found.out), found.comparison.setups
    return Robustness(
        sentence=robustness.sentence(found.judged, tried),
        variations=[
            VariationOut(kind=one.kind, label=one.label, level_ids=[setups[place].pk for place in one.level],
                         held=one.held, called=one.called, why_not=one.why_not)
            for one in tried
        ],
    )  # fmt: skip


@router.get("/programmes/{programme_id}/steps", response=StepwiseOut, operation_id="build_steps")
def read_steps(
    request: HttpRequest, programme_id: int, standard: str = "", school: str = "", duty: str = "", counting: str = ""
) -> StepwiseOut:  # fmt: skip
    """The build as a ladder, and main effects of the slots with what cannot be separated."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    choice = ChoiceIn(standard=standard, school=school, duty=duty, counting=counting).read(programme)
    found, units = answers.answer(request.user, programme, choice), units_of(request.user)
    plan, setups = found.plan, found.comparison.setups
    place_of = {setup.pk: place for place, setup in enumerate(setups)}
    levels = {one.pk: plan.factors(one) for one in plan.setups if one.pk}
    rows = list(dict.fromkeys(key for setup in setups for key in levels.get(setup.pk, {})))
    full = [{key: levels.get(setup.pk, {}).get(key, NOTHING) for key in rows} for setup in setups]
    names = names_of(plan)
    fitted, smallest = found.judged.fitted, programme.smallest_difference
    built_on = {one.pk: plan.setups[one.based_on].pk for one in plan.setups if one.based_on is not None}
    steps = []
    for place, setup in enumerate(setups):
        if place == found.comparison.baseline:
            continue
        before = place_of.get(built_on.get(setup.pk) or 0, place - 1 if place else 0)
        if before != place:
            steps.append((place, before))
    rungs = [
        rung_out(found, rung, units, _changed(full[rung.before], full[rung.setup], names))
        for rung in ladder.climb(fitted, steps, found.comparison.baseline, smallest)
    ]
    effects = slot_effects.slot_effects(fitted, full)
    return StepwiseOut(
        stepwise=programme.kind == ProgrammeKind.STEPWISE,
        torque_unit=units["torque"],
        power_unit=units["power"],
        rungs=rungs,
        slots=[slot_out(effect, [setup.pk for setup in setups], names, smallest) for effect in effects],
        notes=[
            "A part fitted early may be worth more on the finished engine: take it off again at the end to see.",
            "Main effects assume that part effects add; intervals hold for all questions of the table at once.",
        ],
    )


def _changed(before: dict[str, str], after: dict[str, str], names: dict[str, str]) -> list[str]:
    return [f"{names.get(key, key)}: {after[key] or 'nothing'}" for key in after if before.get(key) != after[key]]
