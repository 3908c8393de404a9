"""What a setup is set to beside its parts: spark, boost, fuel, and the tune of its carburetors or injectors.

A tune item has a kind and a position, and is known by the number that is stamped on it. [prac] throughout.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from torvix_core.engine.dimensions import Dimension, Measure
from torvix_core.engine.fuel import FUELS

CARBURETOR_POSITIONS = {
    "primary": "primary", "secondary": "secondary",
    "front_primary": "front carburetor, primary", "front_secondary": "front carburetor, secondary",
    "rear_primary": "rear carburetor, primary", "rear_secondary": "rear carburetor, secondary",
}  # fmt: skip
BANKS = {"left_bank": "left bank", "right_bank": "right bank"}
MAIN_JET = "main_jet"
# One carburetor, two of them, or a bank each: a number stands for one of these, never for two at once.
POSITION_SETS = (
    frozenset({"primary", "secondary"}),
    frozenset({"front_primary", "front_secondary", "rear_primary", "rear_secondary"}),
    frozenset(BANKS),
)


@dataclass(frozen=True)
class TuneKind:
    """One kind of tune item, with the numbers that are made of it."""

    label: str
    low: float
    high: float
    hint: str
    by_bank: bool = False

    @property
    def positions(self) -> dict[str, str]:
        return {**CARBURETOR_POSITIONS, **(BANKS if self.by_bank else {})}


TUNE_KINDS: dict[str, TuneKind] = {
    MAIN_JET: TuneKind("Main jet", 20, 300, "number as stamped", by_bank=True),
    "rod_hanger": TuneKind("Rod hanger", 1, 300, "number as stamped"),
    "metering_rod": TuneKind("Metering rod", 10, 200, "diameter of the power step as stamped"),
    "power_valve": TuneKind("Power valve", 1, 15, "opens below so many inHg"),
    "air_bleed": TuneKind("Main air bleed", 10, 300, "number as stamped"),
    "squirter": TuneKind("Squirter", 10, 100, "number as stamped"),
}


def _items() -> tuple[Dimension, ...]:
    return tuple(
        Dimension(f"{kind}_{position}", f"{of.label}, {name}", Measure.NUMBER, of.low, of.high, hint=of.hint)
        for kind, of in TUNE_KINDS.items()
        for position, name in of.positions.items()
    )


TUNE_ITEMS = _items()
SETTINGS: tuple[Dimension, ...] = (
    Dimension("spark_advance", "Ignition timing", "angle", -10, 70, unit="°",
              hint="before top dead center, at full throttle"),
    *TUNE_ITEMS,
    Dimension("rod_hanger", "Rod hanger, in words", Measure.WORDS, hint="numbers by position are rows of their own"),
    Dimension("jets", "Jets, in words", Measure.WORDS, hint="sizes by position are rows of their own"),
    Dimension("fuel_table", "Fuel table", Measure.WORDS, hint="name and version of the injector table"),
    Dimension("fuel_trim", "Fuel trim", "fraction", -0.5, 0.5, unit="%", hint="over the fuel table"),
    Dimension("spark_table", "Spark table", Measure.WORDS, hint="name and version"),
    Dimension("mixture_target", "Mixture target", "mixture", 0.6, 1.3, unit="lambda", hint="at full load"),
    Dimension("boost_target", "Boost target", "pressure", 0, 5e5, figure="boost", hint="above ambient"),
    Dimension("cam_advance", "Cam advance", "angle", -20, 20, unit="°", hint="crank degrees, below zero is retarded"),
    Dimension("fuel", "Fuel", Measure.CHOICE, choices=tuple((fuel, facts.label) for fuel, facts in FUELS.items())),
    Dimension("fuel_batch", "Fuel batch", Measure.WORDS),
    Dimension("drive", "Blower drive", Measure.WORDS, hint="pulleys or ratio"),
    Dimension("idle_speed", "Idle speed set", "speed", 300, 3000, unit="rpm", hint="with the engine warm"),
    Dimension("idle_screws", "Idle mixture screws", Measure.NUMBER, 0, 10, hint="turns out from seated"),
)  # fmt: skip
IDLE_ITEMS = frozenset({"idle_speed", "idle_screws"})  # another of them changes nothing at full throttle
# What decides the mixture, so that another of it may still be the same mixture.
MIXTURE_ITEMS = frozenset({*(item.key for item in TUNE_ITEMS), "rod_hanger", "jets", "fuel_table", "fuel_trim"})


def tune_item(key: str) -> tuple[str, str]:
    """Kind and position of a setting that is a tune item; two empty words for any other.

    Shapes: scalar.
    Units:  none.
    Errors: none.
    Source: definition.
    >>> tune_item("main_jet_rear_primary"), tune_item("spark_advance")
    (('main_jet', 'rear_primary'), ('', ''))
    """
    for kind, of in TUNE_KINDS.items():
        position = key.removeprefix(f"{kind}_")
        if position != key and position in of.positions:
            return kind, position
    return "", ""


def contradicting(keys: Iterable[str]) -> dict[str, str]:
    """Settings of one kind that are given for one carburetor and for two, or by bank: each with one it contradicts.

    Shapes: any number of keys.
    Units:  none.
    Errors: none.
    Source: definition; an engine has one set of positions.
    >>> contradicting(["main_jet_primary", "main_jet_rear_primary", "squirter_primary"])
    {'main_jet_primary': 'main_jet_rear_primary', 'main_jet_rear_primary': 'main_jet_primary'}
    """
    given = [(key, *tune_item(key)) for key in keys]
    found: dict[str, str] = {}
    for key, kind, position in given:
        own = next((one for one in POSITION_SETS if position in one), frozenset[str]())
        other = next((other for other, its, at in given if kind and its == kind and at not in own), None)
        if other is not None:
            found[key] = other
    return found
