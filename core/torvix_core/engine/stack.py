"""A setup as a stack of parts: how two differ in words, whether one goes together, and whether two compare fairly.

Units are a person's choice, so whoever asks brings `show`, which turns a dimension and its value into words.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from itertools import pairwise

from torvix_core.engine.breathing import circle_area
from torvix_core.engine.dimensions import STACK_ORDER, Dimension, Slot, part_dimensions
from torvix_core.engine.evidence import agree
from torvix_core.units.quantities import percent

AREA_MISMATCH = 0.02  # [-], openings closer than this share are the same for a gasket and a file [prac]

Show = Callable[[Dimension, float | str], str]


@dataclass(frozen=True)
class StackPart:
    """A part as it is bolted on: SI values and words by dimension; `made_from` is its parent in the lineage."""

    slot: Slot
    name: str
    values: Mapping[str, float | str] = field(default_factory=dict)
    made_from: str = ""
    modification: str = ""
    matched_to: str = ""

    def number(self, key: str) -> float | None:
        value = self.values.get(key)
        return None if value is None or isinstance(value, str) else float(value)

    def words(self, key: str) -> str:
        value = self.values.get(key)
        return value if isinstance(value, str) else ""


class StackLevel(StrEnum):
    MISFIT = "misfit"
    NOTE = "note"
    UNKNOWN = "unknown"


@dataclass(frozen=True)
class StackCheck:
    """One thing that was looked at: what it is about, and what was found."""

    level: StackLevel
    about: str
    text: str


def difference(before: Sequence[StackPart], after: Sequence[StackPart], show: Show) -> list[str]:
    """How the second stack differs from the first, a sentence for each slot that changed.

    Shapes: two stacks.
    Units:  as `show` writes them.
    Errors: none.
    Source: house rule: from the camshaft outwards.
    >>> long = StackPart(Slot.INTAKE_MANIFOLD, "Long", {"runner_length": 0.42})
    >>> short = StackPart(Slot.INTAKE_MANIFOLD, "Short", {"runner_length": 0.24})
    >>> difference([long], [short], lambda dimension, value: f"{value * 1000:.0f} mm")
    ['Intake manifold: Long gives way to Short (runner length 420 mm to 240 mm).']
    """
    sentences = []
    for slot in STACK_ORDER:
        gone = [part for part in before if part.slot == slot and part.name not in _names(after, slot)]
        come = [part for part in after if part.slot == slot and part.name not in _names(before, slot)]
        for old, new in zip(gone, come, strict=False):
            sentences.append(f"{slot.label}: {old.name} gives way to {new.name}{_details(old, new, show)}.")
        sentences += [f"{slot.label}: {part.name} comes off." for part in gone[len(come) :]]
        sentences += [f"{slot.label}: {part.name} goes on." for part in come[len(gone) :]]
    return sentences


def _names(stack: Sequence[StackPart], slot: Slot) -> set[str]:
    return {part.name for part in stack if part.slot == slot}


def _details(old: StackPart, new: StackPart, show: Show) -> str:
    told = []
    if new.made_from == old.name and new.modification:
        told.append(f"the same part with: {new.modification}")
    elif old.made_from == new.name and old.modification:
        told.append(f"the same part without: {old.modification}")
    for key, dimension in part_dimensions(new.slot).items():
        was, now = old.values.get(key), new.values.get(key)
        if was is not None and now is not None and not agree(was, now):
            label = f"{dimension.label[:1].lower()}{dimension.label[1:]}"
            old_words, new_words = (_small(show(dimension, value)) for value in (was, now))
            told.append(f"{label} {old_words} to {new_words}")
    return f" ({'; '.join(told)})" if told else ""


def _small(words: str) -> str:
    """As words stand inside a sentence; what begins with a capital on purpose, like E85, keeps it."""
    return words if words[1:2].isupper() or words[1:2].isdigit() else f"{words[:1].lower()}{words[1:]}"


def changes(before: Sequence[StackPart], after: Sequence[StackPart]) -> int:
    """In how many slots two stacks differ: one is a comparison of parts, more is a package.

    Shapes: two stacks.
    Units:  none.
    Errors: none.
    Source: house rule.
    >>> changes([StackPart(Slot.SPACER, "open")], [])
    1
    """
    return sum(_names(before, slot) != _names(after, slot) for slot in STACK_ORDER)


@dataclass(frozen=True)
class Limits:
    """What the engine's owner allows: height in m, and whether everything must look stock."""

    height: float | None = None
    must_look_stock: bool = False


