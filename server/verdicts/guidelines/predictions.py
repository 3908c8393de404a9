"""What guidelines expect of the setups of a plan: from where a prediction begins."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from torvix_core.judging.sentences import signed_percent
from torvix_core.units.grammar import counted

from programmes.models import Programme, Setup
from shop.models import Person
from shop.permissions import units_of
from verdicts.guidelines import messages
from verdicts.guidelines.evidence import Gathered, gather
from verdicts.guidelines.one_test import PartValues, differ_in_alone
from verdicts.guidelines.schemas import GuidelinePrediction
from verdicts.models import Guideline, GuidelineMeasure


def of_test(person: Person, programme: Programme) -> list[GuidelinePrediction]:
    """For every setup that differs from the baseline in a guideline's kind of part alone. Needs parts with readings."""
    setups = list(programme.setups.all())
    baseline = next((one for one in setups if one.is_baseline), None)
    if baseline is None:
        return []
    guidelines = list(Guideline.objects.filter(archived_at=None, measure=GuidelineMeasure.TORQUE))
    name, values, wanted = programme.build.engine.name.lower(), PartValues(), []
    for guideline in guidelines:
        if any(word not in name for word in guideline.engine_words.lower().split()):
            continue
        pairs = [(setup, *amounts) for setup in setups if setup.pk != baseline.pk
                 and (amounts := differ_in_alone(guideline, baseline, setup, values)) is not None]  # fmt: skip
        if pairs:
            wanted.append((guideline, pairs))
    gathered = {one.guideline.pk: one for one in gather(person, [guideline for guideline, _ in wanted])}
    return [
        _prediction(person, gathered[guideline.pk], setup, before, after)
        for guideline, pairs in wanted for setup, before, after in pairs
    ]  # fmt: skip


def _prediction(person: Person, found: Gathered, setup: Setup, before: float, after: float) -> GuidelinePrediction:
    guideline, pooled, span = found.guideline, found.pooled, found.span
    steps, units = (after - before) / guideline.step, units_of(person)

    def nothing(why: str) -> GuidelinePrediction:
        return GuidelinePrediction(setup_id=setup.pk, guideline_id=guideline.pk, statement=guideline.statement,
                                   sentence="", text="", why_not=why)  # fmt: skip

    if pooled is None or pooled.next_low is None or pooled.next_high is None or span is None:
        engines = counted(0 if pooled is None else pooled.count, "engine")
        return nothing(f"Measured on {engines}: three are needed to expect something of another.")
    if min(before, after) < span[0] - 1e-9 or max(before, after) > span[1] + 1e-9:
        tested = " to ".join(messages.amount(guideline, end, units) for end in span)
        return nothing(f"Tested from {tested} alone.")
    low, high = sorted((pooled.next_low * steps, pooled.next_high * steps))
    where = "" if guideline.low_rpm is None else f" from {guideline.low_rpm:.0f} to {guideline.high_rpm:.0f} rpm"
    mean = signed_percent(float(np.expm1(pooled.mean * steps)))
    reach = f"{signed_percent(float(np.expm1(low)))} to {signed_percent(float(np.expm1(high)))}"
    sentence = (
        f"{setup.letter}: {mean} torque{where} on average over {pooled.count} engines; on this one {reach} (95 %), "
        f"as {messages.amount(guideline, before, units)} becomes {messages.amount(guideline, after, units)}."
    )
    ends = f"{_per_cent(low, math.floor)} to {_per_cent(high, math.ceil)} %"
    return GuidelinePrediction(setup_id=setup.pk, guideline_id=guideline.pk, statement=guideline.statement,
                               sentence=sentence, text=f"{ends}{where}", why_not="")  # fmt: skip


def _per_cent(log_share: float, outward: Callable[[float], int]) -> str:
    """In tenths of a per cent, rounded outward."""
    return f"{outward(float(np.expm1(log_share)) * 1000) / 10:.1f}"
