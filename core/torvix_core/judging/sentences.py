"""A verdict in plain sentences, composed from its numbers and never surer than they are."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from torvix_core.judging.lead_strip import WASH, Crossover, Lead
from torvix_core.judging.verdict import Placing
from torvix_core.judging.win_probability import MOST_SURE


@dataclass(frozen=True)
class Wording:
    """Labels and units for the sentences: setups by index, and the score unit with SI per unit."""

    labels: tuple[str, ...]
    unit: str
    si_per_unit: float

    def amount(self, value: float) -> str:
        return f"{value / self.si_per_unit:.1f}"

    def change(self, share: float, half_width: float, base: float, than: int) -> str:
        more = "more" if share >= 0 else "less"
        return f"{self.amount(abs(share) * base)} ± {self.amount(half_width * base)} {more} than {self.labels[than]}"


def listed(names: Sequence[str]) -> str:
    """Names as a person lists them.

    Shapes: names (n,).
    Units:  none.
    Errors: none.
    Source: house rule.
    >>> listed(["A", "B", "C"])
    'A, B and C'
    """
    return " and ".join([", ".join(names[:-1]), names[-1]]) if len(names) > 1 else "".join(names)


def sureness(chance: float) -> str:
    """A chance as it is told.

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


def choice_sentence(
    placings: Sequence[Placing], baseline: int, duty: str, wording: Wording, out: Collection[int] = ()
) -> str:
    """The ranking for a duty in one or two sentences, with the figure and its certainty.

    Shapes: the placings of `verdict.rank`.
    Units:  scores in SI, told in the unit of `wording`. `duty` such as "For the hill climb"; `out` as `verdict.rank`.
    Errors: none.
    Source: house rule: never more certain than the numbers, never a rank inside a wash.
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> from torvix_core.judging.verdict import rank
    >>> import numpy as np
    >>> effects = fit(np.array([100.0, 100.4, 110, 110.4]), Layout.of([0, 0, 1, 1]))
    >>> choice_sentence(rank(effects, 0), 0, "Over the whole range", Wording(("A", "B"), "N·m", 1.0))
    'Over the whole range choose B: it makes 110.2 N·m, 10.0 ± 1.8 more than A.'
    """
    known = [placing for placing in placings if placing.supported]
    # The best of those that may be chosen; others may make more.
    best, label = next(placing for placing in known if placing.to_best is None), wording.labels
    apart = [label[placing.setup] for placing in placings if not placing.supported]
    rest = f" {listed(apart)} cannot be held against {label[baseline]}: no session links them." if apart else ""
    if len(known) == 1:
        return (
            f"{duty} {label[best.setup]} makes {wording.amount(best.score)} {wording.unit}; nothing to compare.{rest}"
        )
    level = [placing.setup for placing in known if placing.with_the_best]
    if len(level) > 1:
        behind = [label[one.setup] for one in known if not one.with_the_best and one.score < best.score]
        verb = "is" if len(behind) == 1 else "are"
        told = f" {listed(behind)} {verb} behind {label[best.setup]}." if behind else ""
        stay = f" Nothing here is a reason to change from {label[baseline]}." if baseline in level else ""
        return f"{duty} {listed([label[one] for one in sorted(level)])} are a wash.{told}{stay}{rest}"
    told_against = []
    rivals = [placing for placing in known[known.index(best) + 1 :] if placing.setup not in out]
    second = rivals[0] if rivals else None
    if second is not None and second.setup != baseline and second.to_best is not None:
        lag = second.to_best
        told_against.append(wording.change(-float(lag.change), float(lag.half_width), best.score, second.setup))
    if best.to_baseline is not None:
        base, gain = next(one.score for one in known if one.setup == baseline), best.to_baseline
        told_against.append(wording.change(float(gain.change), float(gain.half_width), base, baseline))
    verb = "leave it at" if best.setup == baseline else "choose"
    sure = f", {sureness(best.chance_best)} that it is the best of them" if best.chance_best else ""
    makes = ", ".join([f"it makes {wording.amount(best.score)} {wording.unit}", *filter(None, [listed(told_against)])])
    return f"{duty} {verb} {label[best.setup]}: {makes}{sure}.{rest}"


