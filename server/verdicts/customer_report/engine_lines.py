"""The engine of a report in three lines, for who was not in the shop: block, camshaft, fuel and induction."""

from __future__ import annotations

from collections.abc import Mapping

from torvix_core.engine.dimensions import SHEET, Dimension
from torvix_core.engine.fuel import FUELS, Fuel
from torvix_core.engine.geometry import displacement

from engines.models import Build
from engines.sheet import sheets
from engines.sheet.entries import show

CAMSHAFT = ("intake_duration_050", "exhaust_duration_050", "intake_duration", "exhaust_duration", "intake_lift",
            "exhaust_lift", "lobe_separation")  # fmt: skip


def engine_lines(build: Build, units: Mapping[str, str]) -> list[str]:
    """As far as the sheet of the build tells; a line of which nothing is known says so."""
    known = sheets.values(build.readings.all())

    def shown(key: str) -> str:
        value = known.get(key)
        dimension: Dimension | None = SHEET.get(key)
        return "" if value is None or dimension is None else show(units, dimension, value)

    block = []
    bore, stroke, cylinders = (known.get(key) for key in ("bore", "stroke", "cylinders"))
    if isinstance(bore, float) and isinstance(stroke, float):
        block.append(f"bore {shown('bore')}, stroke {shown('stroke')}")
        if isinstance(cylinders, float | int):
            litres = float(displacement(bore, stroke, int(cylinders))) * 1000
            block.insert(0, f"{int(cylinders)} cylinders, {litres:.2f} l ({litres * 61.0237:.0f} in³)")
    worked = sheets.work_out(sheets.sheet_of(build)).figures
    ratio = next((figure.amount for figure in worked if figure.rule.key == "static_ratio"), None)
    if ratio is not None and ratio.value is not None:
        block.append(f"ratio {ratio.value:.1f}:1")
    cam = [f"{SHEET[key].label.lower()} {shown(key)}" for key in CAMSHAFT if shown(key)][:4]
    fuel = sheets.word(build, "fuel")
    burnt = FUELS[Fuel(fuel)].label if fuel in list(Fuel) else fuel
    return [
        f"Engine: {', '.join(block) or 'bore, stroke and ratio are not written down'}.",
        f"Camshaft: {', '.join(cam) or 'not written down'}.",
        f"Fuel: {burnt or 'not written down'}.",
    ]
