"""A gathered guideline as the interface reads it: numbers in per cent or rpm, and the words beside them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from torvix_core.guidelines.pooling import Pooled
from torvix_core.guidelines.standing import Bearing

from curves.reduction.nature import WORDS, Nature
from shop.models import Person
from shop.permissions import units_of
from verdicts.guidelines import messages, schemas
from verdicts.guidelines.evidence import Gathered
from verdicts.guidelines.one_test import TestSays
from verdicts.models import Explanation, Grade, Guideline, GuidelineMeasure

NOTHING_SEPARATES = "Two explanations stand and nothing says what would separate them: name a test that would."


def row(person: Person, found: Gathered) -> schemas.GuidelineRow:
    guideline, units = found.guideline, units_of(person)
    return schemas.GuidelineRow(
        id=guideline.pk, statement=guideline.statement, about=messages.about(guideline, units),
        unit="rpm" if guideline.measure == GuidelineMeasure.PEAK_SPEED else "%",
        state=found.state.value, state_label=messages.STATES[found.state],
        summary=messages.summary(found, units), counts=messages.counts(found),
        engines=len(found.engines), tests=len(found.counted), tests_for=found.bearing(Bearing.FOR),
        tests_against=found.bearing(Bearing.AGAINST),
        pooled=None if found.pooled is None else _pooled(guideline, found.pooled), waiting=found.waiting,
        archived=guideline.archived_at is not None,
    )  # fmt: skip


def whole(person: Person, found: Gathered) -> schemas.GuidelineOut:
    guideline, units = found.guideline, units_of(person)
    scale = _scale(guideline)
    stands = list(guideline.explanations.select_related("written_by", "programme"))
    visible = {one.programme.pk: one.programme.question for one in found.tests}
    return schemas.GuidelineOut(
        said=row(person, found),
        typed=schemas.GuidelineIn(
            statement=guideline.statement, slot=guideline.slot, variable=guideline.variable,
            step=messages.amount(guideline, guideline.step, units), measure=guideline.measure,
            claimed=guideline.claimed, smallest=_smallest(guideline),
            low_rpm="" if guideline.low_rpm is None else f"{guideline.low_rpm:.0f}",
            high_rpm="" if guideline.high_rpm is None else f"{guideline.high_rpm:.0f}",
            engine_words=guideline.engine_words,
        ),
        by=str(guideline.written_by), at=guideline.written_at, smallest_effect=scale(guideline.smallest),
        by_engine=[
            schemas.EngineSaysOut(engine=one.engine.name, tests=one.pooled.count, bearing=one.bearing.value,
                                  effect=_pooled(guideline, one.pooled))
            for one in found.engines
        ],
        by_test=[_test(guideline, one, found) for one in found.tests],
        apart=[
            schemas.ApartOut(nature=WORDS[nature], engines=pooled.count, effect=_pooled(guideline, pooled))
            for nature, pooled in found.apart.items()
        ],
        unused=[
            schemas.UnusedTest(programme_id=test.pk, question=test.question, why=why) for test, why in found.unused
        ],
        explanations=[_explanation(one, visible) for one in stands],
        rivals=_rivals([one for one in stands if one.withdrawn_at is None]),
    )  # fmt: skip


def _test(guideline: Guideline, one: TestSays, found: Gathered) -> schemas.TestSaysOut:
    scale = _scale(guideline)
    units = units_of(found.person)
    interval = f"{messages.effect(guideline, one.low)} to {messages.effect(guideline, one.high)}"
    return schemas.TestSaysOut(
        programme_id=one.programme.pk, question=one.programme.question, ran_at=one.ran_at,
        engine=one.engine.name,
        setups=[
            schemas.RanSetup(letter=setup.letter, name=setup.name, amount=messages.amount(guideline, amount, units))
            for setup, amount in one.setups
        ],
        effect=schemas.EffectOut(mean=scale(one.effect), low=scale(one.low), high=scale(one.high),
                                 words=f"{messages.effect(guideline, one.effect)} ({interval})"),
        bearing=one.bearing.value, nature=WORDS[one.nature],
        counts=one.nature is Nature.MEASURED and one.double_of is None, notes=messages.notes(one),
    )  # fmt: skip


def _pooled(guideline: Guideline, pooled: Pooled) -> schemas.EffectOut:
    scale = _scale(guideline)
    return schemas.EffectOut(
        mean=scale(pooled.mean), low=scale(pooled.low), high=scale(pooled.high),
        next_low=None if pooled.next_low is None else scale(pooled.next_low),
        next_high=None if pooled.next_high is None else scale(pooled.next_high),
        words=messages.pooled_words(guideline, pooled),
    )  # fmt: skip


def _scale(guideline: Guideline) -> Callable[[float], float]:
    """From what is pooled into what is shown: rpm stay, logarithms of torque become per cent."""
    if guideline.measure == GuidelineMeasure.PEAK_SPEED:
        return float
    return lambda value: float(np.expm1(value)) * 100


def _smallest(guideline: Guideline) -> str:
    if guideline.measure == GuidelineMeasure.PEAK_SPEED:
        return f"{guideline.smallest:g} rpm"
    return f"{guideline.smallest * 100:g} %"


def _explanation(one: Explanation, visible: dict[int, str]) -> schemas.ExplanationOut:
    return schemas.ExplanationOut(
        id=one.pk, text=one.text, grade=one.grade, grade_label=Grade(one.grade).label,
        programme_id=one.programme_id if one.programme_id in visible else None,
        question=visible.get(one.programme_id or 0, ""), separated_by=one.separated_by, by=str(one.written_by),
        at=one.written_at, withdrawn=one.withdrawn_at is not None,
    )  # fmt: skip


def _rivals(stands: list[Explanation]) -> str:
    """What separates explanations that stand beside each other; empty for one or none."""
    if len(stands) < 2:
        return ""
    tests = list(dict.fromkeys(one.separated_by for one in stands if one.separated_by))
    return f"To separate them: {'; '.join(tests)}." if tests else NOTHING_SEPARATES
