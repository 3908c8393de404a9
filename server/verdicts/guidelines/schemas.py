"""Guidelines as the interface reads them. Effects stand in per cent or rpm, for one step of the variable."""

from __future__ import annotations

from datetime import datetime

from shop.schema import Schema
from verdicts.guidelines.service import GuidelineTexts


class GuidelineIn(Schema):
    """As it was typed; empty speeds are the whole range of each test, an empty smallest effect the usual one."""

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

    @property
    def texts(self) -> GuidelineTexts:
        return GuidelineTexts(**self.model_dump())


class ExplanationIn(Schema):
    text: str
    grade: str
    programme_id: int | None = None
    separated_by: str = ""


class GuidelineArchivedIn(Schema):
    archived: bool


class WithdrawnIn(Schema):
    withdrawn: bool


class EffectOut(Schema):
    """With the 95 % interval of what it is of, and for all engines together the one of the next engine."""

    mean: float
    low: float
    high: float
    next_low: float | None = None
    next_high: float | None = None
    words: str


class GuidelineRow(Schema):
    """`about` says what more of what does; `counts` how many tests speak for it, against it and neither."""

    id: int
    statement: str
    about: str
    unit: str
    state: str
    state_label: str
    summary: str
    counts: str
    engines: int
    tests: int
    tests_for: int
    tests_against: int
    pooled: EffectOut | None
    waiting: int
    archived: bool


class EngineSaysOut(Schema):
    engine: str
    tests: int
    effect: EffectOut
    bearing: str


class RanSetup(Schema):
    """A setup of a test and its value of the variable."""

    letter: str
    name: str
    amount: str


class TestSaysOut(Schema):
    """`counts` is false for printed and simulated figures, and for recordings that another test holds, too."""

    programme_id: int
    question: str
    ran_at: datetime | None
    engine: str
    setups: list[RanSetup]
    effect: EffectOut
    bearing: str
    nature: str
    counts: bool
    notes: list[str]


class UnusedTest(Schema):
    programme_id: int
    question: str
    why: str


class ApartOut(Schema):
    """Printed or simulated figures, pooled by themselves."""

    nature: str
    engines: int
    effect: EffectOut


class ExplanationOut(Schema):
    id: int
    text: str
    grade: str
    grade_label: str
    programme_id: int | None
    question: str
    separated_by: str
    by: str
    at: datetime
    withdrawn: bool


class GuidelineOut(Schema):
    """`said` is its row in the list, `typed` what a form opens with; `rivals` says what is not separated among the
    explanations.
    """

    said: GuidelineRow
    typed: GuidelineIn
    by: str
    at: datetime
    smallest_effect: float
    by_engine: list[EngineSaysOut]
    by_test: list[TestSaysOut]
    apart: list[ApartOut]
    unused: list[UnusedTest]
    explanations: list[ExplanationOut]
    rivals: str


class VariableChoice(Schema):
    """A variable that can decide for a kind of part; `unit` is the one that a step is typed in."""

    key: str
    label: str
    unit: str


class SlotChoice(Schema):
    slot: str
    label: str
    variables: list[VariableChoice]


class GuidelineChoice(Schema):
    value: str
    label: str


class GuidelineChoices(Schema):
    slots: list[SlotChoice]
    measures: list[GuidelineChoice]
    claims: list[GuidelineChoice]
    grades: list[GuidelineChoice]


class GuidelinePrediction(Schema):
    """What a guideline expects of a setup on the engine of the plan, against the baseline, in per cent of torque.

    `text` is what an expectation begins with; empty where nothing is predicted, and `why_not` says why.
    """

    setup_id: int
    guideline_id: int
    statement: str
    sentence: str
    text: str
    why_not: str
