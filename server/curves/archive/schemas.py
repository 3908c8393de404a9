"""Files to take along: raw samples, reduced curves, a whole programme; and a programme read back in."""

from __future__ import annotations

from ninja import Schema


class ReadBackOut(Schema):
    id: int
    question: str


class PartBroughtOut(Schema):
    """`same`: this shop has it, the same in every value; `here`: one of that name, and the file's gets another."""

    name: str
    here: bool
    same: bool


class BringingOut(Schema):
    question: str
    engine: str
    engine_here: bool
    pulls: int
    parts: list[PartBroughtOut]
