"""The verdict: the ranking for a duty, whether it holds, a stepwise build, and what parts are worth in their slots."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router, Schema
from torvix_core.judging import gearing, ladder, slot_effects
from torvix_core.judging.design import NOTHING
from torvix_core.judging.duty import Preset
from torvix_core.judging.effects import Difference
from torvix_core.judging.representative_pull import LABELS
from torvix_core.units import quantities

from curves.pull_log.api import standard_asked
from programmes.models import Programme, ProgrammeKind
from programmes.plan.confounding import names_of
from shop.permissions import is_person, units_of
from shop.refusals import Invalid
from verdicts.access import programme_of
from verdicts.comparison.aligned_pulls import COUNTINGS
from verdicts.judging import answers, robustness
from verdicts.judging import choice as choices
from verdicts.judging import service as judging
from verdicts.judging.answers import DifferenceOut, Verdict
from verdicts.judging.choice import Choice, ScoreMeasure

router = Router(tags=["verdicts"])


class ChoiceIn(Schema):
    """What is judged and how; what is empty is left to the programme."""

    standard: str = ""
    school: str = ""
    measure: str = ""
    duty: str = ""
    points: str = ""
    low: float | None = None
    high: float | None = None
    account_for: str = ""
    counting: str = ""

    def read(self, programme: Programme) -> Choice:
        """The choice. Invalid names what cannot be used."""
        try:
            wanted = ScoreMeasure(self.measure or ScoreMeasure.TORQUE)
            preset = Preset(self.duty) if self.duty else None
        except ValueError as error:
            raise Invalid("There is no such duty or measure.", fields={
                "duty": f"one of {', '.join(Preset)}", "measure": f"one of {', '.join(ScoreMeasure)}",
            }) from error  # fmt: skip
        return Choice(
            standard_asked(programme, self.standard), judging.school_of(self.school), wanted,
            Preset.DRAWN if self.points else preset, choices.read_points(self.points) if self.points else (), self.low,
            self.high, tuple(name for name in self.account_for.split(",") if name), judging.counting_of(self.counting),
        )  # fmt: skip


class VariationOut(Schema):
    """Another way to judge: who is best then (`called`: a winner), and whether the choice held."""

    kind: str
    label: str
    level_ids: list[int]
    held: bool
    called: bool
    why_not: str


class Robustness(Schema):
    sentence: str
    variations: list[VariationOut]


class VerdictChoices(Schema):
    schools: dict[str, str]
    measures: dict[str, str]
    countings: dict[str, str]


class GearsIn(Schema):
    ratios: list[float]
    shift_rpm: float
    launch_rpm: float


class GearsOut(Schema):
    points: list[list[float]]


class RungOut(Schema):
    setup_id: int
    before_id: int
    gain: DifferenceOut | None
    cumulative: DifferenceOut | None
    smaller: bool
    cost: float | None
    cost_per_torque: float | None
    cost_per_power: float | None
    changes: list[str]


class PartnerOut(Schema):
    one_id: int
    other_id: int
    percent: float
    low_percent: float
    high_percent: float
    wash: bool


class SlotEffectOut(Schema):
    slot: str
    one: str
    other: str
    standing: str
    together: list[str]
    percent: float | None
    low_percent: float | None
    high_percent: float | None
    pairs: list[PartnerOut]
    interacts: bool


class StepwiseOut(Schema):
    """A build step by step, and what each part is worth in its slot."""

    stepwise: bool
    torque_unit: str
    power_unit: str
    rungs: list[RungOut]
    slots: list[SlotEffectOut]
    notes: list[str]


@router.get("/verdict-choices", response=VerdictChoices, operation_id="verdict_choices")
def read_choices(request: HttpRequest):
    return VerdictChoices(
        schools={str(key): label for key, label in LABELS.items()},
        measures={str(key): label for key, label in choices.MEASURES.items()},
        countings={str(key): label for key, label in COUNTINGS.items()},
    )


@router.post("/duty-of-gears", response=GearsOut, operation_id="duty_of_gears")
def duty_of_gears(request: HttpRequest, given: GearsIn):
    """The duty of an acceleration through the gears."""
    try:
        found = gearing.through_the_gears(given.ratios, given.shift_rpm, given.launch_rpm)
    except ValueError as error:
        raise Invalid(f"The gears cannot be used: {error}.", fields={"ratios": str(error)}) from error
    return GearsOut(points=[list(point) for point in found.points])


@router.get("/programmes/{programme_id}/verdict", response=Verdict, operation_id="verdict")
def read_verdict(request: HttpRequest, programme_id: int, given: Query[ChoiceIn]):
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    return answers.out(request.user, answers.answer(request.user, programme, given.read(programme)))


@router.get("/programmes/{programme_id}/robustness", response=Robustness, operation_id="robustness")
def read_robustness(request: HttpRequest, programme_id: int, given: Query[ChoiceIn]):
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
):  # fmt: skip
    """The build as a ladder, and main effects of the slots with what cannot be told apart."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    choice = ChoiceIn(standard=standard, school=school, duty=duty, counting=counting).read(programme)
    found, units = answers.answer(request.user, programme, choice), units_of(request.user)
    plan, setups = found.plan, found.comparison.setups
    place_of = {setup.pk: place for place, setup in enumerate(setups)}
    levels = {one.pk: one.levels() for one in plan.setups if one.pk}
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
        _rung(found, rung, units, _changed(full[rung.before], full[rung.setup], names))
        for rung in ladder.climb(fitted, steps, found.comparison.baseline, smallest)
    ]
    effects = slot_effects.slot_effects(fitted, full)
    return StepwiseOut(
        stepwise=programme.kind == ProgrammeKind.STEPWISE,
        torque_unit=units["torque"],
        power_unit=units["power"],
        rungs=rungs,
        slots=[_slot(one, [setup.pk for setup in setups], names, smallest) for one in effects],
        notes=[
            "A part fitted early may be worth more on the finished engine: take it off again at the end to see.",
            "Main effects take the slots to add up; intervals hold for all questions of the table together.",
        ],
    )


