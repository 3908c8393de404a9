"""From a pull's raw samples to its curve, made once and stored with the options and the version that made it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, replace
from typing import Any

from django.db import transaction
from torvix_core import VERSION
from torvix_core.pull.reduction import Cut, Options, StandInertia

from curves.models import ChannelMean, CurveAnomaly, Reduced, SampleFinding
from curves.reduction.curve import Curve, RecordingKind, curve_of_channels
from curves.reduction.nature import OF_FIGURES
from shop.bulk_rows import copy_rows, next_keys
from stand.models import Pull, PullState, Purpose
from stand.pulls.samples import read_raw


def options_for(pull: Pull) -> Options:
    """As the stand's facts and the newest wish of a person say; defaults for the rest."""
    usual = Options(stand_inertia=StandInertia(pull.inertia_in_torque), inertia=pull.inertia)
    wishes = list(pull.reduction_overrides.all())
    if not wishes:
        return usual
    wanted = dict(wishes[-1].options)
    if "stand_inertia" in wanted:
        wanted["stand_inertia"] = StandInertia(wanted["stand_inertia"])
    return replace(usual, **wanted)


def reduce_pull(pull: Pull) -> Reduced | None:
    """Make (or make again) the curve of a complete pull. None for a pull that never completed."""
    if pull.state != PullState.COMPLETE:
        return None
    (reduced,) = store([(pull, curve_of(pull))])
    return reduced


def curve_of(pull: Pull) -> Curve:
    """The curve of a complete pull from its samples; nothing is written."""
    kind = kind_of(pull)
    try:
        channels = {} if kind.is_check_pass else read_raw(pull)
    except ValueError as error:  # stored bytes that do not hold what they should
        return Curve(kind.options, refused=str(error)[:300])
    return curve_of_channels(kind, channels)


def kind_of(pull: Pull) -> RecordingKind:
    return RecordingKind(
        str(pull), options_for(pull), is_figures=pull.origin in OF_FIGURES, is_steps=pull.purpose == Purpose.STEPS,
        is_check_pass=pull.purpose == Purpose.CHECK,
    )  # fmt: skip


@transaction.atomic
def store(curves: Sequence[tuple[Pull, Curve]]) -> list[Reduced]:
    """Keep curves in place of those that the pulls had, with the options and the version that made them."""
    pulls = [pull.pk for pull, _ in curves]
    # Whoever else makes one of them anew waits: the second finds the curve of the first, and takes its place.
    list(Pull.objects.select_for_update().filter(pk__in=pulls).order_by("pk").values_list("pk", flat=True))
    Reduced.objects.filter(pull__in=pulls).delete()
    keys = next_keys(Reduced, len(curves))
    made = [
        Reduced(
            pk=key, pull=pull, core_version=VERSION, options=asdict(curve.options), refused=curve.refused,
            speed_rpm=curve.speed_rpm, torque=curve.torque, torque_scatter=curve.torque_scatter,
            samples=curve.samples, **_cut_columns(curve.cut),
        )
        for key, (pull, curve) in zip(keys, curves, strict=True)
    ]  # fmt: skip
    columns = [field.attname for field in Reduced._meta.concrete_fields]
    copy_rows(Reduced, columns, ([getattr(one, name) for name in columns] for one in made))
    for one in made:
        one._state.adding = False  # it is in the database, as if it had been saved
    pairs = [(reduced, curve) for reduced, (_, curve) in zip(made, curves, strict=True)]
    copy_rows(
        ChannelMean,
        ("reduced", "channel", "values"),
        ((reduced.pk, name, values) for reduced, curve in pairs for name, values in curve.means.items()),
    )
    SampleFinding.objects.bulk_create(
        SampleFinding(reduced=reduced, **asdict(finding)) for reduced, curve in pairs for finding in curve.findings
    )
    CurveAnomaly.objects.bulk_create(
        CurveAnomaly(reduced=reduced, **asdict(odd)) for reduced, curve in pairs for odd in curve.anomalies
    )
    return made


def _cut_columns(cut: Cut | None) -> dict[str, Any]:
    if cut is None:
        return {}
    return {
        "cut_start_s": cut.start_s, "cut_end_s": cut.end_s, "cut_start_rpm": cut.start_rpm,
        "cut_end_rpm": cut.end_rpm, "sweep_rate_rpm_s": cut.sweep_rate_rpm_s, "cut_start_by": cut.start_by,
        "cut_end_by": cut.end_by,
    }  # fmt: skip
