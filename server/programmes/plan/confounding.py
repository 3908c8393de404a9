"""What the setups of a programme can and cannot tell apart, in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from torvix_core.judging import design
from torvix_core.judging.design import NOTHING, AnswerQuality, QuestionAnswer
from torvix_core.units.grammar import counted

from programmes.plan.plans import OWN, Plan, PlannedSetup


@dataclass(frozen=True)
class QuestionText:
    question: str
    standing: str
    answer: str


@dataclass(frozen=True)
class DesignAnswers:
    answers: Sequence[QuestionText]
    addition: str
    copies: Sequence[str] = ()
    added: Mapping[str, str] | None = None  # what the setup that would help most has in each row


def ask(plan: Plan) -> DesignAnswers:
    """Every question that the setups in the plan raise."""
    setups = [plan.setups[place] for place in plan.active]
    stacks = [plan.factors(setup) for setup in setups]
    rows = [key for key in plan.used_rows() if any(key in stack for stack in stacks)]
    full = [{key: stack.get(key, NOTHING) for key in rows} for stack in stacks]
    names = {key: _row(plan, key) for key in rows}
    answers = [_question_text(found, setups, names) for found in design.answers(full)]
    copies = _copies(setups, full)
    try:
        added = design.best_addition(full)
    except ValueError as reason:
        return DesignAnswers(answers, f"Which setup would help most was not searched: {reason}.", copies)
    if added is None:
        return DesignAnswers(answers, "", copies)
    first = full[0]
    changed = [f"{added.setup[key] or f'no {names[key]}'}" for key in first if added.setup[key] != first[key]]
    count = len(added.answers)
    asked = counted(count, "more question")
    base = setups[0].letter
    told = f"{base} with {', '.join(changed)}" if changed else f"{base} itself"
    return DesignAnswers(answers, f"One setup more, {told}, would answer {asked}.", copies, dict(added.setup))


def _copies(setups: Sequence[PlannedSetup], full: Sequence[Mapping[str, str]]) -> list[str]:
    """Setups that are the same as one before them: they tell how refitting scatters, and nothing of parts."""
    found = []
    for place, levels in enumerate(full):
        twin = next((other for other in range(place) if full[other] == levels), None)
        if twin is not None and setups[place].levels() != setups[twin].levels():
            found.append(
                f"{setups[place].letter} differs from {setups[twin].letter} in jets alone, and every setup is brought "
                "to the same mixture: they count as the same setup. To compare mixtures, choose that in the question."
            )
        elif twin is not None:
            found.append(
                f"{setups[place].letter} has the same in every row as {setups[twin].letter}: that shows how refitting "
                "scatters. To compare parts, change a row."
            )
    return found


def _question_text(found: QuestionAnswer, setups: Sequence[PlannedSetup], names: Mapping[str, str]) -> QuestionText:
    question = found.question
    one, other = (level or "nothing" for level in (question.one, question.other))
    asked = f"{_capital(names[question.slot])}: {other} against {one}?"
    match found.standing:
        case AnswerQuality.DIRECT:
            pairs = ", ".join(
                f"{setups[second].letter} against {setups[first].letter}" for first, second in found.pairs
            )
            answer = f"Separated by {pairs}, which differ in nothing else."
        case AnswerQuality.ADDING_UP:
            answer = "Separated by several setups, assuming effects add."
        case AnswerQuality.TOGETHER:
            answer = f"Only together with the {' and the '.join(names[slot] for slot in found.together)}."
        case AnswerQuality.NO:
            answer = "Not testable with these setups."
    return QuestionText(asked, found.standing, answer)


def names_of(plan: Plan) -> dict[str, str]:
    """The rows of a plan as they are called at the head of a line."""
    return {key: _capital(_row(plan, key)) for key in plan.used_rows()}


def _row(plan: Plan, key: str) -> str:
    """A row's name inside a sentence; what somebody called it stays as it is."""
    label = plan.label(key)
    return label if key.startswith(OWN) else label.lower()


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]
