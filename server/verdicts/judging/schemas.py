"""The verdict: the ranking for a duty, whether it holds, a stepwise build, and what parts are worth in their slots."""

from __future__ import annotations

from torvix_core.judging import ladder, slot_effects
from torvix_core.judging.difference import Difference, DifferenceState
from torvix_core.judging.duty import Preset
from torvix_core.units import quantities

from curves.reduction.standard import standard_asked
from programmes.models import Programme
from shop.refusals import Invalid
from shop.schema import Schema
from verdicts.judging import answers
from verdicts.judging import choice as choices
from verdicts.judging.answers import DifferenceOut
from verdicts.judging.choice import Choice, ScoreMeasure


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
    healthy_only: bool = False

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
            standard_asked(programme, self.standard), choices.school_of(self.school), wanted,
            Preset.DRAWN if self.points else preset, choices.read_points(self.points) if self.points else (), self.low,
            self.high, tuple(name for name in self.account_for.split(",") if name), self.healthy_only,
            choices.counting_of(self.counting),
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
    state: str


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


def rung_out(found: answers.WorkedVerdict, rung: ladder.Rung, units: dict[str, str], changes: list[str]) -> RungOut:
    judged, setups = found.judged, found.comparison.setups
    smallest, unit = found.comparison.programme.smallest_difference, units["torque"]
    mine, before = found.beside.get(setups[rung.setup].pk), found.beside.get(setups[rung.before].pk)
    cost = None
    if mine and before and mine.cost.shown is not None and before.cost.shown is not None:
        cost = mine.cost.shown - before.cost.shown
    clear = rung.gain is not None and rung.gain.state(smallest) is DifferenceState.AHEAD

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


def slot_out(one: slot_effects.SlotEffect, keys: list[int], names: dict[str, str], smallest: float) -> SlotEffectOut:
    asked = one.answer.question

    def percent(share: float | None) -> float | None:
        return None if share is None else share * 100

    def partner(first: int, second: int, found: Difference) -> PartnerOut:
        return PartnerOut(
            one_id=keys[first], other_id=keys[second], percent=float(found.change) * 100,
            low_percent=float(found.low) * 100, high_percent=float(found.high) * 100,
            state=found.state(smallest),
        )  # fmt: skip

    return SlotEffectOut(
        slot=names.get(asked.slot, asked.slot), one=asked.one or "nothing", other=asked.other or "nothing",
        standing=one.answer.standing, together=[names.get(slot, slot) for slot in one.answer.together],
        percent=percent(one.change), low_percent=percent(one.low), high_percent=percent(one.high),
        pairs=[partner(*pair) for pair in one.pairs], interacts=one.interacts,
    )  # fmt: skip
