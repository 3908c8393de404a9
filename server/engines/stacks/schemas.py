"""The parts library over the API, and two stacks of parts held against each other."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial

from torvix_core.engine.stack import Limits, StackPart, changes, check_fairness, check_fit, difference

from engines.sheet.entries import show
from shop.schema import Schema


class StacksIn(Schema):
    one: list[int]
    other: list[int]
    build_id: int | None = None


class CheckOut(Schema):
    level: str
    about: str
    text: str


class StacksOut(Schema):
    """How the second stack differs, in how many slots, whether each goes together, and whether they compare fairly."""

    differences: list[str]
    changes: int
    fit: list[list[CheckOut]]
    fairness: list[CheckOut]


def stacks_out(
    one: Sequence[StackPart], other: Sequence[StackPart], limits: Limits, units: Mapping[str, str]
) -> StacksOut:
    shown = partial(show, units)
    return StacksOut(
        differences=difference(one, other, shown),
        changes=changes(one, other),
        fit=[
            [
                CheckOut(level=check.level, about=check.about, text=check.text)
                for check in check_fit(stack, limits, shown)
            ]
            for stack in (one, other)
        ],
        fairness=[
            CheckOut(level=check.level, about=check.about, text=check.text)
            for check in check_fairness(one, other, shown)
        ],
    )
