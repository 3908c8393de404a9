"""One file of a pull from its bytes to channels and a curve. Asks no database."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from torvix_core.pull.reduction import Options
from torvix_core.units import quantities
from torvix_core.units.checked import Array

from curves.files import mapping
from curves.files.apart import read_table_apart
from curves.files.mapping import Mapped
from curves.reduction.curve import Curve, RecordingKind, curve_of_channels
from stand.pulls.raw_channels import RawChannels, figures_of


@dataclass(frozen=True)
class LayoutChoice:
    """How the files of one layout are to be read."""

    mapped: Sequence[Mapped]
    is_table: bool
    rate_hz: float | None = None


@dataclass(frozen=True)
class FileToRead:
    """`rows` of it are this pull, None all; `stoichiometric` is kg of air for one of fuel."""

    name: str
    content: bytes
    rows: tuple[int, int] | None
    choice: LayoutChoice
    stoichiometric: float
    options: Options


@dataclass(frozen=True)
class FileRead:
    """`speed_torque` (2, n) in rpm and N·m, by which a recording is known again; `torque_step` in N·m."""

    channels: RawChannels
    speed_torque: Array
    torque_step: float
    curve: Curve


def read_file(file: FileToRead) -> FileRead:
    """FileProblem says what is wrong with it."""
    table = read_table_apart(file.content)
    if file.rows is not None:
        table = table.part(*file.rows)
    is_table = file.choice.is_table
    channels = mapping.apply(table, file.choice.mapped, is_table, file.choice.rate_hz, file.stoichiometric).values
    return FileRead(
        channels=channels,
        speed_torque=np.stack(figures_of(channels) if is_table else _speed_torque(channels)),
        torque_step=_step(channels) if is_table else 0.0,
        curve=curve_of_channels(RecordingKind(file.name, file.options, is_figures=is_table), channels),
    )


def _speed_torque(channels: RawChannels) -> list[Array]:
    return [quantities.to_si(channels[name][1], channels[name][0]) for name in ("rpm", "torque")]


def _step(channels: Mapping[str, tuple[str, np.ndarray]]) -> float:
    """The step in which torque or power was written, N·m."""
    name = "torque" if "torque" in channels else "power"
    unit, values = channels[name]
    given = values[np.isfinite(values)]
    step = next((10.0**-places for places in range(5) if np.allclose(given, np.round(given, places), atol=1e-9)), 0.0)
    step = float(quantities.to_si_rule(unit).scale * step)
    if name == "power" and len(given):
        speed = quantities.to_si(channels["rpm"][1], channels["rpm"][0])
        step /= float(np.nanmean(speed)) * np.pi / 30
    return step
