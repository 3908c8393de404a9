"""Would the choice be the same by another standard, school, measure or range, or without any one pull?"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial

from torvix_core.air.standards import DEFINITIONS, Standard
from torvix_core.judging import verdict
from torvix_core.judging.effects import NotEnoughPulls
from torvix_core.judging.leave_one_out import leaders_without_each
from torvix_core.judging.representative_pull import LABELS, School
from torvix_core.units.grammar import listed

from curves.reduction.correct import correction_of
from programmes.models import STANDARDS
from shop.refusals import Refusal
from verdicts.comparison.aligned_pulls import Comparison
from verdicts.judging import choice as choices
from verdicts.judging.choice import Choice, ScoreMeasure
from verdicts.judging.service import Judgment, bounds, score

SHIFT_RPM = 300.0
SAME_PULLS = "This looks at the same pulls in other ways; it is no further evidence."


@dataclass(frozen=True)
class Variation:
    """One other way to judge, and who wins then: `level` are the best, a single one where it is called.

    `held`: the same setups are best, no more and no fewer. `why_not`: it could not be judged so.
    """

    kind: str
    label: str
    level: tuple[int, ...]
    held: bool
    called: bool
    why_not: str = ""


def variations(judged: Judgment, out: Collection[int]) -> list[Variation]:
    """Every variation, in the order in which a person would doubt."""
    return [*(_try(judged, *way, out) for way in _ways(judged)), *_without_each_pull(judged, out)]


Way = tuple[str, str, Callable[[], Comparison], Choice]  # kind, label, the pulls, how they are judged


def _ways(judged: Judgment) -> Iterator[Way]:
    comparison, choice = judged.comparison, judged.choice

    def same() -> Comparison:
        return comparison

    for standard in STANDARDS:
        if standard != choice.standard:
            yield "standard", DEFINITIONS[standard].label, partial(under, comparison, standard), choice
    for school in School:
        if school != choice.school:
            yield "school", LABELS[school].lower(), same, replace(choice, school=school)
    for measure in ScoreMeasure:
        if measure != choice.measure:
            yield "measure", choices.MEASURES[measure].lower(), same, replace(choice, measure=measure)
    low, high = bounds(comparison, choice)
    first, last = float(comparison.speed_rpm[0]), float(comparison.speed_rpm[-1])
    for label, ends in (
        ("from 300 rpm lower", (max(low - SHIFT_RPM, first), high)), ("from 300 rpm higher", (low + SHIFT_RPM, high)),
        ("to 300 rpm lower", (low, high - SHIFT_RPM)), ("to 300 rpm higher", (low, min(high + SHIFT_RPM, last))),
    ):  # fmt: skip
        if ends != (low, high) and ends[0] < ends[1]:
            yield "range", label, same, replace(choice, low_rpm=ends[0], high_rpm=ends[1])


def _without_each_pull(judged: Judgment, out: Collection[int]) -> Iterator[Variation]:
    """Each pull of a setup that has others excluded in turn: at once from the fit that there is, where that says it."""
    comparison, choice, counts = judged.comparison, judged.choice, judged.fitted.counts
    found: Sequence[tuple[int, tuple[int, ...]] | None] = [None] * len(comparison.kept)
    if choice.school is School.MEAN and not choice.account_for:
        scores, smallest = score(comparison, choice).scores, comparison.programme.smallest_difference
        found = list(leaders_without_each(judged.fitted, scores, comparison.baseline, smallest, out))
    for row, one in enumerate(comparison.kept):
        if counts[comparison.setup_of[row]] > 1:
            label, leaders = f"without pull {one.pull.number}", found[row]
            if leaders is None:
                yield _try(judged, "pull", label, partial(without, comparison, row), choice, out)
            else:
                yield Variation("pull", label, leaders[1], leaders[1] == judged.level, len(leaders[1]) == 1)


def _try(
    judged: Judgment, kind: str, label: str, pulls: Callable[[], Comparison], choice: Choice, out: Collection[int]
) -> Variation:
    try:
        comparison = pulls()
        fitted = score(comparison, choice).fitted
        _, level = verdict.leaders(fitted, comparison.baseline, comparison.programme.smallest_difference, out)
    except (Refusal, NotEnoughPulls, ValueError) as reason:
        return Variation(kind, label, (), False, False, str(reason))
    return Variation(kind, label, level, level == judged.level, len(level) == 1)


def under(comparison: Comparison, standard: Standard) -> Comparison:
    """The same pulls under another standard. Refusal where one of them cannot be."""
    kept = [kept_pull.under(*correction_of(kept_pull.pull, standard)) for kept_pull in comparison.kept]
    shares = [[new.factor / old.factor] for new, old in zip(kept, comparison.kept, strict=True)]
    return replace(comparison, standard=standard, kept=kept, torque=comparison.torque * shares,
                   power=comparison.power * shares)  # fmt: skip


def without(comparison: Comparison, row: int) -> Comparison:
    """The same without one pull; its bins stay as they are."""
    kept = [one for at, one in enumerate(comparison.kept) if at != row]
    rest = [at for at in range(len(comparison.kept)) if at != row]
    return replace(comparison, kept=kept, layout=comparison.layout.without(row), torque=comparison.torque[rest],
                   power=comparison.power[rest])  # fmt: skip


NAMES = {"standard": "standards", "school": "rules for the pull that stands", "measure": "measures", "range": "ranges",
         "pull": "pulls excluded"}  # fmt: skip


def sentence(judged: Judgment, found: Collection[Variation]) -> str:
    """Whether the choice holds, in one or two sentences."""
    tried = [one for one in found if not one.why_not]
    if not tried or len(judged.placings) < 2:
        return ""
    letters = [setup.letter for setup in judged.comparison.setups]
    changed = [one for one in tried if not one.held]
    level = listed([letters[setup] for setup in judged.level])
    what = f"That {level} lead together" if judged.winner is None else f"The choice of {letters[judged.winner]}"
    if not changed:
        kinds = dict.fromkeys(one.kind for one in tried)
        which = listed([NAMES[kind] for kind in kinds])
        return f"{what} holds under every one of {len(tried)} variations: {which}. {SAME_PULLS}"
    named = []
    for one in changed[:4]:
        who = listed([letters[setup] for setup in one.level])
        named.append(f"{one.label} ({who} {'wins' if one.called else 'lead together'})")
    more = f" and {len(changed) - 4} more" if len(changed) > 4 else ""
    held = f"{what} holds in {len(tried) - len(changed)} of {len(tried)} variations."
    return f"{held} It does not hold with: {', '.join(named)}{more}. {SAME_PULLS}"
