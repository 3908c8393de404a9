"""What the setups of a programme can and cannot tell apart, in words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from torvix_core import design
from torvix_core.design import NOTHING, Answer, Standing
from torvix_core.dimensions import STACK_ORDER, Slot

from programmes.models import Programme, Setup


@dataclass(frozen=True)
class Told:
    question: str
    standing: str
    told: str


@dataclass(frozen=True)
class Asked:
    answers: Sequence[Told]
    addition: str


def levels(setup: Setup) -> dict[str, str]:
    """What a setup has in each slot; several parts in one slot are one level."""
    parts = sorted((part.slot, part.name) for part in setup.parts.all())
    return {
        slot: " with ".join(name for of, name in parts if of == slot) for slot in dict.fromkeys(of for of, _ in parts)
    }


def ask(programme: Programme) -> Asked:
    """Every question that the setups raise. The parts must have been prefetched."""
    setups = list(programme.setups.all())
    stacks = [levels(setup) for setup in setups]
    slots = [slot for slot in STACK_ORDER if any(slot in stack for stack in stacks)]
    full = [{str(slot): stack.get(slot, NOTHING) for slot in slots} for stack in stacks]
    answers = [_told(found, setups) for found in design.answers(full)]
    try:
        added = design.best_addition(full)
    except ValueError as reason:
        return Asked(answers, f"Which setup would help most was not searched: {reason}.")
    if added is None:
        return Asked(answers, "")
    first = full[0]
    changed = [f"{added.setup[slot] or f'no {_slot(slot)}'}" for slot in first if added.setup[slot] != first[slot]]
    count = len(added.answers)
    asked = "one more question" if count == 1 else f"{count} more questions"
    base = setups[0].letter
    told = f"{base} with {', '.join(changed)}" if changed else f"{base} itself"
    return Asked(answers, f"One setup more, {told}, would answer {asked}.")


def _told(found: Answer, setups: Sequence[Setup]) -> Told:
    question = found.question
    one, other = (level or "nothing" for level in (question.one, question.other))
    asked = f"{_slot(question.slot).capitalize()}: {other} against {one}?"
    match found.standing:
        case Standing.DIRECT:
            pairs = ", ".join(
                f"{setups[second].letter} against {setups[first].letter}" for first, second in found.pairs
            )
            told = f"Told by {pairs}, which differ in nothing else."
        case Standing.ADDING_UP:
            told = "Told by several setups, if what the slots are worth adds up."
        case Standing.TOGETHER:
            told = f"Only together with the {' and the '.join(_slot(slot) for slot in found.together)}."
        case Standing.NO:
            told = "Nothing here tells it."
    return Told(asked, found.standing, told)


def _slot(slot: str) -> str:
    return Slot(slot).label.lower()