def _changed(before: dict[str, str], after: dict[str, str], names: dict[str, str]) -> list[str]:
    return [f"{names.get(key, key)}: {after[key] or 'nothing'}" for key in after if before.get(key) != after[key]]


def _rung(found: answers.WorkedVerdict, rung: ladder.Rung, units: dict[str, str], changes: list[str]) -> RungOut:
    judged, setups = found.judged, found.comparison.setups
    smallest, unit = found.comparison.programme.smallest_difference, units["torque"]
    mine, before = found.beside.get(setups[rung.setup].pk), found.beside.get(setups[rung.before].pk)
    cost = None
    if mine and before and mine.known_cost is not None and before.known_cost is not None:
        cost = mine.known_cost - before.known_cost
    clear = rung.gain is not None and not bool(rung.gain.is_wash(smallest)) and float(rung.gain.change) > 0

    def per(values: list[float], kind: str) -> float | None:
        more = float(quantities.difference_from_si(values[rung.setup] - values[rung.before], units[kind]))
        return cost / more if cost and cost > 0 and clear and more > 0 else None

    base = found.comparison.baseline
    return RungOut(
        setup_id=setups[rung.setup].pk, before_id=setups[rung.before].pk,
        gain=answers.difference_out(rung.gain, float(judged.torque[rung.before]), unit, smallest),
        cumulative=None if rung.setup == base else answers.difference_out(
            rung.cumulative, float(judged.torque[base]), unit, smallest
        ),
        smaller=rung.smaller, cost=cost, cost_per_torque=per(judged.torque.tolist(), "torque"),
        cost_per_power=per(judged.power.tolist(), "power"), changes=changes,
    )  # fmt: skip


def _slot(one: slot_effects.SlotEffect, keys: list[int], names: dict[str, str], smallest: float) -> SlotEffectOut:
    asked = one.answer.question

    def percent(share: float | None) -> float | None:
        return None if share is None else share * 100

    def partner(first: int, second: int, found: Difference) -> PartnerOut:
        return PartnerOut(
            one_id=keys[first], other_id=keys[second], percent=float(found.change) * 100,
            low_percent=float(found.low) * 100, high_percent=float(found.high) * 100,
            wash=bool(found.is_wash(smallest)),
        )  # fmt: skip

    return SlotEffectOut(
        slot=names.get(asked.slot, asked.slot), one=asked.one or "nothing", other=asked.other or "nothing",
        standing=one.answer.standing, together=[names.get(slot, slot) for slot in one.answer.together],
        percent=percent(one.change), low_percent=percent(one.low), high_percent=percent(one.high),
        pairs=[partner(*pair) for pair in one.pairs], interacts=one.interacts,
    )  # fmt: skip
