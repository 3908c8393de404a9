"""Samples to bytes and back, to the last bit.

Sensors send few digits, so most channels are whole numbers once multiplied by a power of ten: those are kept as
differences of whole numbers, byte planes side by side, compressed. A channel that does not come back bit for bit
that way is kept as float64.
"""

from __future__ import annotations

from functools import cache

import numpy as np
import zstandard
from numpy.typing import NDArray

MOST_DECIMALS = 6
FLOAT64 = "f8"
LEVEL = 3

Array = NDArray[np.float64]


class DamagedSamples(ValueError):
    """Stored bytes do not hold the samples they should."""


@cache
def _compressor() -> zstandard.ZstdCompressor:
    return zstandard.ZstdCompressor(level=LEVEL, write_content_size=True, write_checksum=True)


@cache
def _decompressor() -> zstandard.ZstdDecompressor:
    return zstandard.ZstdDecompressor()


def pack(samples: Array) -> tuple[str, bytes]:
    """Codec name and bytes of one channel.

    The name is `f8`, or for instance `d2.i2`: two decimals, differences of 2 bytes; the first value leads as 8 bytes.
    """
    samples = np.ascontiguousarray(samples, dtype=np.float64)
    for decimals in range(MOST_DECIMALS + 1):
        whole = _whole(samples, decimals)
        if whole is None:
            continue
        steps = np.diff(whole)
        size = next(size for size in (1, 2, 4, 8) if not len(steps) or _fits(steps, size))
        planes = steps.astype(f"<i{size}").view(np.uint8).reshape(len(steps), size).T
        raw = whole[:1].astype("<i8").tobytes() + np.ascontiguousarray(planes).tobytes()
        return f"d{decimals}.i{size}", _compressor().compress(raw)
    planes = samples.astype("<f8").view(np.uint8).reshape(len(samples), 8).T
    return FLOAT64, _compressor().compress(np.ascontiguousarray(planes).tobytes())


def unpack(codec: str, data: bytes, samples: int) -> Array:
    """The samples that `pack` was given, bit for bit. DamagedSamples if the bytes do not hold that many."""
    try:
        raw = _decompressor().decompress(data)
    except zstandard.ZstdError as error:
        raise DamagedSamples(f"the stored samples cannot be read: {error}") from error
    if codec == FLOAT64:
        _expect(len(raw), samples * 8)
        planes = np.frombuffer(raw, np.uint8).reshape(8, samples)
        return np.ascontiguousarray(planes.T).view("<f8").ravel()
    decimals, size = int(codec[1 : codec.index(".")]), int(codec[-1])
    if samples == 0:
        return np.empty(0)
    _expect(len(raw), 8 + (samples - 1) * size)
    whole = np.empty(samples, dtype=np.int64)
    whole[0] = np.frombuffer(raw, "<i8", 1)[0]
    planes = np.frombuffer(raw, np.uint8, offset=8).reshape(size, samples - 1)
    whole[1:] = np.ascontiguousarray(planes.T).view(f"<i{size}").ravel()
    np.cumsum(whole, out=whole)
    return whole / 10.0**decimals


def _expect(found: int, wanted: int) -> None:
    if found != wanted:
        raise DamagedSamples(f"the stored samples are {found} bytes where {wanted} belong")


def _whole(samples: Array, decimals: int) -> NDArray[np.int64] | None:
    """The samples as whole numbers of 10**-decimals, or None unless they come back bit for bit."""
    with np.errstate(over="ignore", invalid="ignore"):  # what overflows is refused just below
        scaled = np.round(samples * 10.0**decimals)
    if not (np.abs(scaled) < 2.0**53).all():  # also false where a sample is missing
        return None
    whole = scaled.astype(np.int64)
    # Bit for bit: -0.0 equals 0.0 but is not the same sample.
    return whole if ((whole / 10.0**decimals).view(np.int64) == samples.view(np.int64)).all() else None


def _fits(steps: NDArray[np.int64], size: int) -> bool:
    limits = np.iinfo(f"i{size}")
    return bool(steps.min() >= limits.min and steps.max() <= limits.max)
