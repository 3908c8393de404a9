"""Raw samples in the database: chunks while a pull runs, packed channels once it has ended, a trace when asked."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from django.db import transaction
from numpy.typing import NDArray
from torvix_core.pull.trace import Trace

from stand.models import Channel, Chunk, Pull
from stand.pulls.codec import pack, unpack
from stand.pulls.raw_channels import TIME, trace_of


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
    return trace_of(read_raw(pull), str(pull))
