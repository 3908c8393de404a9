"""What was known of an engine's scatter when its programme began: what a verdict counts in beside its own pulls."""

from __future__ import annotations

from torvix_core.judging import effects
from torvix_core.judging.drift import DriftPrior
from torvix_core.judging.effects import History
from torvix_core.units.grammar import counted

from programmes.models import Programme
from verdicts.models import KnownScatter

MOST_WEIGHT = 6.0  # degrees of freedom a history counts as: data that disagree must win quickly [prac]


def history_of(programme: Programme) -> History:
    """The history that a programme's verdict counts in: what was written down when its first session opened."""
    known = KnownScatter.objects.filter(programme=programme).first()
    if known is None:
        return effects.USUAL
    return History(known.scatter, min(float(known.degrees_of_freedom), MOST_WEIGHT), drift_of(known), known=True)


def drift_of(known: KnownScatter) -> DriftPrior:
    """What was known of the drift; the usual where nothing was."""
    if known.drift_mean is None or known.drift_engine_sd is None or known.drift_day_sd is None:
        return effects.USUAL.drift
    return DriftPrior(known.drift_mean, known.drift_engine_sd, known.drift_day_sd)


def drift_sentence(programme: Programme) -> str:
    """In words, what drift a verdict expects of a day before its pulls are seen."""
    known = KnownScatter.objects.filter(programme=programme).first()
    if known is None or known.drift_mean is None:
        return (
            f"Nothing was known of its drift: from day to day {effects.USUAL.drift.sd * 100:.2f} % per pull, up or "
            "down, is taken as usual."
        )
    prior, whose = drift_of(known), "other engines on this stand" if known.of_stand else "this engine"
    size = f"{prior.mean * 100:+.2f} ± {prior.sd * 100:.2f} % per pull".replace("-", "−")
    return f"Drift as {whose} had it on earlier days: {size}."


def scatter_sentence(programme: Programme) -> str:
    """In words, where the scatter of a verdict comes from beside its own pulls."""
    known = KnownScatter.objects.filter(programme=programme).first()
    if known is None:
        usual = effects.USUAL
        return (
            f"Nothing was known of this engine before: a scatter of {usual.scatter:.1%} of a single pull is assumed, "
            f"counted as {usual.weight:.0f} degrees of freedom.".replace("%", " %")
        )
    whose = "other engines on this stand" if known.of_stand else "this engine"
    count = counted(known.programmes, "earlier test")
    weight = min(known.degrees_of_freedom, int(MOST_WEIGHT))
    return (
        f"Scatter is steadied by {count} of {whose}: {known.scatter * 100:.2f} % of a single pull, from "
        f"{known.degrees_of_freedom} degrees of freedom, counted as {weight}."
    )
