"""How far a verdict may be trusted, and what it does not cover, in sentences."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import tzinfo

import numpy as np
from torvix_core.air.standards import DEFINITIONS
from torvix_core.engine.dimensions import Slot
from torvix_core.judging import repeats
from torvix_core.judging.design_matrix import model_of
from torvix_core.judging.effects import Effects
from torvix_core.judging.repeats import variance_of_gap
from torvix_core.judging.representative_pull import School
from torvix_core.units.grammar import listed, plural

from programmes.plan import derived_changes
from programmes.plan.plans import Plan
from shop import moments
from stand.models import Session
from verdicts.comparison import health
from verdicts.comparison.aligned_pulls import Comparison
from verdicts.judging import choice as choices
from verdicts.judging import plausibility
from verdicts.judging.service import Judgment
from verdicts.prior import known_scatter

BREATHING = {Slot.CAMSHAFT: "camshaft", Slot.CYLINDER_HEAD: "head", Slot.HEADER: "exhaust"}
WIDER = 1.1  # times the interval of one day's pulls; less is not worth a word


def method(judged: Judgment) -> str:
    """How the numbers were made, for the foot of the page."""
    choice, label = judged.choice, DEFINITIONS[judged.choice.standard].label
    measure = choices.MEASURES[choice.measure]
    weighed = (
        "" if choice.measure.is_peak else f", {choices.label(judged.preset).lower()} weighting of the 100 rpm table"
    )
    return (
        f"{choices.rule(choice)}; {label}; {measure.lower()}{weighed}. Setup, session and drift fitted together "
        "on the logarithm of the score; scatter pooled over setups. Intervals are 95 % for one setup against "
        "another; along the curves for all speeds together, in the groups for all pairs of setups together."
    )


def notes(judged: Judgment, plan: Plan, by: tzinfo) -> list[str]:
    """What a reader must know before believing the ranking, the gravest first; days by the shop's clock."""
    comparison, fitted = judged.comparison, judged.fitted
    return [
        *_links(comparison, fitted), *filter(None, [health.sentence(comparison, judged.choice.healthy_only)]),
        *plausibility.sentences(judged, plan), *_derived(judged, plan), *_drift(comparison, fitted, by),
        *_choice(judged), known_scatter.scatter_sentence(comparison.programme),
        known_scatter.drift_sentence(comparison.programme),
        *_scatter(fitted), *_limits(judged, plan),
    ]  # fmt: skip


def _derived(judged: Judgment, plan: Plan) -> Iterator[str]:
    """What of a gain may be something else that the part changes: the ratio of other heads."""
    gains = {placing.setup: placing.to_baseline for placing in judged.placings}
    place_of = {setup.pk: place for place, setup in enumerate(judged.comparison.setups)}
    for one in derived_changes.ratio_changes(plan, judged.comparison.programme.build):
        setup = place_of.get(plan.setups[one.place].pk or 0)
        gain = gains.get(setup) if setup is not None else None
        if setup is None or gain is None:
            continue
        verb = "raises" if one.after > one.before else "lowers"
        worth, by = derived_changes.signed_span(one.low, one.high), abs(one.after - one.before)
        yield (
            f"{judged.comparison.setups[setup].letter} also {verb} the static ratio by {by:.1f} ({one.before:.1f}:1 to "
            f"{one.after:.1f}:1), worth about {worth} by itself: of its {float(gain.change) * 100:+.1f} % that much "
            "may be the ratio, not the flow."
        )


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
            f"not comparable. Run {letters[base]} again beside {'it' if len(apart) == 1 else 'them'}."
        )
    shared = [
        letters[one]
        for one in range(len(letters))
        if len(set(comparison.layout.session[comparison.setup_of == one].tolist())) > 1
    ]
    if shared:
        yield (
            f"The accepted pulls come from {sessions} sessions, linked through {listed(shared)}: what changed from day "
            f"to day is taken out.{_cost_of_link(comparison, fitted)}"
        )


def _cost_of_link(comparison: Comparison, fitted: Effects) -> str:
    """By how much the link widens the interval that suffers most from it."""
    base, counts, scatter = comparison.baseline, fitted.counts, float(fitted.scatter)
    worst, at = 1.0, None
    for one in range(len(counts)):
        if one != base and fitted.linked(one, base):
            plain = scatter**2 * (1 / counts[one] + 1 / counts[base])
            wider = float(np.sqrt(variance_of_gap(fitted.model, one, base, scatter) / plain))
            if wider > worst:
                worst, at = wider, one
    if at is None or worst < WIDER:
        return ""
    letters = comparison.setups[at].letter, comparison.setups[base].letter
    return f" That costs: the interval of {letters[0]} against {letters[1]} is {worst:.1f} times as wide as on one day."


