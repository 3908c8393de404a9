"""A verdict in plain sentences, composed from its numbers and never surer than they are."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from torvix_core.judging.difference import SMALLEST_DIFFERENCE, DifferenceState
from torvix_core.judging.lead_strip import Crossover, Lead
from torvix_core.judging.verdict import Placing, state_of_level
from torvix_core.judging.win_probability import MOST_SURE
from torvix_core.units.grammar import listed, plural

MOST_STRETCHES = 5  # of the lead strip that one sentence tells; more stand in a list


@dataclass(frozen=True)
class Wording:
    """Labels and units for the sentences: setups by index, and the score unit with SI per unit.

    `kind` says what a score is, so that an average is not read as a peak; empty of a peak.
    """

    labels: tuple[str, ...]
    unit: str
    si_per_unit: float
    kind: str = " on average"

    def score(self, value: float) -> str:
        return f"{self.amount(value)} {self.unit}{self.kind}"

    def amount(self, value: float) -> str:
        return f"{value / self.si_per_unit:.1f}"

    def change(self, share: float, half_width: float, base: float, than: int) -> str:
        more = "more" if share >= 0 else "less"
        return f"{self.amount(abs(share) * base)} ± {self.amount(half_width * base)} {more} than {self.labels[than]}"


def sureness(chance: float) -> str:
    """A chance as it is written.

    Shapes: scalar.
    Units:  [-].
    Errors: none.
    Source: house rule: nothing is surer than MOST_SURE.
    >>> sureness(0.938), sureness(0.9999)
    ('94 % sure', 'more than 99 % sure')
    """
    return (
        f"more than {MOST_SURE:.0%}".replace("%", " %") + " sure"
        if chance > MOST_SURE
        else f"{chance * 100:.0f} % sure"
    )


def percent(share: float) -> str:
    """A share as it stands in a sentence: one digit behind the point, two below a tenth.

    Shapes: scalar.
    Units:  [-] into %.
    Errors: none.
    Source: house rule.
    >>> percent(0.0123), percent(0.0006)
    ('1.2 %', '0.06 %')
    """
    return f"{share * 100:.1f} %" if abs(share) >= 0.001 else f"{share * 100:.2f} %"


def signed_percent(share: float) -> str:
    """A share with its sign, as `percent` writes it.

    Shapes: scalar.
    Units:  [-] into %.
    Errors: none.
    Source: house rule.
    >>> signed_percent(0.0123), signed_percent(-0.004)
    ('+1.2 %', '−0.4 %')
    """
    return ("+" if share >= 0 else "−") + percent(abs(share))


def state_words(state: DifferenceState, at_most: float) -> str:
    """How setups stand to each other that are not separated.

    Shapes: scalars.
    Units:  `at_most` [-].
    Errors: none.
    Source: house rule: a wash is said of what is equal, or small, with its bound.
    >>> state_words(DifferenceState.SMALL, 0.007), state_words(DifferenceState.UNDECIDED, 0.03)
    ('a wash within 0.7 %', 'undecided within 3.0 %')
    """
    if state is DifferenceState.EQUAL:
        return "equal"
    return f"{'a wash' if state is DifferenceState.SMALL else 'undecided'} within {percent(at_most)}"


def choice_sentence(
    placings: Sequence[Placing], baseline: int, duty: str, wording: Wording, out: Collection[int] = (),
    smallest: float = SMALLEST_DIFFERENCE,
) -> str:  # fmt: skip
    """The ranking for a duty in one or two sentences, with the figure and its certainty.

    Shapes: the placings of `verdict.rank`.
    Units:  scores in SI, in the unit of `wording`. `duty` such as "For the hill climb"; `out` as `verdict.rank`.
    Errors: none.
    Source: house rule: never more certain than the numbers, never a rank among equals.
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> from torvix_core.judging.verdict import rank
    >>> import numpy as np
    >>> effects = fit(np.array([100.0, 100.4, 110, 110.4]), Layout.of([0, 0, 1, 1]))
    >>> choice_sentence(rank(effects, 0), 0, "Over the whole range", Wording(("A", "B"), "N·m", 1.0))
    'Over the whole range choose B: it makes 110.1 N·m on average, 9.7 ± 1.7 more than A.'
    """
    known = [placing for placing in placings if placing.supported]
    # The best of those that may be chosen; others may make more.
    best, label = next(placing for placing in known if placing.to_best is None), wording.labels
    apart = [label[placing.setup] for placing in placings if not placing.supported]
    rest = (
        f" {listed(apart)} and {label[baseline]} are not comparable: they were never run on one day, nor through a "
        "setup that was run on both." if apart else ""
    )  # fmt: skip
    if len(known) == 1:
        return f"{duty} {label[best.setup]} makes {wording.score(best.score)}; nothing to compare.{rest}"
    level = [placing.setup for placing in known if placing.with_the_best]
    if len(level) > 1:
        return f"{duty} {_level_sentence(known, baseline, wording, smallest)}{rest}"
    against = []
    rivals = [placing for placing in known[known.index(best) + 1 :] if placing.setup not in out]
    second = rivals[0] if rivals else None
    if second is not None and second.setup != baseline and second.to_best is not None:
        lag = second.to_best
        against.append(wording.change(-float(lag.change), float(lag.half_width), best.score, second.setup))
    if best.to_baseline is not None:
        base, gain = next(one.score for one in known if one.setup == baseline), best.to_baseline
        against.append(wording.change(float(gain.change), float(gain.half_width), base, baseline))
    verb = "leave it at" if best.setup == baseline else "choose"
    among = listed([label[one] for one in sorted(placing.setup for placing in known if placing.setup not in out)])
    sure = f" {best_of(best.chance_best, among)}" if best.chance_best else ""
    makes = ", ".join([f"it makes {wording.score(best.score)}", *filter(None, [listed(against)])])
    return f"{duty} {verb} {label[best.setup]}: {makes}.{sure}{rest}"


def best_of(chance: float, among: str) -> str:
    """How sure it is that a setup is the best of those named: by these pulls, which say nothing of fitting it anew.

    Shapes: scalar.
    Units:  chance as a share.
    Errors: none.
    Source: house rule.
    >>> best_of(0.93, "A and B")
    'By these pulls it is 93 % sure to be the best of A and B; fitting it anew is not counted.'
    """
    return f"By these pulls it is {sureness(chance)} to be the best of {among}; fitting it anew is not counted."


def _level_sentence(known: Sequence[Placing], baseline: int, wording: Wording, smallest: float) -> str:
    """What is said of the best where it is not ahead of every other."""
    label = wording.labels
    best = next(placing for placing in known if placing.to_best is None)
    level = [placing for placing in known if placing.with_the_best]
    names = listed([label[one] for one in sorted(placing.setup for placing in level)])
    behind = [label[one.setup] for one in known if not one.with_the_best and one.score < best.score]
    after = f" {listed(behind)} {plural('is', len(behind))} behind {label[best.setup]}." if behind else ""
    state = state_of_level(known, smallest)
    most = max(float(one.to_best.at_most) for one in level if one.to_best is not None)
    if state is DifferenceState.EQUAL:
        stay = baseline in [placing.setup for placing in level]
        no_reason = f" Nothing here is a reason to change from {label[baseline]}." if stay else ""
        return (
            f"{names} are equal: they differ by less than {percent(smallest)}, which does not matter.{after}{no_reason}"
        )
    if state is DifferenceState.SMALL:
        return f"{names} are a wash: they are not separated, and differ by at most {percent(most)}.{after}"
    probably = f"{label[best.setup]} is probably the best ({sureness(best.chance_best)})" if best.chance_best else ""
    second = max((one for one in level if one.to_best is not None), key=lambda one: one.score)
    assert second.to_best is not None
    change, half = -float(second.to_best.change), float(second.to_best.half_width)
    amounts = " ± ".join(wording.amount(abs(share) * best.score) for share in (change, half))
    by = f"it makes {amounts} {wording.unit} {'more' if change >= 0 else 'less'} than {label[second.setup]}"
    return f"it is undecided between {names}: {', '.join(filter(None, [probably, by]))}.{after}"


def strip_sentence(strip: Sequence[Lead], wording: Wording) -> str:
    """The lead strip in one sentence, from low speed to high. Empty where there is nothing to compare.

    Shapes: the strip of `lead_strip`.
    Units:  gains in SI, written in the unit of `wording`.
    Errors: none.
    Source: house rule.
    >>> leads = [Lead(3000, 3350, (0,), 1, 5.0, 1.0), Lead(3350, 3600, (0, 1)), Lead(3600, 3700, (1,), 0, 2.0, 1.0)]
    >>> strip_sentence(leads, Wording(("A", "B"), "N·m", 1.0))
    'A leads by 5.0 ± 1.0 N·m from 3000 to 3350 rpm, A and B together to 3600 rpm, B by 2.0 ± 1.0 N·m to 3700 rpm.'
    """
    if not strip:
        return ""
    if len(strip) == 1 and not strip[0].alone:
        names = listed([wording.labels[one] for one in sorted(strip[0].leaders)])
        return f"{names} lead together at every speed that was run: {state_words(strip[0].state, strip[0].at_most)}."
    if len(strip) > MOST_STRETCHES:
        ever = listed([wording.labels[one] for one in sorted({one for lead in strip for one in lead.leaders})])
        span = f"From {strip[0].low_rpm:.0f} to {strip[-1].high_rpm:.0f} rpm"
        return f"{span} the lead passes through {len(strip)} stretches among {ever}."
    parts = []
    for place, lead in enumerate(strip):
        names = listed([wording.labels[one] for one in sorted(lead.leaders)])
        span = f"from {lead.low_rpm:.0f} to {lead.high_rpm:.0f} rpm" if not place else f"to {lead.high_rpm:.0f} rpm"
        if lead.alone:
            by = f"by {wording.amount(lead.gain)} ± {wording.amount(lead.half_width)} {wording.unit} "
            parts.append(f"{names} {'leads ' if not place else ''}{by}{span}")
        else:
            parts.append(f"{names} {'lead ' if not place else ''}together {span}")
    return ", ".join(parts) + "."


def stretch_sentences(strip: Sequence[Lead], wording: Wording) -> tuple[str, ...]:
    """One sentence for each stretch of the lead strip, from low speed to high.

    Shapes: the strip of `lead_strip`.
    Units:  gains in SI, written in the unit of `wording`.
    Errors: none.
    Source: house rule.
    >>> strip = [Lead(3000, 3350, (0,), 1, 5.0, 1.0),
    ...          Lead(3350, 3700, (1, 0), state=DifferenceState.UNDECIDED, at_most=0.021)]
    >>> stretch_sentences(strip, Wording(("A", "B"), "N·m", 1.0))[1]
    'From 3350 to 3700 rpm A and B lead: undecided within 2.1 %.'
    """
    sentences = []
    for lead in strip:
        span = f"From {lead.low_rpm:.0f} to {lead.high_rpm:.0f} rpm"
        if not lead.alone:
            names = listed([wording.labels[one] for one in sorted(lead.leaders)])
            sentences.append(f"{span} {names} lead: {state_words(lead.state, lead.at_most)}.")
        elif lead.runner_up is None:
            sentences.append(f"{span} {wording.labels[lead.leaders[0]]} stands alone.")
        else:
            sentences.append(
                f"{span} {wording.labels[lead.leaders[0]]} leads {wording.labels[lead.runner_up]} by "
                f"{wording.amount(lead.gain)} ± {wording.amount(lead.half_width)} {wording.unit}."
            )
    return tuple(sentences)


def crossover_sentences(
    crossovers: Sequence[Crossover], wording: Wording, low_rpm: float, high_rpm: float,
    evidence: Sequence[str] = (),
) -> tuple[str, ...]:  # fmt: skip
    """Where one setup overtakes another, with its bounds, and between which speeds and by what that was seen.

    Shapes: the crossovers of `lead_strip`.
    Units:  rpm. `evidence` is of each crossover, such as "6 pulls in 1 session".
    Errors: none.
    Source: house rule.
    >>> crossover_sentences([Crossover(4650.0, 80.0, 0, 1)], Wording(("A", "B"), "N·m", 1.0), 2400, 6500)
    ('Below 4650 ± 80 rpm A makes more than B, above it B; seen from 2400 to 6500 rpm.',)
    """
    texts = []
    for place, cross in enumerate(crossovers):
        where = f"{cross.speed_rpm:.0f} rpm, give or take more than was run,"
        if cross.half_width_rpm is not None:
            where = f"{cross.speed_rpm:.0f} ± {cross.half_width_rpm:.0f} rpm"
        before, after = wording.labels[cross.before], wording.labels[cross.after]
        texts.append(
            f"Below {where} {before} makes more than {after}, above it {after}; seen from {low_rpm:.0f} to "
            f"{high_rpm:.0f} rpm{f' in {evidence[place]}' if evidence else ''}."
        )
    return tuple(texts)
