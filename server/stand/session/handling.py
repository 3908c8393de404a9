"""How a part is handled when it comes on: what it weighs, how it is lifted, what is hot. Common practice, no source."""

from __future__ import annotations

from collections.abc import Mapping

from torvix_core.engine.dimensions import Slot
from torvix_core.units import quantities

HEAVY_KG = 20.0  # for one person bent over an engine
HOT = {Slot.CYLINDER_HEAD, Slot.HEADER, Slot.INTAKE_MANIFOLD, Slot.LOWER_INTAKE, Slot.UPPER_INTAKE, Slot.GASKET}
WET = {Slot.CYLINDER_HEAD, Slot.INTAKE_MANIFOLD, Slot.LOWER_INTAKE}  # coolant runs out of the joint
FUELLED = {Slot.CARBURETOR, Slot.THROTTLE_BODY}
LIFTED = {Slot.CYLINDER_HEAD, Slot.HEADER, Slot.INTAKE_MANIFOLD, Slot.LOWER_INTAKE}  # where a mass is worth asking for
HOT_K = 318.15  # 45 °C, above which metal burns a hand that stays on it


def words(slot: str, facts: Mapping[str, float | str], coolant: float | None, units: Mapping[str, str]) -> list[str]:
    """What to mind with a part; `coolant` in K, None where the stand sends none."""
    found = []
    mass = facts.get("mass")
    lifting = str(facts.get("lifting", "")).strip()
    if isinstance(mass, int | float):
        shown = quantities.words(float(mass), units["mass"])
        found.append(f"{shown}: two people or a lift" if mass >= HEAVY_KG else shown)
    elif slot in LIFTED:
        found.append("mass not known: two people until it was weighed")
    if lifting:
        found.append(lifting)
    if slot in HOT:
        if coolant is None:
            found.append("may be hot: gloves, let it cool")
        elif coolant >= HOT_K:
            found.append(f"hot, coolant at {quantities.words(coolant, units['temperature'])}: gloves, let it cool")
    if slot in WET:
        found.append("coolant drained and its pressure off")
    if slot in FUELLED:
        found.append("fuel off, spills wiped up")
    return found
