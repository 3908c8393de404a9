"""Refuse bad arguments by name, so that a wrong number stops where it came in."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]


def finite(name: str, values: ArrayLike) -> Array:
    """The argument as float64, refused unless every value is finite.

    Shapes: any; the result has the shape of `values`.
    Units:  any.
    Errors: ValueError naming the argument.
    Source: house rule, no NaN in or out of the core.
    >>> finite("bore", 0.09).item()
    0.09
    """
    array = np.asarray(values, dtype=np.float64)
    if not np.isfinite(array).all():
        raise ValueError(f"{name} must be a finite number")
    return array


def positive(name: str, values: ArrayLike) -> Array:
    """The argument as float64, refused unless every value is finite and above zero.

    Shapes: any; the result has the shape of `values`.
    Units:  any.
    Errors: ValueError naming the argument.
    Source: house rule.
    >>> positive("stroke", 0.08).item()
    0.08
    """
    array = finite(name, values)
    if not (array > 0).all():
        raise ValueError(f"{name} must be above zero")
    return array


def same_length(**arrays: Array) -> None:
    """Refuse one-dimensional arguments that do not have one common length.

    Shapes: each (n,).
    Units:  any.
    Errors: ValueError naming the arguments and their lengths.
    Source: house rule.
    >>> same_length(speed_rpm=np.zeros(3), torque=np.ones(3))
    """
    if any(array.ndim != 1 for array in arrays.values()) or len({len(array) for array in arrays.values()}) > 1:
        message = ", ".join(f"{name} {array.shape}" for name, array in arrays.items())
        raise ValueError(f"these must be one-dimensional and of one length: {message}")
