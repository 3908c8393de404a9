"""Curves of any tests of the shop on one chart."""

from __future__ import annotations

from datetime import datetime

import numpy as np
from django.http import HttpRequest
from ninja import Router
from torvix_core.air.standards import DEFINITIONS, Standard
from torvix_core.judging.sentences import signed_percent
from torvix_core.units import quantities

from curves.reduction.nature import WORDS
from curves.reduction.standard import read_standard
from shop.permissions import person_of, units_of
from shop.schema import Schema
from verdicts.estimates.schemas import GainOut, estimated_out
from verdicts.overlay import service
from verdicts.overlay.service import LinkedGain, OverlaidCurve

router = Router(tags=["overlay"])


class OverlaidOut(Schema):
    """One curve: torque in the reader's unit with the ends of its band, empty where there is none, and as a share of
    its own peak in per cent. `key` is what it was asked for by."""

    key: str
    title: str
    about: str
    nature: str
    programme_id: int
    pull_id: int | None
    ran_at: datetime
    speed_rpm: list[float]
    torque: list[float]
    low: list[float]
    high: list[float]
    share_percent: list[float]
    peak_torque: float
    peak_rpm: float


class OverlaidGain(Schema):
    """What a curve gains over the first, where both are linked."""

    key: str
    gain: GainOut
    sentence: str


class OverlaidCurves(Schema):
    """`shape_why`: why they stand as shares of their own peaks; empty where all are linked."""

    standard: str
    standard_label: str
    torque_unit: str
    shape_why: str
    curves: list[OverlaidOut]
    gains: list[OverlaidGain]
    missing: list[str]


def _title(one: OverlaidCurve) -> str:
    pull = "" if one.pull is None else f", pull {one.pull.number}"
    return f"{one.setup.letter} {one.setup.name}{pull}"


def _curve(one: OverlaidCurve, unit: str) -> OverlaidOut:
    torque = quantities.from_si(one.torque, unit)
    half = None if one.half_width is None else one.half_width * torque
    top = int(one.torque.argmax())
    return OverlaidOut(
        key=one.key, title=_title(one), about=f"{one.programme.question} · {one.programme.build.engine.name}",
        nature=one.nature.value, programme_id=one.programme.pk, pull_id=None if one.pull is None else one.pull.pk,
        ran_at=one.ran_at, speed_rpm=one.speed_rpm.tolist(), torque=torque.tolist(),
        low=[] if half is None else (torque - half).tolist(), high=[] if half is None else (torque + half).tolist(),
        share_percent=(one.torque / one.torque[top] * 100).tolist(), peak_torque=float(torque[top]),
        peak_rpm=float(one.speed_rpm[top]),
    )  # fmt: skip


def _gain(one: LinkedGain, titles: dict[str, str], first: str) -> OverlaidGain:
    low, high = float(np.mean(one.low)), float(np.mean(one.high))
    span = f"{one.speed_rpm[0]:.0f} to {one.speed_rpm[-1]:.0f} rpm"
    return OverlaidGain(
        key=one.key, gain=estimated_out(one.nature, titles[one.key], one.speed_rpm, one.change, one.low, one.high),
        sentence=(
            f"{titles[one.key]} over {first}: {signed_percent(float(np.mean(one.change)))} on average from {span} "
            f"({signed_percent(low)} to {signed_percent(high)}), {WORDS[one.nature]}, linked by {one.through}."
        ),
    )  # fmt: skip


@router.get("/overlay", response=OverlaidCurves, operation_id="overlay")
def read_overlay(request: HttpRequest, items: str = "", standard: str = "") -> OverlaidCurves:
    """`items` with commas between: a setup is s and its number, a pull p and its number. The first is the one that the
    others are held against."""
    person = person_of(request)
    wanted = read_standard(standard or Standard.ISO_1585_SI)
    found = service.lay_over(person, [key for key in items.split(",") if key], wanted)
    unit = units_of(person)["torque"]
    titles = {one.key: _title(one) for one in found.curves}
    first = titles[found.curves[0].key] if found.curves else ""
    return OverlaidCurves(
        standard=wanted, standard_label=DEFINITIONS[wanted].label, torque_unit=unit, shape_why=found.shape_why,
        curves=[_curve(one, unit) for one in found.curves],
        gains=[_gain(one, titles, first) for one in found.gains], missing=list(found.missing),
    )  # fmt: skip
