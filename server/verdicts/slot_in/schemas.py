"""A part between tested ones, as it is asked for and as it is answered."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from torvix_core.engine.dimensions import Slot
from torvix_core.units import quantities
from torvix_core.units.grammar import listed

from curves.reduction.nature import Nature
from shop.refusals import Invalid
from shop.schema import Schema
from verdicts.comparison.aligned_pulls import Comparison
from verdicts.estimates.gains import gain_of
from verdicts.estimates.schemas import GainOut, estimated_out, gain_out
from verdicts.judging.choice import Choice
from verdicts.judging.schemas import ChoiceIn
from verdicts.slot_in import messages
from verdicts.slot_in.service import Asked, Between


class SlotInAsked(ChoiceIn):
    """What is empty is left to the test; `family` is a setup of the one that is asked for.

    `without` are setups, with commas between; `values` of a variable of one's own as setup:value, with commas between.
    """

    slot: str = ""
    family: int | None = None
    part_id: int | None = None
    variable: str = ""
    reference: int | None = None
    without: str = ""
    own_name: str = ""
    values: str = ""
    value: str = ""

    def asked(self) -> Asked:
        """Invalid names the field."""
        try:
            slot = Slot(self.slot) if self.slot else None
        except ValueError as error:
            raise Invalid("There is no such kind of part.", fields={"slot": "choose one of the list"}) from error
        wrong: dict[str, str] = {}
        values: dict[int, float] = {}
        out: frozenset[int] = frozenset()
        try:
            values = dict(_pair(pair) for pair in self.values.split(",") if pair)
        except ValueError:
            wrong["values"] = "a number for each part"
        try:
            out = frozenset(int(one) for one in self.without.split(",") if one)
        except ValueError:
            wrong["without"] = "setups by their number"
        try:
            value = float(self.value) if self.value.strip() else None
        except ValueError:
            wrong["value"] = "type a number"
        if wrong or not np.isfinite([*values.values(), value or 0.0]).all():
            raise Invalid("Some figures are not understood.", fields=wrong or {"value": "type a number"})
        return Asked(
            slot, self.family, self.part_id, self.variable, self.reference, out, self.own_name[:80], values, value
        )  # fmt: skip


def _pair(text: str) -> tuple[int, float]:
    setup, value = text.split(":")
    return int(setup), float(value)


class BetweenChoice(Schema):
    value: str
    label: str


class TestedPartOut(Schema):
    """A part that was run; `place` is the deciding variable in words."""

    setup_id: int
    letter: str
    part: str
    place: str
    used: bool


class SlotInOut(Schema):
    """`gains` over the reference: of each tested part, and last the inferred one where it is drawn.

    `refused` says at which field why it is not; `nothing` why there is no test to ask. `torque` is of the inferred
    curve, by the speeds of the last gain.
    """

    nothing: str
    slot: str
    slots: list[BetweenChoice]
    family: str
    families: list[BetweenChoice]
    variable: str
    variables: list[BetweenChoice]
    part_id: int | None
    parts: list[BetweenChoice]
    place: str
    reference: int | None
    tested: list[TestedPartOut]
    gains: list[GainOut]
    torque: list[float]
    torque_low: list[float]
    torque_high: list[float]
    torque_unit: str
    sentence: str
    basis: list[str]
    causes: list[str]
    companions: list[str]
    refused: dict[str, str]


def nothing_out() -> SlotInOut:
    return SlotInOut(
        nothing=messages.NO_FAMILY, slot="", slots=[], family="", families=[], variable="", variables=[], part_id=None,
        parts=[], place="", reference=None, tested=[], gains=[], torque=[], torque_low=[], torque_high=[],
        torque_unit="", sentence="", basis=[], causes=[], companions=[], refused={},
    )  # fmt: skip


def slot_in_out(found: Between, comparison: Comparison, choice: Choice, units: Mapping[str, str]) -> SlotInOut:
    gains = _measured(found, comparison, choice)
    torque: list[list[float]] = [[], [], []]
    if found.found is not None:
        row = next(number for number, one in enumerate(found.used) if one.setup == found.reference)
        change, low, high = (each[row] for each in (found.found.change, found.found.low, found.found.high))
        gains.append(estimated_out(Nature.INFERRED, str(found.part), comparison.speed_rpm, change, low, high))
        effects = comparison.curves(choice.school)
        assert effects is not None
        base = effects.mean[list(comparison.setups).index(found.used[row].setup)]
        torque = [
            quantities.from_si(base * (1 + each), units["torque"]).tolist() for each in (change, low, high)
        ]  # fmt: skip
    return SlotInOut(
        nothing="", slot=found.slot, slots=[BetweenChoice(value=one, label=one.label) for one in found.slots],
        family=str(found.tested[0].setup.pk),
        families=[
            BetweenChoice(value=str(each[0].pk), label=listed([one.letter for one in each])) for each in found.families
        ],
        variable=found.variable.key,
        variables=[BetweenChoice(value=one.key, label=one.label) for one in found.variables],
        part_id=found.part.pk if found.part else None,
        parts=[BetweenChoice(value=str(one.pk), label=one.name) for one in found.candidates],
        place=messages.value_text(units, found.variable, found.at),
        reference=found.reference.pk if found.reference else None,
        tested=[
            TestedPartOut(
                setup_id=one.setup.pk, letter=one.setup.letter, part=one.part.name,
                place=messages.value_text(units, found.variable, one.place), used=one.used,
            )
            for one in found.tested
        ],
        gains=gains, torque=torque[0], torque_low=torque[1], torque_high=torque[2], torque_unit=units["torque"],
        sentence=messages.sentence(found, comparison.speed_rpm), basis=messages.basis(found),
        causes=messages.causes(found, units), companions=messages.companions(found, units), refused=dict(found.refused),
    )  # fmt: skip


def _measured(found: Between, comparison: Comparison, choice: Choice) -> list[GainOut]:
    """Of each used part over the reference, as it was run; empty where that is not known by speed."""
    if found.reference is None or {"slot", "without"} & set(found.refused):
        return []
    return [
        gain_out(one.part.name, gain_of(comparison, choice, found.reference, one.setup), one.setup.pk)
        for one in found.used if one.setup != found.reference
    ]  # fmt: skip
