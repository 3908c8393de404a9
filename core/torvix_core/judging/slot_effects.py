"""What a part is worth in its slot: against the other parts there, with each partner, and what cannot be separated."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from torvix_core.judging.design import AnswerQuality, QuestionAnswer, answers, level_shares
from torvix_core.judging.difference import Difference
from torvix_core.judging.effects import Effects
from torvix_core.units.checked import Array


@dataclass(frozen=True)
class SlotEffect:
    """One question of one slot: `other` in place of `one`.

    change, low and high are shares, None where the setups do not tell it (see `answer.together`). `pairs` are the
    setups that differ in nothing else, with the gain under each partner; `interacts` says that the gain depends on the
    partner beyond doubt, so that the effect on average means little.
    """

    answer: QuestionAnswer
    change: float | None
    low: float | None
    high: float | None
    pairs: tuple[tuple[int, int, Difference], ...]
    interacts: bool


def slot_effects(effects: Effects, setups: Sequence[Mapping[str, str]]) -> tuple[SlotEffect, ...]:
    """Main effects of the slots, as far as these setups tell them.

    Shapes: effects of (setups,); setups (setups,) of slot to level.
    Units:  shares.
    Errors: none.
    Source: least squares over the setups, effects of slots adding up on the log scale; intervals hold for all questions
            together (Bonferroni).
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> effects = fit(np.array([100.0, 100.1, 105, 105.1]), Layout.of([0, 0, 1, 1]))
    >>> found, = slot_effects(effects, [{"cam": "mild"}, {"cam": "wild"}])
    >>> found.answer.question.other, round(found.change, 3)
    ('wild', 0.049)
    """
    if len(set(effects.model.group.tolist())) > 1:
        return ()  # days that nothing links do not add up
    found = answers(setups)
    return tuple(_one(effects, setups, each, max(len(found), 1)) for each in found)


def _one(effects: Effects, setups: Sequence[Mapping[str, str]], found: QuestionAnswer, questions: int) -> SlotEffect:
    pairs = tuple((one, other, effects.difference(other, one)) for one, other in found.pairs)
    if found.standing in (AnswerQuality.TOGETHER, AnswerQuality.NO):
        return SlotEffect(found, None, None, None, pairs, False)
    change, low, high = (
        float(np.expm1(each)) for each in effects.contrast(level_shares(setups, found.question), questions)
    )
    return SlotEffect(found, change, low, high, pairs, _interacts(effects, found.pairs))


def _interacts(effects: Effects, pairs: Sequence[tuple[int, int]]) -> bool:
    """Whether any two partners give gains that differ beyond doubt."""
    count = len(pairs) * (len(pairs) - 1) // 2
    for place, (one, other) in enumerate(pairs):
        for again, another in pairs[:place]:
            shares: Array = np.zeros(len(effects.log_mean))
            for setup, share in ((other, 1.0), (one, -1.0), (another, -1.0), (again, 1.0)):
                shares[setup] += share
            _, low, high = effects.contrast(shares, max(count, 1))
            if low > 0 or high < 0:
                return True
    return False
