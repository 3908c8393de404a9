"""A hundred thousand correction factors in one call, against the bare expression they come from; and a sheet."""

from __future__ import annotations

import time

import numpy as np
from numpy.typing import NDArray
from torvix_core.air.air import OVER_WATER, air_from_relative_humidity
from torvix_core.air.standards import Standard, correction
from torvix_core.engine import figures, findings
from torvix_core.engine.dimensions import SHEET
from torvix_core.engine.evidence import Evidence, Origin, settle
from torvix_core.engine.sheet import BuildSheet

from perf.ratio import measure
from perf.report import size, tell

COUNT = 100_000
Array = NDArray[np.float64]


def factors() -> None:
    generator = np.random.default_rng(3)
    pressure = generator.uniform(85_000, 103_000, COUNT)
    temperature = generator.uniform(275, 315, COUNT)
    humidity = generator.uniform(0.1, 0.9, COUNT)

    def ours() -> Array:
        return correction(air_from_relative_humidity(pressure, temperature, humidity), Standard.ISO_1585_SI).factor

    def bare() -> Array:
        a, b, c, d, e, _, g = OVER_WATER
        saturation = np.exp(
            a / temperature + b + c * temperature + d * temperature**2 + e * temperature**3 + g * np.log(temperature)
        )
        factor: Array = (99_000.0 / (pressure - humidity * saturation)) ** 1.2 * (temperature / 298.15) ** 0.6
        return factor

    if not np.allclose(ours(), bare(), rtol=1e-12, atol=0):
        raise AssertionError("the bare expression is not the one that is measured")
    tell(measure(f"{COUNT} factors from readings / bare NumPy expression", ours, bare, "under 5"))


def sheet() -> None:
    """How long every figure and finding of a full sheet takes: asked at each stroke of a key."""
    words = {key: found.choices[0][0] if found.choices else "words" for key, found in SHEET.items()}
    full = {key: (found.low + found.high) / 2 if found.has_value else words[key] for key, found in SHEET.items()}
    known = BuildSheet({key: settle([Evidence(Origin.REPORTED, value)]) for key, value in full.items()})
    times = []
    for _ in range(size(30, 2)):
        started = time.perf_counter()
        findings.find(known, figures.work_out(known))
        times.append(time.perf_counter() - started)
    tell("every figure of a full sheet", f"median {np.median(times) * 1e3:.1f} ms")
