"""How much of what is tried by chance a run tries: a short form every time, all of it with ./torvix test --long."""

from __future__ import annotations

import os

LONG = os.environ.get("TORVIX_LONG") == "1"
SHARE = 4  # the short form is one part of so many


def effort(most: int) -> int:
    """As many tries as this run makes of the `most` of a long one."""
    return most if LONG else -(-most // SHARE)
