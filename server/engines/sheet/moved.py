"""What two workings of a sheet say otherwise, in a reader's words: figures old and new, findings that come or go."""

from __future__ import annotations

from collections.abc import Mapping

from torvix_core.engine.sheet import Figure
from torvix_core.units import quantities

from engines.sheet.sheets import WorkedSheet
from shop.units import unit_for

NOT_KNOWN = "not known"


def moved_words(before: WorkedSheet, after: WorkedSheet, units: Mapping[str, str]) -> list[str]:
    """A line for each figure that reads otherwise, and for each finding that is new or gone."""
    known = {figure.rule.key: figure_text(figure, units) for figure in before.figures}
    lines = [
        f"{figure.rule.label} {known.get(figure.rule.key) or NOT_KNOWN} → {now or NOT_KNOWN}"
        for figure in after.figures
        if (now := figure_text(figure, units)) != known.get(figure.rule.key, "")
    ]
    said = [{finding.text for finding in worked.findings} for worked in (before, after)]
    lines += [f"New: {finding.text}" for finding in after.findings if finding.text not in said[0]]
    return lines + [f"No longer said: {finding.text}" for finding in before.findings if finding.text not in said[1]]


def figure_text(figure: Figure, units: Mapping[str, str]) -> str:
    """A figure with its unit; empty where nothing is known."""
    amount, unit = figure.amount, unit_for(figure.rule.figure, figure.rule.unit, units)
    if amount is None:
        return ""
    if amount.value is not None:
        return quantities.words(amount.value, unit)
    if amount.low is None or amount.high is None:
        return ""
    return f"{quantities.words(amount.low, unit)} to {quantities.words(amount.high, unit)}"