def strip_sentence(strip: Sequence[Lead], wording: Wording) -> str:
    """The lead strip in one sentence, from low speed to high. Empty where there is nothing to compare.

    Shapes: the strip of `lead_strip`.
    Units:  gains in SI, told in the unit of `wording`.
    Errors: none.
    Source: house rule.
    >>> leads = [Lead(3000, 3350, 0, 1, 5.0, 1.0), Lead(3350, 3600, WASH), Lead(3600, 3700, 1, 0, 2.0, 1.0)]
    >>> strip_sentence(leads, Wording(("A", "B"), "N·m", 1.0))
    'A leads by 5.0 ± 1.0 N·m from 3000 to 3350 rpm, B by 2.0 ± 1.0 N·m from 3600 to 3700 rpm, a wash between.'
    """
    called = [lead for lead in strip if lead.leader != WASH]
    if not called:
        return "At no engine speed does one lead: it is a wash throughout." if strip else ""
    told = []
    for place, lead in enumerate(called):
        by = f"by {wording.amount(lead.gain)} ± {wording.amount(lead.half_width)} {wording.unit}"
        span = f"from {lead.low_rpm:.0f} to {lead.high_rpm:.0f} rpm"
        told.append(f"{wording.labels[lead.leader]} {'leads ' if not place else ''}{by} {span}")
    washed = [lead for lead in strip if lead.leader == WASH]
    inner = [lead for lead in washed if called[0].high_rpm <= lead.low_rpm < called[-1].low_rpm]
    if washed and len(inner) == len(washed):
        told.append("a wash between")
    elif washed and not inner:
        told.append("a wash elsewhere" if len(washed) > 1 else
                    f"a wash {'below' if washed[0].high_rpm <= called[0].low_rpm else 'above'}")  # fmt: skip
    elif washed:
        told.append("a wash elsewhere")
    return ", ".join(told) + "."


def stretch_sentences(strip: Sequence[Lead], wording: Wording) -> tuple[str, ...]:
    """One sentence for each stretch of the lead strip, from low speed to high.

    Shapes: the strip of `lead_strip`.
    Units:  gains in SI, told in the unit of `wording`.
    Errors: none.
    Source: house rule.
    >>> stretch_sentences([Lead(3000, 3350, 0, 1, 5.0, 1.0), Lead(3350, 3700, WASH)], Wording(("A", "B"), "N·m", 1.0))
    ('From 3000 to 3350 rpm A leads B by 5.0 ± 1.0 N·m.', 'From 3350 to 3700 rpm it is a wash.')
    """
    sentences = []
    for lead in strip:
        span = f"From {lead.low_rpm:.0f} to {lead.high_rpm:.0f} rpm"
        if lead.leader == WASH:
            sentences.append(f"{span} it is a wash.")
        else:
            sentences.append(
                f"{span} {wording.labels[lead.leader]} leads {wording.labels[lead.runner_up]} by "
                f"{wording.amount(lead.gain)} ± {wording.amount(lead.half_width)} {wording.unit}."
            )
    return tuple(sentences)


def crossover_sentences(crossovers: Sequence[Crossover], wording: Wording) -> tuple[str, ...]:
    """Where to change over from one setup to the next, with its bounds.

    Shapes: the crossovers of `lead_strip`.
    Units:  rpm.
    Errors: none.
    Source: house rule.
    >>> crossover_sentences([Crossover(4650.0, 80.0, 0, 1)], Wording(("A", "B"), "N·m", 1.0))
    ('Below 4650 ± 80 rpm A makes more, above it B.',)
    """
    told = []
    for cross in crossovers:
        where = f"{cross.speed_rpm:.0f} rpm, give or take more than was run,"
        if cross.half_width_rpm is not None:
            where = f"{cross.speed_rpm:.0f} ± {cross.half_width_rpm:.0f} rpm"
        told.append(f"Below {where} {wording.labels[cross.before]} makes more, above it {wording.labels[cross.after]}.")
    return tuple(told)
