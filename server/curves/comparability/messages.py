"""What a check of comparability found, in words and in the units of who reads it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from torvix_core.engine.dimensions import Slot
from torvix_core.pull import comparability
from torvix_core.pull.comparability import Basis, ComparabilityCheck, ComparabilityLevel
from torvix_core.units import quantities
from torvix_core.units.grammar import listed

from programmes.plan.plans import OWN, SETTING, row_label

NAMES = {
    "oil_temperature": "Oil", "coolant_temperature": "Coolant", "inlet_temperature": "Inlet air",
    "manifold_temperature": "Manifold surface", "mixture": "Mixture", "spark": "Ignition timing", "boost": "Boost",
    "sweep_rate": "Sweep rate", "correction": "Correction", "time_apart": "Time apart", "slots": "Parts and settings",
    "resolution": "Resolution", "range": "Range", "session": "Session", "first_pull": "First pull after a change",
    "fuel": "Fuel", "tune": "Tune", "operator": "Operator", "revision": "Engine revision",
    "simulated": "Engine or simulated stand",
}  # fmt: skip
BASES = {Basis.PHYSICS: "physics", Basis.PRACTICE: "common practice", Basis.STANDARD: "the standards", Basis.NONE: ""}
LEVELS = {
    ComparabilityLevel.OK: "ok",
    ComparabilityLevel.NOTE: "note",
    ComparabilityLevel.BLOCK: "not comparable",
    ComparabilityLevel.UNKNOWN: "not known",
}
WARMER = {"oil_temperature", "coolant_temperature", "inlet_temperature", "manifold_temperature"}


def unit_of(key: str, units: Mapping[str, str]) -> str:
    """The unit in which a person reads the difference of a check."""
    own = comparability.UNITS.get(key, "")
    return {"K": units["temperature"], "Pa": units["boost"], "1": "%", "s": "h"}.get(own, own)


def shown(key: str, si: float, units: Mapping[str, str]) -> float:
    """A difference in that unit: a temperature difference has no offset."""
    own, unit = comparability.UNITS.get(key, ""), unit_of(key, units)
    return si / quantities.to_si_rule(unit).scale if own and own != unit else si


def stored(key: str, value: float, units: Mapping[str, str]) -> float:
    """What a person typed in that unit, SI."""
    own, unit = comparability.UNITS.get(key, ""), unit_of(key, units)
    return value * quantities.to_si_rule(unit).scale if own and own != unit else value


def found_words(check: ComparabilityCheck, units: Mapping[str, str]) -> str:
    """What the second pull is against the first."""
    key, unit = check.key, unit_of(check.key, units)
    if check.level is ComparabilityLevel.UNKNOWN:
        return "not measured in both" if key != "fuel" else "not written down for both"
    if key == "range":
        return f"only {check.found:.0f} bins of speed in common"
    if key == "session":
        linked = check.level is not ComparabilityLevel.BLOCK
        return (
            "another session, linked by a setup pulled in both"
            if linked
            else "another session, with no setup in common"
        )
    if key == "simulated":
        return "one is of the simulated stand, the other of an engine"
    if key == "first_pull":
        return "one is the first after a change, the other is not"
    if key in ("fuel", "operator", "revision"):
        return f"{check.details[1] or 'none'} against {check.details[0] or 'none'}"
    if key == "slots":
        return ", ".join(_row(one) for one in check.details)
    if key == "tune":
        return changes_words(check)
    if check.found is None:
        return "; ".join(check.details)
    value = shown(key, check.found, units)
    if key in WARMER:
        if abs(value) < 0.05:
            return "as usual in this session" if check.usual else "the same"
        than = " than usual in this session" if check.usual else ""
        return f"{abs(value):.1f} {unit} {'warmer' if value >= 0 else 'colder'}{than}"
    if key == "mixture":
        return f"{abs(value):.3f} lambda {'leaner' if value >= 0 else 'richer'} in nine bins of ten"
    if key == "boost":
        return f"{abs(value):.3g} {unit} {'more' if value >= 0 else 'less'} in nine bins of ten"
    if key == "spark":
        return f"{abs(value):.1f}° {'more' if value >= 0 else 'less'} advance" if value else "the same"
    if key == "sweep_rate":
        return f"{abs(value):.0f} % {'faster' if value >= 0 else 'slower'}" if abs(value) >= 0.5 else "the same"
    if key == "correction":
        outside = f", outside the standard ({' and '.join(check.details)})" if check.details else ""
        size = (
            f"factor {abs(value):.1f} % {'larger' if value >= 0 else 'smaller'}" if abs(value) >= 0.05 else "the same"
        )
        return f"{size}{outside}"
    if key == "time_apart":
        return f"{abs(value):.1f} h {'later' if value >= 0 else 'earlier'}"
    return f"rounded to half a step of {value:.2f} %"


def changes_words(check: ComparabilityCheck) -> str:
    """What of a tune is not as it stands for the setup."""
    return listed([
        f"{_row(key).lower()} {own or 'not written down'} in place of {stands or 'none'}"
        for key, own, stands in check.changes
    ])  # fmt: skip


def standing_words(checks: Sequence[ComparabilityCheck]) -> str:
    """The tune that stands for a setup, as far as its pulls differ in it."""
    items = dict.fromkeys((key, stands) for check in checks for key, _, stands in check.changes)
    return listed([f"{_row(key).lower()} {stands}" if stands else f"no {_row(key).lower()}" for key, stands in items])


def _row(key: str) -> str:
    """A slot or a setting, by the name that the plan gives it."""
    if key in list(Slot):
        return row_label(key)
    label = row_label(f"{SETTING}{'spark_advance' if key == 'spark' else key}")
    return key.removeprefix(OWN) if label.startswith(SETTING) else label


def _difference_text(check: ComparabilityCheck, units: Mapping[str, str]) -> str:
    """With its name in front, where what was found does not say it already."""
    found = found_words(check, units)
    if check.key == "tune":
        return f"not the tune that stands for its setup: {found}"
    return (
        found if check.key in ("session", "first_pull", "range", "simulated") else f"{NAMES[check.key].lower()} {found}"
    )


def window_words(check: ComparabilityCheck, units: Mapping[str, str]) -> str:
    if check.window is None or check.key in ("slots",):
        return ""
    note, block = (shown(check.key, value, units) for value in (check.window.note, check.window.block))
    return f"ok to {note:.3g}, note to {block:.3g} {unit_of(check.key, units)}".rstrip()


def effect_words(check: ComparabilityCheck) -> str:
    if check.effect is None:
        return ""
    return f"{check.effect * 100:+.2f} %" if abs(check.effect) >= 5e-5 else "nothing"


def reasons(checks: Sequence[ComparabilityCheck]) -> str:
    """Which checks a pull fails, by name; what was cold or hot is called so."""
    blocks = [check for check in checks if check.level is ComparabilityLevel.BLOCK]
    retuned = {key for check in blocks for key, _, _ in check.changes}  # said with what it was changed to
    found = [changes_words(check) if check.key == "tune" else NAMES[check.key].lower()
             for check in blocks if not check.usual and check.key not in retuned]  # fmt: skip
    for colder, word in ((True, "colder"), (False, "hotter")):
        names = [NAMES[check.key].lower() for check in blocks if check.usual and ((check.found or 0.0) < 0) is colder]
        if names:
            found.append(f"{' and '.join(names)} {word} than usual in its session")
    return ", ".join(found)


def is_cold(checks: Sequence[ComparabilityCheck]) -> bool:
    """Whether a pull is out because the engine was not warm yet."""
    return any(check.usual and check.level is ComparabilityLevel.BLOCK and (check.found or 0.0) < 0 for check in checks)


def line(checks: Sequence[ComparabilityCheck], units: Mapping[str, str]) -> str:
    """One line that sums the checks up."""
    blocks = [check for check in checks if check.level is ComparabilityLevel.BLOCK]
    notes = [check for check in checks if check.level is ComparabilityLevel.NOTE]
    unknown = [check for check in checks if check.level is ComparabilityLevel.UNKNOWN]
    effect = comparability.total_effect(checks)
    likely = f" Combined likely effect {effect * 100:+.1f} %." if abs(effect) >= 5e-4 else ""
    if blocks:
        differences = "; ".join(_difference_text(check, units) for check in blocks)
        return f"{'A cold pull, not' if is_cold(checks) else 'Not'} comparable: {differences}.{likely}"
    if notes:
        differences = "; ".join(_difference_text(check, units) for check in notes)
        return f"Comparable, with care: {differences}.{likely}"
    if unknown:
        differences = ", ".join(NAMES[check.key].lower() for check in unknown)
        return f"Comparable as far as is known; not known: {differences}.{likely}"
    return f"Comparable in all that is checked.{likely}"
