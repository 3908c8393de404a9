"""Under which standard a reader looks at curves."""

from __future__ import annotations

from torvix_core.air.standards import Standard

from programmes.models import STANDARDS, Programme
from shop.refusals import Invalid


def standard_asked(programme: Programme, asked: str) -> Standard:
    """The standard to look at: the one asked for, else the programme's."""
    return read_standard(asked or programme.standard)


def read_standard(name: str) -> Standard:
    """Invalid names those that there are."""
    try:
        standard = Standard(name)
        if standard not in STANDARDS:
            raise ValueError
    except ValueError as error:
        raise Invalid(f"There is no standard {name!r}.", fields={"standard": ", ".join(STANDARDS)}) from error
    return standard
