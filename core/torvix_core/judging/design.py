"""Which questions a set of setups can answer, before the first bolt turns.

A setup has one level in each slot: the part there, or the value of a setting. What each is worth is taken to add up
over slots; whether two slots help or hinder each other cannot be told without setups that show it.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations, product

import numpy as np
from torvix_core.units.checked import Array

NOTHING = ""  # the level of a slot in which a setup has nothing
MOST_CANDIDATES = 4000  # added setups that are tried; more levels than that are no day's work
TINY = 1e-9  # [-], what counts as nought in a matrix of noughts and ones

Setup = Mapping[str, str]


class AnswerQuality(StrEnum):
    """How well a question is answered."""

    DIRECT = "direct"  # two setups differ in this and in nothing else
    ADDING_UP = "adding_up"  # from several setups, if what the slots are worth adds up
    TOGETHER = "together"  # only together with other slots
    NO = "no"  # nothing here tells it


@dataclass(frozen=True)
class Question:
    """What is `other` worth against `one` in this slot?"""

    slot: str
    one: str
    other: str


@dataclass(frozen=True)
class QuestionAnswer:
    """How a question stands: the pairs that answer it directly, and the slots it cannot be separated from."""

    question: Question
    standing: AnswerQuality
    pairs: tuple[tuple[int, int], ...] = ()
    together: tuple[str, ...] = ()


@dataclass(frozen=True)
class Addition:
    """One more setup, and the questions that it would answer which were not before."""

    setup: dict[str, str]
    answers: tuple[Question, ...]


def questions(setups: Sequence[Setup]) -> list[Question]:
    """Every pair of levels of every slot that varies, in the order in which the setups bring them.

    Shapes: setups (n,).
    Units:  none.
    Errors: none.
    Source: house rule.
    >>> questions([{"manifold": "long"}, {"manifold": "short"}])
    [Question(slot='manifold', one='long', other='short')]
    """
    return [
        Question(slot, one, other) for slot, levels in _levels(setups).items() for one, other in combinations(levels, 2)
    ]


def answer(setups: Sequence[Setup], question: Question) -> QuestionAnswer:
    """How a question stands with these setups.

    Shapes: setups (n,).
    Units:  none.
    Errors: none: levels that no setup has are not answered.
    Source: a contrast is estimable if it lies in the row space of the design matrix (linear models, any textbook).
    >>> setups = [{"manifold": "a", "spacer": ""}, {"manifold": "b", "spacer": "open"}]
    >>> answer(setups, Question("manifold", "a", "b")).together
    ('spacer',)
    """
    pairs = tuple(_direct_pairs(setups, question))
    if pairs:
        return QuestionAnswer(question, AnswerQuality.DIRECT, pairs)
    levels = _levels(setups, every_slot=True)
    if not {question.one, question.other} <= set(levels.get(question.slot, ())):
        return QuestionAnswer(question, AnswerQuality.NO)
    columns, matrix = _matrix(setups, levels)
    contrast = _contrast(columns, question)
    loose = _null_space(matrix)
    moved = loose[np.abs(loose @ contrast) > TINY]
    if not moved.size:
        return QuestionAnswer(question, AnswerQuality.ADDING_UP)
    entangled = {
        slot
        for (slot, _), share in zip(columns, np.abs(moved).max(axis=0), strict=True)
        if share > TINY and slot not in (question.slot, NOTHING)
    }
    ordered = tuple(slot for slot in levels if slot in entangled)
    return QuestionAnswer(question, AnswerQuality.TOGETHER, together=ordered)


def level_shares(setups: Sequence[Setup], question: Question) -> Array:
    """With which shares the setups add up to the answer of a question that they answer.

    Shapes: result (setups,), adding up to nought.
    Units:  [-].
    Errors: none; of a question that is not answered the result is the nearest that these setups can tell.
    Source: least squares by the pseudo-inverse of the design matrix.
    >>> level_shares([{"cam": "1"}, {"cam": "2"}], Question("cam", "1", "2")).round(9).tolist()
    [-1.0, 1.0]
    """
    columns, matrix = _matrix(setups, _levels(setups, every_slot=True))
    return np.asarray(_contrast(columns, question) @ np.linalg.pinv(matrix))


def answers(setups: Sequence[Setup]) -> list[QuestionAnswer]:
    """Every question that the setups raise, with how it stands.

    Shapes: setups (n,).
    Units:  none.
    Errors: none.
    Source: `answer`.
    >>> [found.standing.value for found in answers([{"cam": "1"}, {"cam": "2"}])]
    ['direct']
    """
    return [answer(setups, question) for question in questions(setups)]


def best_addition(setups: Sequence[Setup]) -> Addition | None:
    """The one setup, of levels that are there, that answers most of what is open; None if none helps.

    Shapes: setups (n,).
    Units:  none.
    Errors: ValueError if there are more combinations than MOST_CANDIDATES.
    Source: every combination tried; of equals the one that differs least from the first setup, then the first.
    >>> setups = [{"manifold": "a", "spacer": ""}, {"manifold": "b", "spacer": "open"}]
    >>> best_addition(setups).setup
    {'manifold': 'a', 'spacer': 'open'}
    """
    open_questions = [
        found.question for found in answers(setups) if found.standing in (AnswerQuality.TOGETHER, AnswerQuality.NO)
    ]
    if not open_questions:
        return None
    levels = _levels(setups, every_slot=True)
    count = int(np.prod([len(level) for level in levels.values()]))
    if count > MOST_CANDIDATES:
        raise ValueError(f"{count} combinations are more than the {MOST_CANDIDATES} that are tried")
    known = {tuple(setup.get(slot, NOTHING) for slot in levels) for setup in setups}
    best: tuple[int, int, Addition] | None = None
    for candidate in product(*levels.values()):
        if candidate in known:
            continue
        added = dict(zip(levels, candidate, strict=True))
        answered = tuple(question for question in open_questions if _is_answered([*setups, added], question))
        apart = sum(added[slot] != setups[0].get(slot, NOTHING) for slot in levels)
        if answered and (best is None or (len(answered), -apart) > (best[0], best[1])):
            best = len(answered), -apart, Addition(added, answered)
    return best[2] if best else None


def drop_order(setups: Sequence[Setup]) -> list[int]:
    """Which setup to leave out first where time runs short: always the one that costs the fewest answers.

    Shapes: setups (n,); the result holds 1 to n - 1, as the first setup, the baseline, is never left out.
    Units:  places among the setups.
    Errors: none.
    Source: house rule on the row space of the design matrix; of equals the later setup goes first.
    >>> setups = [{"cam": "1", "spacer": ""}, {"cam": "2", "spacer": ""}, {"cam": "2", "spacer": ""}]
    >>> drop_order(setups)
    [2, 1]
    """
    asked, levels = questions(setups), _levels(setups, every_slot=True)
    columns, matrix = _matrix(setups, levels) if setups else ([], np.zeros((0, 0)))
    contrasts = np.array([_contrast(columns, question) for question in asked]).reshape(len(asked), len(columns))
    left, order = list(range(1, len(setups))), []
    while left:
        answered = [
            (_count_answered(matrix[[0, *(one for one in left if one != gone)]], contrasts), gone) for gone in left
        ]
        order.append(max(answered)[1])
        left.remove(order[-1])
    return order


def _count_answered(matrix: Array, contrasts: Array) -> int:
    loose = _null_space(matrix)
    return int((np.abs(contrasts @ loose.T) <= TINY).all(axis=1).sum()) if loose.size else len(contrasts)


def _is_answered(setups: Sequence[Setup], question: Question) -> bool:
    return answer(setups, question).standing in (AnswerQuality.DIRECT, AnswerQuality.ADDING_UP)


def _levels(setups: Sequence[Setup], *, every_slot: bool = False) -> dict[str, list[str]]:
    """Levels of each slot, in the order in which they come; only slots that vary unless every one is asked for."""
    slots = list(dict.fromkeys(slot for setup in setups for slot in setup))
    levels = {slot: list(dict.fromkeys(setup.get(slot, NOTHING) for setup in setups)) for slot in slots}
    return {slot: each for slot, each in levels.items() if every_slot or len(each) > 1}


def _direct_pairs(setups: Sequence[Setup], question: Question) -> Iterator[tuple[int, int]]:
    slots = {slot for setup in setups for slot in setup} - {question.slot}
    having = [
        [place for place, setup in enumerate(setups) if setup.get(question.slot, NOTHING) == level]
        for level in (question.one, question.other)
    ]
    for first, second in product(*having):
        one, other = setups[first], setups[second]
        if all(one.get(slot, NOTHING) == other.get(slot, NOTHING) for slot in slots):
            yield first, second


def _matrix(setups: Sequence[Setup], levels: Mapping[str, list[str]]) -> tuple[list[tuple[str, str]], Array]:
    """The mean, and a column for each level but the first of its slot."""
    columns = [(NOTHING, NOTHING), *((slot, level) for slot, each in levels.items() for level in each[1:])]
    matrix = np.array([
        [1.0 if slot == NOTHING else float(setup.get(slot, NOTHING) == level) for slot, level in columns]
        for setup in setups
    ])  # fmt: skip
    return columns, matrix


def _contrast(columns: Sequence[tuple[str, str]], question: Question) -> Array:
    """A question as a row over the columns of the design matrix."""
    contrast = np.zeros(len(columns))
    for level, sign in ((question.one, -1.0), (question.other, 1.0)):
        if (question.slot, level) in columns:
            contrast[columns.index((question.slot, level))] += sign
    return contrast


def _null_space(matrix: Array) -> Array:
    """Rows that the design cannot see, (k, columns), each row of a reduced basis so that it names few columns."""
    _, sizes, right = np.linalg.svd(matrix)
    rank = int((sizes > TINY * max(matrix.shape) * sizes.max(initial=1.0)).sum())
    basis = right[rank:].copy()
    row = 0
    for column in range(basis.shape[1]):
        if row >= len(basis):
            break
        pivot = row + int(np.abs(basis[row:, column]).argmax())
        if abs(basis[pivot, column]) < TINY:
            continue
        basis[[row, pivot]] = basis[[pivot, row]]
        basis[row] /= basis[row, column]
        others = np.arange(len(basis)) != row
        basis[others] -= np.outer(basis[others, column], basis[row])
        row += 1
    basis[np.abs(basis) < TINY] = 0.0
    return basis
