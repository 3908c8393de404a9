"""How far a verdict may be trusted, and what it does not cover, in sentences."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from torvix_core.air.standards import DEFINITIONS
from torvix_core.judging import effects
from torvix_core.judging.effects import Effects
from torvix_core.judging.representative_pull import School
from torvix_core.judging.sentences import listed

from verdicts.comparison.aligned_pulls import Comparison
from verdicts.judging import choice as choices
from verdicts.judging.service import Judgment
from verdicts.prior import known_scatter

WIDER = 1.1  # times the interval of one day's pulls; less is not worth a word


def method(judged: Judgment) -> str:
    """How the numbers were made, for the foot of the page."""
    choice, label = judged.choice, DEFINITIONS[judged.choice.standard].label
    measure = choices.MEASURES[choice.measure]
    weighed = (
        "" if choice.measure.is_peak else f", {choices.label(judged.preset).lower()} weighting of the 100 rpm table"
    )
    return (
        f"{choices.rule(choice)}; {label}; {measure.lower()}{weighed}. Setup, session and drift fitted together on "
        "the logarithm of the score; scatter pooled over setups. Intervals are 95 % for all pairs of setups together "
        "(studentized range), along the curves also for all speeds together."
    )


def notes(judged: Judgment) -> list[str]:
    """What a reader must know before believing the ranking, the gravest first."""
    comparison, fitted = judged.comparison, judged.fitted
    return [
        *_links(comparison, fitted), *_drift(comparison, fitted), *_choice(judged),
        known_scatter.scatter_sentence(comparison.programme), *_scatter(fitted), *_limits(judged),
    ]  # fmt: skip


def _links(comparison: Comparison, fitted: Effects) -> Iterator[str]:
    sessions = comparison.layout.sessions
    if sessions < 2:
        return
    base = comparison.baseline
    letters = [setup.letter for setup in comparison.setups]
    apart = [letters[one] for one in range(len(letters)) if not fitted.linked(one, base)]
    if apart:
        yield (
            f"{listed(apart)} and {letters[base]} were never run on one day, nor through a setup that was run on both: "
            f"not supported. Run {letters[base]} again beside {'it' if len(apart) == 1 else 'them'}."
        )
    shared = [
        letters[one]
        for one in range(len(letters))
        if len(set(comparison.layout.session[comparison.setup_of == one].tolist())) > 1
    ]
    if shared:
        yield (
            f"The kept pulls come from {sessions} sessions, linked through {listed(shared)}: what changed from day to "
            f"day is taken out.{_cost_of_link(comparison, fitted)}"
        )


def _cost_of_link(comparison: Comparison, fitted: Effects) -> str:
    """By how much the link widens the interval that suffers most from it."""
    base, counts = comparison.baseline, fitted.counts
    worst, at = 1.0, None
    for one in range(len(counts)):
        if one != base and fitted.linked(one, base):
            plain = 1 / counts[one] + 1 / counts[base]
            wider = float(np.sqrt(fitted.model.variance(one, base) / plain))
            if wider > worst:
                worst, at = wider, one
    if at is None or worst < WIDER:
        return ""
    letters = comparison.setups[at].letter, comparison.setups[base].letter
    return f" That costs: the interval of {letters[0]} against {letters[1]} is {worst:.1f} times as wide as on one day."


def _drift(comparison: Comparison, fitted: Effects) -> Iterator[str]:
    sessions = list(dict.fromkeys(kept_pull.pull.session for kept_pull in comparison.kept))
    for place, session in enumerate(fitted.model.drifting):
        slope, whole = float(fitted.slopes[place]) * 100, float(fitted.drift()[place]) * 100
        day = f" on {sessions[session].opened_at:%d %b}" if len(sessions) > 1 else ""
        sizes = f"{slope:+.2f} % a pull, {whole:+.2f} % over the session".replace("-", "−")
        yield f"Drift{day}: {sizes}, taken out as a straight line."
    if bool(fitted.bent):
        yield (
            "The drift is not straight: the returns bend away from a line. The intervals are widened for it; warm the "
            "engine through, or return to the baseline more often."
        )
    elif bool(fitted.drifts_much):
        yield (
            f"More than {effects.LARGE_DRIFT * 100:.0f} % of drift was taken out. A warming engine drifts along a "
            "curve, and a line through it can make a winner of nothing: return to the baseline more often."
        )
    hidden = [
        one
        for one in range(comparison.layout.sessions)
        if one not in fitted.model.drifting and len(set(comparison.setup_of[comparison.layout.session == one])) > 1
    ]
    if hidden:
        rate = comparison.history.drift_per_pull * 100
        letter = comparison.setups[comparison.baseline].letter
        widest = max(
            comparison.history.drift_per_pull * fitted.model.hidden_places(one, comparison.baseline)
            for one in range(len(comparison.setups)) if fitted.linked(one, comparison.baseline)
        )  # fmt: skip
        yield (
            f"No return to a setup{_days(hidden, sessions)}: drift cannot be seen, so the intervals are widened by "
            f"{rate:.2f} % for each pull that lies between, up to {widest * 100:.1f} %. Pull {letter} once more at the "
            "end, and they narrow."
        )


def _days(hidden: Sequence[int], sessions: Sequence[object]) -> str:
    if len(sessions) < 2:
        return ""
    return f" in {len(hidden)} of {len(sessions)} sessions"


def _choice(judged: Judgment) -> Iterator[str]:
    counts = judged.fitted.counts
    if judged.choice.school in (School.BEST, School.LAST) and len(set(counts.tolist())) > 1:
        told = ", ".join(
            f"{setup.letter} {count}" for setup, count in zip(judged.comparison.setups, counts, strict=True)
        )
        yield f"The setups have unequal numbers of pulls ({told}): the best of more pulls reads higher."
    if judged.covered < 0.995 and not judged.choice.measure.is_peak:
        narrowed = judged.choice.low_rpm is not None or judged.choice.high_rpm is not None
        where = "outside the range chosen" if narrowed else "at speeds that not all setups were run at"
        yield f"{(1 - judged.covered) * 100:.0f} % of the duty lies {where}; it is left out, not guessed."
    if judged.choice.account_for:
        if len(judged.fitted.model.influence):
            for name, share in judged.account.items():
                size = f"{share * 100:+.2f} % a kelvin".replace("-", "−")
                yield f"{choices.COVARIATES[name].capitalize()} temperature is accounted for: {size}."
        else:
            yield "There are too few pulls to account for temperatures: it was not done."
    if any(
        kept_pull.peaks()[0].still_climbing or kept_pull.peaks()[1].still_climbing
        for kept_pull in judged.comparison.kept
    ):
        yield "Power was still climbing at the end of a sweep: a peak beyond it was not seen."


def _scatter(fitted: Effects) -> Iterator[str]:
    if fitted.own_scatter is None:
        yield "No setup was pulled twice: the scatter is taken from the history alone."
    elif fitted.history.weight and not bool(fitted.trusts_history):
        yield (
            f"These pulls scatter by {float(fitted.own_scatter) * 100:.2f} %, more than that history allows, so it is "
            "left out."
        )


def _limits(judged: Judgment) -> Iterator[str]:
    programme = judged.comparison.programme
    yield (
        f"It holds for this engine as it was tested, {programme.build}, from {judged.low_rpm:.0f} to "
        f"{judged.high_rpm:.0f} rpm; not for another camshaft, head or exhaust."
    )
    order = [(kept_pull.pull.session_id, kept_pull.pull.setup_id) for kept_pull in judged.comparison.kept]
    fittings = [this for before, this in zip([None, *order], order, strict=False) if this != before]
    once = [setup.letter for setup in judged.comparison.setups
            if sum(pk == setup.pk for _, pk in fittings) == 1 and not setup.is_baseline]  # fmt: skip
    if once:
        yield (
            f"{listed(once)} {'was' if len(once) == 1 else 'were'} fitted once: no number of pulls tells a part from "
            "its fitting. To be sure of a small gain take it off, put it on again and pull."
        )
