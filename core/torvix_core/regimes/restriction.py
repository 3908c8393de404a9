"""Where the restriction is: what swaps, channels and ceilings on paper say of each place the air passes.

Evidence is weighed into a hint, never into a certainty: every clue is put as the share of power at the top of the range
that freeing its place would give, or gave.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from math import sqrt

from torvix_core.engine.dimensions import Slot
from torvix_core.judging.difference import SMALLEST_DIFFERENCE
from torvix_core.units.checked import finite, positive


class Site(StrEnum):
    """What the air passes, in its order."""

    INTAKE = "intake"  # air cleaner, carburetor or throttle
    MANIFOLD = "manifold"
    HEAD = "head"
    CAMSHAFT = "camshaft"
    EXHAUST = "exhaust"
    BLOWER = "blower"  # or turbine


LABELS: Mapping[Site, str] = {
    Site.INTAKE: "Air cleaner, carburetor or throttle", Site.MANIFOLD: "Intake manifold", Site.HEAD: "Cylinder head",
    Site.CAMSHAFT: "Camshaft", Site.EXHAUST: "Exhaust", Site.BLOWER: "Blower or turbine",
}  # fmt: skip
PLACE_OF: Mapping[Slot, Site] = {
    Slot.AIR_CLEANER: Site.INTAKE, Slot.CARBURETOR: Site.INTAKE, Slot.THROTTLE_BODY: Site.INTAKE,
    Slot.INTAKE_MANIFOLD: Site.MANIFOLD, Slot.UPPER_INTAKE: Site.MANIFOLD, Slot.LOWER_INTAKE: Site.MANIFOLD,
    Slot.SPACER: Site.MANIFOLD, Slot.ADAPTER: Site.MANIFOLD, Slot.CYLINDER_HEAD: Site.HEAD,
    Slot.CAMSHAFT: Site.CAMSHAFT, Slot.HEADER: Site.EXHAUST, Slot.PULLEY: Site.BLOWER,
}  # fmt: skip


class ClueKind(StrEnum):
    SWAP = "swap"
    CHANNEL = "channel"
    PAPER = "paper"


class ClueSide(StrEnum):
    """Whether a clue speaks for a restriction at its place."""

    FOR = "for"
    AGAINST = "against"
    OPEN = "open"


NEGLIGIBLE = 0.01  # [-] of the power at the top: what gives less is no restriction worth a part [prac]
USUAL_GAIN, USUAL_SPREAD = 0.01, 0.02  # of a place of which nothing is known [prac]
ROUGH = 0.5  # of what a channel or a rule of thumb says, and
ROUGH_LEAST = {ClueKind.CHANNEL: 0.01, ClueKind.PAPER: 0.02}  # at least so much, as one standard deviation [prac]


@dataclass(frozen=True)
class Clue:
    """Share of power at the top that freeing a place gives: by a swap with its 95 % interval, else a rough one."""

    place: Site
    kind: ClueKind
    gain: float
    low: float
    high: float

    def side(self, smallest: float = SMALLEST_DIFFERENCE) -> ClueSide:
        """For a restriction if it surely gives something that matters; against if it surely gives next to nothing."""
        if self.low > smallest:
            return ClueSide.FOR
        return ClueSide.AGAINST if self.high < NEGLIGIBLE else ClueSide.OPEN


def rough_clue(place: Site, kind: ClueKind, gain: float) -> Clue:
    """A clue from a channel or a rule of thumb, with the width that such a thing has.

    Shapes: scalars.
    Units:  share of power at the top.
    Errors: ValueError naming the argument.
    Source: ROUGH and ROUGH_LEAST at the head of this module [prac].
    >>> clue = rough_clue(Site.INTAKE, ClueKind.CHANNEL, 0.05)
    >>> round(clue.low, 3), round(clue.high, 3), clue.side().value
    (0.001, 0.099, 'open')
    """
    spread = max(ROUGH * abs(float(finite("gain", gain))), ROUGH_LEAST[kind])
    return Clue(place, kind, gain, gain - 1.96 * spread, gain + 1.96 * spread)


def depression_gain(depression: float, ambient: float) -> float:
    """What the air lost before the manifold is worth: filling goes with the pressure there.

    Shapes: scalars.
    Units:  Pa below ambient, Pa absolute; result share of power.
    Errors: ValueError naming the argument.
    Source: density of the charge [phys]; less of it, as friction stays.
    >>> round(depression_gain(5_000.0, 100_000.0), 3)
    0.053
    """
    left = positive("ambient", ambient) - finite("depression", depression)
    return float(positive("ambient", ambient) / positive("left", left)) - 1


def ceiling_gain(power: float, ceiling: float) -> float:
    """What a head gives back once it flows enough: nothing far below its ceiling, more the nearer the engine comes.

    Shapes: scalars.
    Units:  one unit of power; result share of power.
    Errors: ValueError naming the argument.
    Source: a head flow of 265 to 270 CFM held a 406 in³ near 560 hp, where its rule says 551 [prac]; the shape of the
            way there is a house rule.
    >>> [round(ceiling_gain(power, 500.0), 3) for power in (300.0, 450.0, 500.0)]
    [0.001, 0.013, 0.03]
    """
    load = float(positive("power", power) / positive("ceiling", ceiling))
    return 0.03 * load**8


@dataclass(frozen=True)
class WeighedPlace:
    """What freeing a place would give, all its clues together, with a 95 % interval.

    `against_by_swap`: a swap there surely gave next to nothing, so that no other clue may name it.
    """

    place: Site
    gain: float
    low: float
    high: float
    clues: tuple[Clue, ...]
    against_by_swap: bool

    @property
    def swapped(self) -> bool:
        return any(clue.kind is ClueKind.SWAP for clue in self.clues)


@dataclass(frozen=True)
class RestrictionHint:
    """The place that the evidence points at, None where it points at none; and the swap that would tell most."""

    place: Site | None
    next_place: Site | None


def weigh(
    clues: Sequence[Clue], places: Sequence[Site], smallest: float = SMALLEST_DIFFERENCE
) -> tuple[WeighedPlace, ...]:  # fmt: skip
    """Every place that the engine has, the one that would give most first.

    Shapes: any number of clues; one result for each place.
    Units:  shares of power at the top.
    Errors: none.
    Source: each clue is a normal measurement of its place's gain, before them stands USUAL_GAIN (inverse variances).
    >>> swaps = ((Site.HEAD, 0.05, 0.04, 0.06), (Site.EXHAUST, 0.0, -0.005, 0.005))
    >>> clues = [Clue(place, ClueKind.SWAP, *gain) for place, *gain in swaps]
    >>> [(one.place.value, round(one.gain, 3)) for one in weigh(clues, [Site.HEAD, Site.EXHAUST, Site.MANIFOLD])]
    [('head', 0.048), ('manifold', 0.01), ('exhaust', 0.0)]
    """
    found = []
    for place in places:
        mine = tuple(clue for clue in clues if clue.place is place)
        precision, mean = 1 / USUAL_SPREAD**2, USUAL_GAIN / USUAL_SPREAD**2
        for clue in mine:
            spread = max((clue.high - clue.low) / 3.92, 1e-4)
            precision, mean = precision + 1 / spread**2, mean + clue.gain / spread**2
        gain, half = mean / precision, 1.96 / sqrt(precision)
        against = any(clue.kind is ClueKind.SWAP and clue.side(smallest) is ClueSide.AGAINST for clue in mine)
        found.append(WeighedPlace(place, gain, gain - half, gain + half, mine, against))
    return tuple(sorted(found, key=lambda one: -one.gain))


def hint(weighed: Sequence[WeighedPlace], smallest: float = SMALLEST_DIFFERENCE) -> RestrictionHint:
    """The place that is named, and where the next swap would tell most.

    A place is named if its gain surely matters and no swap speaks against it. The next swap goes where most may be
    gained by what is known, of the places that no swap has settled.

    Shapes: the places of `weigh`.
    Units:  none.
    Errors: none.
    Source: house rule.
    >>> clues = [Clue(Site.HEAD, ClueKind.SWAP, 0.05, 0.04, 0.06)]
    >>> found = hint(weigh(clues, [Site.HEAD, Site.EXHAUST]))
    >>> found.place.value, found.next_place.value
    ('head', 'exhaust')
    """
    named = next((one.place for one in weighed if one.clues and one.low > smallest and not one.against_by_swap), None)
    unsettled = [
        one
        for one in weighed
        if not one.against_by_swap
        and not any(clue.kind is ClueKind.SWAP and clue.side(smallest) is not ClueSide.OPEN for clue in one.clues)
    ]
    ahead = max(unsettled, key=lambda one: one.high, default=None)
    return RestrictionHint(named, None if ahead is None else ahead.place)