def check_fit(stack: Sequence[StackPart], limits: Limits, show: Show) -> list[StackCheck]:
    """Whether a stack goes together and is allowed: height, looks, ports and gaskets, flanges, throttle openings.

    Shapes: one stack.
    Units:  m for the height; texts as `show` writes them.
    Errors: none: what cannot be judged for want of a dimension says so.
    Source: geometry; a mismatch of areas is noted, not judged [prac].
    >>> check_fit([], Limits(), lambda dimension, value: str(value))
    []
    """
    ordered = sorted(stack, key=lambda part: STACK_ORDER.index(part.slot))
    return [
        *_height(ordered, limits.height, show),
        *_looks(ordered, limits),
        *_ports(ordered, show),
        *_flanges(ordered),
        *_openings(ordered, show),
    ]


def total(stack: Sequence[StackPart], key: str) -> float | None:
    """A dimension added up over the parts that have it, such as height or mass; None where one of them is not known.

    Shapes: one stack.
    Units:  SI of the dimension.
    Errors: none.
    Source: definition.
    >>> total([StackPart(Slot.SPACER, "Spacer", {"height": 0.02}), StackPart(Slot.SPACER, "Other")], "height") is None
    True
    """
    having = [part.number(key) for part in stack if key in part_dimensions(part.slot)]
    return None if not having or None in having else float(sum(value for value in having if value is not None))


def _height(stack: Sequence[StackPart], limit: float | None, show: Show) -> Iterator[StackCheck]:
    standing = [part for part in stack if "height" in part_dimensions(part.slot)]
    if limit is None or not standing:
        return
    dimension = part_dimensions(standing[0].slot)["height"]
    unknown = [part.name for part in standing if part.number("height") is None]
    total = sum(part.number("height") or 0.0 for part in standing)
    if total > limit:
        yield StackCheck(
            StackLevel.MISFIT,
            "Height",
            f"{show(dimension, total)} high, {show(dimension, total - limit)} over the "
            f"limit of {show(dimension, limit)}.",
        )
    elif unknown:
        yield StackCheck(StackLevel.UNKNOWN, "Height", f"Height not known of {', '.join(unknown)}.")


def _looks(stack: Sequence[StackPart], limits: Limits) -> Iterator[StackCheck]:
    """Only what is known to differ is told; of a part that nobody looked at nothing is said."""
    odd = [part.name for part in stack if part.words("looks_stock") == "no"]
    if limits.must_look_stock and odd:
        yield StackCheck(StackLevel.MISFIT, "Looks", f"Must look stock, and does not: {', '.join(odd)}.")


def _port_area(part: StackPart) -> float | None:
    width, height = part.number("port_width"), part.number("port_height")
    return None if width is None or height is None else width * height


def _ports(stack: Sequence[StackPart], show: Show) -> Iterator[StackCheck]:
    """Head, gasket and manifold in the order of the stack: each opening against the next."""
    ported = [part for part in stack if "port_width" in part_dimensions(part.slot)]
    for inner, outer in pairwise(ported):
        inside, outside = _port_area(inner), _port_area(outer)
        about = f"{inner.slot.label} to {outer.slot.label.lower()}"
        if inside is None or outside is None:
            unknown = ", ".join(part.name for part, area in ((inner, inside), (outer, outside)) if area is None)
            yield StackCheck(StackLevel.UNKNOWN, about, f"Port outline not known of {unknown}.")
        elif abs(outside / inside - 1) > AREA_MISMATCH:
            width, height = (part_dimensions(outer.slot)[key] for key in ("port_width", "port_height"))
            outline = [
                f"{show(width, part.values['port_width'])} × {show(height, part.values['port_height'])}"
                for part in (outer, inner)
            ]
            size = "larger" if outside > inside else "smaller"
            share = abs(outside / inside - 1)
            yield StackCheck(StackLevel.NOTE, about, f"The opening of {outer.name} is {percent(share)} {size} than "
                                           f"that of {inner.name}: {outline[0]} on {outline[1]}.")  # fmt: skip


