"""Theories that compete, what each predicts, and the swap that tells them apart."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router
from torvix_core.units.grammar import counted, listed

from programmes.expectations import theories
from programmes.models import Prediction, Programme
from shop.models import Person
from shop.permissions import is_person
from shop.schema import Schema
from verdicts.prior.measure_scatter import MEASURES
from verdicts.theories.service import Case, Theories, theories_of

router = Router(tags=["theories"])


class TheoryCaseIn(Schema):
    """A figure of a setup, or of a part swapped into the baseline; `speeds` as typed, empty for all."""

    setup_id: int | None = None
    part_id: int | None = None
    measure: str = "average_torque"
    speeds: str = ""


class TheoryIn(Schema):
    """`texts` for each case: a number or a range in per cent of the baseline's figure, "more", "less", or empty."""

    name: str
    texts: list[str]


class TheoriesIn(Schema):
    cases: list[TheoryCaseIn] = []
    theories: list[TheoryIn]


class SeparationOut(Schema):
    """What two theories predict of a case, in words, and the pulls per setup that tell them apart; none if none do.

    `minutes` for the change there and back and these pulls; `fails` are limits of the test that speak against it.
    """

    one: str
    other: str
    case: int
    one_text: str
    other_text: str
    apart_percent: float
    pulls: int | None
    minutes: float | None
    fails: list[str]


class SeparatingSwapOut(Schema):
    """The case that tells most theories apart for least work."""

    case: int
    part_id: int | None
    sentence: str


class TheoryChoice(Schema):
    value: str
    label: str


class TheoriesOut(Schema):
    cases: list[TheoryCaseIn]
    labels: list[str]
    theories: list[TheoryIn]
    separations: list[SeparationOut]
    swap: SeparatingSwapOut | None
    nothing: str
    measures: list[TheoryChoice]


def _programme(person: Person, programme_id: int) -> Programme:
    seen = Programme.objects.visible_to(person).select_related("build__engine")
    rows = ("setups", "theories__predictions__setup", "theories__predictions__part", "build__readings")
    return get_object_or_404(seen.prefetch_related(*rows), pk=programme_id)


def _text(prediction: Prediction | None) -> str:
    """As it may be typed."""
    if prediction is None:
        return ""
    low, high = ("" if end is None else f"{end * 100:.4g}" for end in (prediction.low, prediction.high))
    if prediction.low is None:
        return "less" if prediction.high == 0 else f"at most {high}"
    if prediction.high is None:
        return "more" if prediction.low == 0 else f"at least {low}"
    return low if low == high else f"{low} to {high}"


def _shown(prediction: Prediction) -> str:
    text = _text(prediction)
    return text if text in ("more", "less") else f"{text} %".replace("-", "−")


def _subject(case: Case) -> str:
    if case.setup is not None:
        return f"{case.setup.letter} {case.setup.name}"
    assert case.part is not None
    return f"{case.part.name} in the baseline"


def _label(case: Case) -> str:
    return f"{_subject(case)}, {MEASURES[case.measure].lower()} {case.region.words}".strip()


def _swap(found: Theories) -> SeparatingSwapOut | None:
    if found.swap is None:
        return None
    case = found.cases[found.swap.case]
    figure = f"{MEASURES[case.measure].lower()} {case.region.words}".strip()
    if case.setup is not None:
        what = case.setup.letter
    else:
        assert case.part is not None
        off = f"in place of {listed(found.swap.replaces)}" if found.swap.replaces else "on the baseline"
        what = f"{case.part.name} {off}"
    predicted = "; ".join(
        f"{theory.name}: {_shown(one)}"
        for theory in found.theories
        if (one := found.prediction(theory, found.swap.case))
    )
    return SeparatingSwapOut(
        case=found.swap.case, part_id=case.part.pk if case.part else None,
        sentence=(
            f"To tell them apart, run {what} and look at {figure} ({predicted}). {counted(found.swap.pulls, 'pull')} "
            f"per setup, about {found.swap.minutes:.0f} min with the change there and back."
        ),
    )  # fmt: skip


def _nothing(found: Theories) -> str:
    """Why no swap is proposed; empty where one is, or there is nothing to tell apart."""
    if found.swap is not None or len(found.theories) < 2:
        return ""
    if any(each.found.apart > 0 and each.found.pulls is None for each in found.separations):
        return (
            "They differ, but not by enough to be found in a day, or nobody knows how much the figure scatters. "
            "Predict a figure on which they differ more, or repeat a pull first."
        )
    if any(each.found.apart > 0 for each in found.separations):
        return "What would tell them apart does not keep the limits of the test."
    return "Nothing that is written down tells them apart: find a setup or a part on which they differ."


def to_schema(person: Person, programme: Programme) -> TheoriesOut:
    found = theories_of(person, programme)
    return TheoriesOut(
        cases=[
            TheoryCaseIn(
                setup_id=case.setup.pk if case.setup else None, part_id=case.part.pk if case.part else None,
                measure=case.measure, speeds=case.region.words.removesuffix(" rpm"),
            )
            for case in found.cases
        ],
        labels=[_label(case) for case in found.cases],
        theories=[
            TheoryIn(name=one.name, texts=[_text(found.prediction(one, case)) for case in range(len(found.cases))])
            for one in found.theories
        ],
        separations=[
            SeparationOut(
                one=each.one.name, other=each.other.name, case=each.case,
                one_text=_text(found.prediction(each.one, each.case)),
                other_text=_text(found.prediction(each.other, each.case)),
                apart_percent=each.found.apart * 100, pulls=each.found.pulls, minutes=each.minutes,
                fails=found.fails.get(each.case, []),
            )
            for each in found.separations
        ],
        swap=_swap(found), nothing=_nothing(found),
        measures=[TheoryChoice(value=value, label=label) for value, label in MEASURES.items()],
    )  # fmt: skip


@router.get("/programmes/{programme_id}/theories", response=TheoriesOut, operation_id="theories")
def read_theories(request: HttpRequest, programme_id: int) -> TheoriesOut:
    assert is_person(request.user)
    return to_schema(request.user, _programme(request.user, programme_id))


@router.put("/programmes/{programme_id}/theories", response=TheoriesOut, operation_id="write_theories")
def write_theories(request: HttpRequest, programme_id: int, given: TheoriesIn) -> TheoriesOut:
    person = request.user
    assert is_person(person)
    cases = [theories.TheoryCase(one.setup_id, one.part_id, one.measure, one.speeds) for one in given.cases]
    explained = [theories.TheoryText(theory.name, theory.texts) for theory in given.theories]
    theories.write(person, _programme(person, programme_id), cases, explained, MEASURES, timezone.now())
    return to_schema(person, _programme(person, programme_id))