def _drift(comparison: Comparison, fitted: Effects, by: tzinfo) -> Iterator[str]:
    """What drift was found in each session, how well, and what would tell it better."""
    layout = fitted.model.layout
    sessions = list(dict.fromkeys(kept_pull.pull.session for kept_pull in comparison.kept))
    for place, session in enumerate(sessions):
        if not layout.span(place):
            continue
        slope, error = float(fitted.slopes[place]) * 100, float(fitted.slope_errors[place]) * 100
        day = f" on {moments.day(session.opened_at, by)}" if len(sessions) > 1 else ""
        sizes = f"{slope:+.2f} ± {1.96 * error:.2f} % per pull, {slope * layout.span(place):+.1f} % over the session"
        yield f"Drift{day}: {sizes.replace('-', '−')}; taken out, and what is not known of it is in the intervals."
    if bool(fitted.is_bent):
        yield (
            f"The drift does not look straight ({float(fitted.bent) * 100:.0f} % likely bent), as in an engine "
            "that was not warm through. The intervals allow for it as far as these pulls tell; pull no setup "
            "but the warm engine again, or return to the baseline more often."
        )
    straight = [place for place in range(len(sessions)) if not layout.returns(place)
                and len(set(layout.setup[layout.session == place])) > 1]  # fmt: skip
    if straight:
        where = f" in {len(straight)} of {len(sessions)} sessions" if len(sessions) > 1 else ""
        yield (
            f"No return to a setup{where}: the drift shows only in pulls of one setup that follow each other, "
            f"by other days and by what is usual.{_what_a_return_buys(comparison, fitted, sessions)}"
        )


def _what_a_return_buys(comparison: Comparison, fitted: Effects, sessions: Sequence[Session]) -> str:
    """Advice for a session that is still open; what a closed one lacks cannot be had any more."""
    open_ones = [session for session in sessions if session.closed_at is None]
    base, layout, scatter = comparison.baseline, fitted.model.layout, float(fitted.scatter)
    others = [one for one in range(layout.setups) if one != base and fitted.linked(one, base)]
    if not open_ones or open_ones[-1] != sessions[-1] or not others:
        return ""
    wider = repeats.longer(layout, [base])
    drift = fitted.history.drift
    worst = max(others, key=lambda one: float(variance_of_gap(fitted.model, one, base, scatter)))
    now, then = (
        float(np.sqrt(variance_of_gap(model_of(each, drift), worst, base, scatter))) for each in (layout, wider)
    )
    letters = comparison.setups[base].letter, comparison.setups[worst].letter
    return (
        f" One more pull of {letters[0]} now would narrow the interval of {letters[1]} against {letters[0]} to "
        f"{then / now * 100:.0f} % of its width."
    )


def _choice(judged: Judgment) -> Iterator[str]:
    counts = judged.fitted.counts
    if judged.choice.school in (School.BEST, School.LAST) and len(set(counts.tolist())) > 1:
        told = ", ".join(
            f"{setup.letter} {count}" for setup, count in zip(judged.comparison.setups, counts, strict=True)
        )
        yield f"The setups have unequal numbers of pulls ({told}): the best of more pulls reads higher."
    if judged.covered < 0.995 and not judged.choice.measure.is_peak:
        narrowed = judged.choice.low_rpm is not None or judged.choice.high_rpm is not None
        where = (
            "outside the speeds chosen"
            if narrowed or judged.choice.healthy_only
            else "at speeds that not all setups were run at"
        )
        yield f"{(1 - judged.covered) * 100:.0f} % of the duty lies {where}; it is excluded, not guessed."
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
        twice = bool((fitted.counts > 1).any())
        why = "Drift takes up all that was pulled twice" if twice else "No setup was pulled twice"
        yield f"{why}: the scatter is taken from the history alone."
    elif fitted.history.weight and not bool(fitted.trusts_history):
        yield (
            f"These pulls scatter by {float(fitted.own_scatter) * 100:.2f} %, more than that history allows, so it is "
            "left out."
        )


def _limits(judged: Judgment, plan: Plan) -> Iterator[str]:
    programme = judged.comparison.programme
    yield (
        f"It holds for this engine as it was tested, {programme.build}, from {judged.low_rpm:.0f} to "
        f"{judged.high_rpm:.0f} rpm; {_scope(judged, plan)}"
    )
    order = [(kept_pull.pull.session_id, kept_pull.pull.setup_id) for kept_pull in judged.comparison.kept]
    fittings = [this for before, this in zip([None, *order], order, strict=False) if this != before]
    once = [setup.letter for setup in judged.comparison.setups
            if sum(pk == setup.pk for _, pk in fittings) == 1 and not setup.is_baseline]  # fmt: skip
    if once:
        yield (
            f"{listed(once)} {plural('was', len(once))} fitted once: repeat pulls cannot separate a part from how it "
            "was fitted. To be sure of a small gain, refit it and test again."
        )


def _scope(judged: Judgment, plan: Plan) -> str:
    """What it does not hold for: another of the parts that decide how an engine breathes and were not compared."""
    compared = {setup.pk for setup in judged.comparison.setups}
    levels = [setup.levels() for setup in plan.setups if setup.pk in compared]
    same = [name for slot, name in BREATHING.items() if len({each.get(slot) for each in levels}) <= 1]
    return (
        f"not for another {' or '.join(filter(None, [', '.join(same[:-1]), same[-1]]))}."
        if same
        else "for the parts compared."
    )