def _flanges(stack: Sequence[StackPart]) -> Iterator[StackCheck]:
    """Every flange that looks up against the next that looks down. An adapter is only a part that has both."""
    open_above: StackPart | None = None
    for part in stack:
        below = part.words("lower_flange")
        if open_above is not None and below and not agree(open_above.words("upper_flange"), below):
            yield StackCheck(StackLevel.MISFIT, f"{open_above.slot.label} to {part.slot.label.lower()}",
                        f"{open_above.name} offers {open_above.words('upper_flange')}, {part.name} wants {below}: "
                        "an adapter is needed.")  # fmt: skip
        if part.words("upper_flange"):
            open_above = part


def _opening(part: StackPart) -> float | None:
    bore, count = part.number("throttle_bore"), part.number("throttles")
    return None if bore is None else float(circle_area(bore)) * (count or 1.0)


def _openings(stack: Sequence[StackPart], show: Show) -> Iterator[StackCheck]:
    opened = [(part, area) for part in stack if (area := _opening(part)) is not None]
    for (inner, inside), (outer, outside) in pairwise(opened):
        if outside > inside * (1 + AREA_MISMATCH):
            bore = part_dimensions(inner.slot)["throttle_bore"]
            sizes = " on ".join(_opening_words(part, bore, show) for part in (outer, inner))
            yield StackCheck(
                StackLevel.NOTE,
                "Throttle opening",
                f"{inner.name} is {percent(1 - inside / outside)} smaller than {outer.name} above it: {sizes}.",
            )


def _opening_words(part: StackPart, bore: Dimension, show: Show) -> str:
    size, count = show(bore, part.values["throttle_bore"]), part.number("throttles") or 1
    return size if count == 1 else f"{count:.0f} × {size}"


def check_fairness(one: Sequence[StackPart], other: Sequence[StackPart], show: Show) -> list[StackCheck]:
    """What would make a comparison of two stacks unfair to one of them.

    Shapes: two stacks.
    Units:  texts as `show` writes them.
    Errors: none.
    Source: practice [prac]: reworked against as cast, matched to another head, a smaller throttle, other fuel hardware.
    >>> cast = StackPart(Slot.INTAKE_MANIFOLD, "A", {"finish": "as_cast"})
    >>> check_fairness([cast], [cast], lambda dimension, value: str(value))
    []
    """
    found: list[StackCheck] = []
    for slot in STACK_ORDER:
        ours, theirs = ([part for part in stack if part.slot == slot] for stack in (one, other))
        for mine, yours in zip(ours, theirs, strict=False):
            if mine.name != yours.name:
                found += _unfair_pair(slot, mine, yours)
    found += _unfair_matching(one, other)
    smallest = [min((area for part in stack if (area := _opening(part))), default=None) for stack in (one, other)]
    if None not in smallest and not agree(*(float(area or 0.0) for area in smallest)):
        first, second = (float(area or 0.0) for area in smallest)
        smaller, share = ("first", 1 - first / second) if first < second else ("second", 1 - second / first)
        found.append(
            StackCheck(
                StackLevel.NOTE,
                "Throttle opening",
                f"The {smaller} setup breathes through an opening that is {percent(share)} smaller.",
            )
        )
    return found


def _unfair_pair(slot: Slot, mine: StackPart, yours: StackPart) -> Iterator[StackCheck]:
    finish = part_dimensions(slot).get("finish")
    if finish and mine.words("finish") and yours.words("finish") and mine.words("finish") != yours.words("finish"):
        names = dict(finish.choices)
        yield StackCheck(
            StackLevel.NOTE,
            slot.label,
            f"{mine.name} is {names[mine.words('finish')].lower()}, {yours.name} is "
            f"{names[yours.words('finish')].lower()}: the work is compared with the "
            "part.",
        )
    fuel = (mine.words("fuel_hardware"), yours.words("fuel_hardware"))
    if all(fuel) and not agree(*fuel):
        yield StackCheck(
            StackLevel.NOTE,
            slot.label,
            f"Different fuel hardware: {mine.name} has {fuel[0]}, {yours.name} has {fuel[1]}.",
        )


def _unfair_matching(one: Sequence[StackPart], other: Sequence[StackPart]) -> Iterator[StackCheck]:
    seen = set()
    for stack in (one, other):
        heads = {part.name for part in stack if part.slot is Slot.CYLINDER_HEAD}
        for part in stack:
            if part.matched_to and part.name not in seen and heads and part.matched_to not in heads:
                seen.add(part.name)
                yield StackCheck(
                    StackLevel.NOTE,
                    part.slot.label,
                    f"{part.name} was matched to {part.matched_to}, not to the "
                    f"{', '.join(sorted(heads))} it is tested on.",
                )
