"""Raw samples in the database: chunks while a pull runs, packed channels once it has ended, a trace when asked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from django.db import transaction
from numpy.typing import NDArray
from torvix_core.pull import published_figures_check
from torvix_core.pull.trace import SPEED, TORQUE, Trace
from torvix_core.units import quantities

from shop.refusals import Refusal
from stand.models import Channel, Chunk, Pull
from stand.pulls.codec import pack, unpack

TIME = "time"
Array = NDArray[np.float64]


class NoSamples(Refusal):
    """The pull ended before the stand sent a sample."""

    code = "no_samples"


def append_chunk(pull_id: int, sequence: int, rows: Sequence[Sequence[float]]) -> None:
    """Keep rows of (time, channel values...) as they came; NaN where the stand sent nothing."""
    table = np.asarray(rows, dtype="<f8")
    Chunk.objects.create(pull_id=pull_id, sequence=sequence, samples=len(table), data=table.tobytes())


def chunk_columns(pull: Pull, columns: int) -> NDArray[np.float64]:
    """All chunks of a pull as (columns, samples); one copy of them in memory, whatever their number."""
    chunks = pull.chunks.order_by("sequence")
    known = list(chunks.values_list("sequence", "samples"))
    table = np.empty((columns, sum(samples for _, samples in known)))
    at = 0
    # A pull that runs goes on in the meantime: what came after the count is left for the next time.
    for chunk in chunks.filter(sequence__lte=known[-1][0] if known else -1).iterator(chunk_size=64):
        rows = np.frombuffer(chunk.data, dtype="<f8").reshape(-1, columns)
        table[:, at : at + len(rows)] = rows.T
        at += len(rows)
    # One that ends in the meantime is packed and has no chunks any more: nobody may read what was only reserved.
    return table[:, :at]


def name_channels(pull: Pull, names: Sequence[str], units: Sequence[str]) -> None:
    """The columns of the chunks that will come, in their order; time is the first."""
    Channel.objects.bulk_create(
        Channel(pull=pull, position=position, name=name, unit=unit, samples=0, data=b"")
        for position, (name, unit) in enumerate(zip((TIME, *names), ("s", *units), strict=True))
    )


def units_by_channel(pull: Pull) -> dict[str, str]:
    """The unit of each channel that the stand sends, in the order of its columns, without time."""
    named = pull.channels.exclude(name=TIME).order_by("position")
    return dict(named.values_list("name", "unit"))


@transaction.atomic
def pack_chunks(pull: Pull) -> int:
    """Turn the chunks of an ended pull into the samples of its channels; their number. Twice is as good as once."""
    channels = list(pull.channels.filter(samples=0).order_by("position"))
    if not channels:
        return 0
    table = chunk_columns(pull, len(channels))
    if not table.shape[1]:
        pull.channels.filter(samples=0).delete()
        return 0
    for channel, samples in zip(channels, table, strict=True):
        channel.codec, channel.data = pack(samples)
        channel.samples = len(samples)
        channel.save(update_fields=["codec", "data", "samples"])
    pull.chunks.all().delete()
    return int(table.shape[1])


def read_raw(pull: Pull) -> dict[str, tuple[str, NDArray[np.float64]]]:
    """Each channel with its unit, as the stand sent it; `time` among them."""
    return {
        channel.name: (channel.unit, unpack(channel.codec, bytes(channel.data), channel.samples))
        for channel in pull.channels.all()
        if channel.samples
    }


def read_trace(pull: Pull) -> Trace:
    """The pull as a trace in SI, time from its first sample. Channels in units we do not know are left out."""
    raw = read_raw(pull)
    if TIME not in raw:
        raise NoSamples(f"{pull} holds no samples: it ended before the stand sent any.")
    return trace_of(raw)


def trace_of(channels: Mapping[str, tuple[str, Array]]) -> Trace:
    """Channels as (unit, samples), `time` among them, as a trace in SI; units we do not know are left out."""
    time = channels[TIME][1]
    known = {name: told for name, told in channels.items() if name != TIME and is_known(told[0])}
    values = np.empty((len(known), len(time)))
    for row, (unit, samples) in zip(values, known.values(), strict=True):
        rule = quantities.to_si_rule(unit)
        np.multiply(samples, rule.scale, out=row)
        row += rule.offset
    return Trace(time - time[0], tuple(known), values)


def figures_of(channels: Mapping[str, tuple[str, Array]]) -> tuple[Array, Array]:
    """Speed in rpm and torque in N·m of printed figures, the rows that have one; torque from power where it lacks."""
    wanted = (SPEED, TORQUE, "power")
    raw = {name: quantities.to_si(channels[name][1], channels[name][0]) for name in wanted if name in channels}
    speed = raw[SPEED]
    nothing = np.full(len(speed), np.nan)
    torque = published_figures_check.torque_of(speed, raw.get(TORQUE, nothing), raw.get("power", nothing))
    there = np.isfinite(torque)
    return speed[there], torque[there]


def is_known(unit: str) -> bool:
    return quantities.SPELLINGS.get(unit, unit) in quantities.UNITS
