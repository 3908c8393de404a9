"""Raw samples in the database: chunks while a pull runs, packed channels once it has ended, a trace when asked."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from django.db import transaction
from numpy.typing import NDArray
from torvix_core import quantities
from torvix_core.trace import Trace

from shop.refusals import Refusal
from stand.codec import pack, unpack
from stand.models import Channel, Chunk, Pull

TIME = "time"


class NoSamples(Refusal):
    """The pull ended before the stand sent a sample."""

    code = "no_samples"


def append_chunk(pull_id: int, sequence: int, rows: Sequence[Sequence[float]]) -> None:
    """Keep rows of (time, channel values...) as they came; NaN where the stand sent nothing."""
    table = np.asarray(rows, dtype="<f8")
    Chunk.objects.create(pull_id=pull_id, sequence=sequence, samples=len(table), data=table.tobytes())


def chunk_table(pull: Pull, columns: int) -> NDArray[np.float64]:
    """All chunks of a running pull as (samples, 1 + channels)."""
    raw = b"".join(bytes(chunk.data) for chunk in pull.chunks.all())
    return np.frombuffer(raw, dtype="<f8").reshape(-1, columns)


@transaction.atomic
def pack_chunks(pull: Pull, names: Sequence[str], units: Sequence[str]) -> int:
    """Turn the chunks of an ended pull into channels; the number of samples."""
    table = chunk_table(pull, 1 + len(names))
    if not len(table):
        return 0
    columns = [(TIME, "s", table[:, 0]), *zip(names, units, table[:, 1:].T, strict=True)]
    channels = []
    for position, (name, unit, samples) in enumerate(columns):
        codec, data = pack(samples)
        channels.append(
            Channel(pull=pull, position=position, name=name, unit=unit, codec=codec, samples=len(samples), data=data)
        )
    Channel.objects.bulk_create(channels)
    pull.chunks.all().delete()
    return len(table)


def read_raw(pull: Pull) -> dict[str, tuple[str, NDArray[np.float64]]]:
    """Each channel with its unit, as the stand sent it; `time` among them."""
    return {
        channel.name: (channel.unit, unpack(channel.codec, bytes(channel.data), channel.samples))
        for channel in pull.channels.all()
    }


def read_trace(pull: Pull) -> Trace:
    """The pull as a trace in SI, time from its first sample. Channels in units we do not know are left out."""
    raw = read_raw(pull)
    if TIME not in raw:
        raise NoSamples(f"{pull} holds no samples: it ended before the stand sent any.")
    time = raw.pop(TIME)[1]
    known = {name: (unit, samples) for name, (unit, samples) in raw.items() if is_known(unit)}
    values = np.empty((len(known), len(time)))
    for row, (unit, samples) in zip(values, known.values(), strict=True):
        rule = quantities.to_si_rule(unit)
        np.multiply(samples, rule.scale, out=row)
        row += rule.offset
    return Trace(time - time[0], tuple(known), values)


def is_known(unit: str) -> bool:
    return quantities.SPELLINGS.get(unit, unit) in quantities.UNITS
