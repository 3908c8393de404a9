"""A part between tested ones in plain sentences: what it would gain, what that rests on, and what speaks against it."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from torvix_core.beyond.deciding import SecondCause, goes_along
from torvix_core.beyond.slot_in import USUAL_ROUGHNESS, fewest_parts
from torvix_core.engine.dimensions import Dimension, Measure
from torvix_core.judging.sentences import signed_percent
from torvix_core.units.checked import Array
from torvix_core.units.grammar import listed

from engines.sheet import sheets
from engines.sheet.entries import show
from verdicts.slot_in.service import Between

NO_FAMILY = (
    "No two setups of this test differ in one part alone. Run another part of the same kind with everything else as it "
    "is, and what lies between them stands here."
)


def value_text(units: Mapping[str, str], dimension: Dimension, value: float | str | None) -> str:
    if value is None:
        return "not known"
    return f"{value:g}" if dimension.measure == Measure.NUMBER and not isinstance(value, str) else show(
        units, dimension, value
    )  # fmt: skip


def sentence(found: Between, speed_rpm: Array) -> str:
    """What the part would gain on the mean, or between which it lies where too few were run; empty without a part."""
    if found.part is None or found.at is None or found.refused:
        return ""
    if found.found is None:
        return "" if found.causes else _between(found)
    row = next(number for number, one in enumerate(found.used) if one.setup == found.reference)
    gain, low, high = (signed_percent(float(np.mean(each[row]))) for each in (
        found.found.change, found.found.low, found.found.high))  # fmt: skip
    return (
        f"Inferred, not measured: {found.part} over {found.used[row].part} {gain} ({low} to {high}) on the mean from "
        f"{speed_rpm[0]:.0f} to {speed_rpm[-1]:.0f} rpm."
    )


def _between(found: Between) -> str:
    below = [one for one in found.used if one.place is not None and found.at is not None and one.place <= found.at]
    above = [one for one in found.used if one.place is not None and found.at is not None and one.place >= found.at]
    wanted = fewest_parts(found.variable.key)
    resonates = " because it resonates" if wanted > 3 else ""
    there = len({one.place for one in found.used})
    return (
        f"{found.part} lies between {below[-1].part} and {above[0].part}. No curve is drawn: by "
        f"{_label(found)} it takes {wanted} different tested parts{resonates}, and "
        f"{there} {'is' if there == 1 else 'are'} there."
    )


def rests_on(found: Between, units: Mapping[str, str]) -> str:
    """The tested parts and where they stand, and where the one between does."""
    tested = listed([f"{one.part} ({value_text(units, found.variable, one.place)})" for one in found.used])
    at = value_text(units, found.variable, found.at)
    return f"{found.variable.label}: {found.part} at {at}, from {tested}."


def _label(found: Between) -> str:
    return found.variable.label[:1].lower() + found.variable.label[1:]


def basis(found: Between) -> list[str]:
    """What the band rests on."""
    if found.found is None:
        return []
    missed = [
        f"{one.part} by {miss * 100:.1f} %"
        for one, miss in zip(found.used, found.found.missed, strict=True) if np.isfinite(miss)
    ]  # fmt: skip
    return [
        f"A straight line between its neighbors misses {listed(missed)} of torque, scatter of the pulls included.",
        "The band is to hold the whole curve in nine of ten cases. In it are what the pulls do not settle, and how far "
        f"parts stray from a straight line over {_label(found)}: {found.found.roughness * 100:.1f} % by these parts. "
        f"Before any is seen, {USUAL_ROUGHNESS * 100:.1f} % is taken, our own assumption.",
    ]


def causes(found: Between, units: Mapping[str, str]) -> list[str]:
    """What does not go along with the deciding variable. With any of these nothing is drawn."""
    if not found.causes:
        return []
    first = f"No curve is drawn: what follows does not go along with {_label(found)}, so that alone does not decide."
    return [first, *(_cause(found, one, units) for one in found.causes)]


def _cause(found: Between, cause: SecondCause, units: Mapping[str, str]) -> str:
    used = [one for one in found.tested if one.used]
    whose = found.part if cause.part is None else used[cause.part].part
    value, expected = (value_text(units, cause.dimension, one) for one in (cause.value, cause.expected))
    remedy = "" if cause.part is None else f" Take {whose} out to go on without it."
    line = f"{cause.dimension.label} of {whose} is {value}; between its neighbors it would be {expected}."
    return f"{line}{remedy}"


def companions(found: Between, units: Mapping[str, str]) -> list[str]:
    """What else of the parts differs and goes along, or is not written down of the one between."""
    if found.part is None:
        return []
    own = sheets.values(found.part.readings.all())
    others = [sheets.values(one.part.readings.all()) for one in found.used]
    odd = {cause.dimension.key for cause in found.causes}
    lines = []
    for dimension in goes_along(found.slot, found.variable.key):
        values = [value for each in others if (value := each.get(dimension.key)) is not None]
        if (
            dimension.key in odd
            or not values
            or (len(set(values)) == 1 and own.get(dimension.key) in {None, values[0]})
        ):
            continue
        shown = listed([value_text(units, dimension, value) for value in values])
        mine = own.get(dimension.key)
        goes = "taken to go along" if mine is None else "goes along"
        lines.append(f"{dimension.label}: {value_text(units, dimension, mine)} beside {shown}, {goes}.")
    return lines
