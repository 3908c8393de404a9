"""The log of pulls with their figures, and single curves."""

from __future__ import annotations

from torvix_core.air.standards import Standard

from programmes.models import Programme
from shop.refusals import Invalid


def standard_asked(programme: Programme, asked: str) -> Standard:
    """The standard to look at: the one asked for, else the programme's."""
    from programmes.models import STANDARDS

    try:
        standard = Standard(asked or programme.standard)
        if standard not in STANDARDS:
            raise ValueError
    except ValueError as error:
        raise Invalid(f"There is no standard {asked!r}.", fields={"standard": ", ".join(STANDARDS)}) from error
    return standard
