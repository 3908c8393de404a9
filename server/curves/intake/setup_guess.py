"""Which setup a file is of, guessed from its name."""

from __future__ import annotations

import re
from collections.abc import Sequence

from programmes.models import Setup


def guess_setup(name: str, setups: Sequence[Setup]) -> int | None:
    """The setup whose name, or whose letter as a word of its own, stands in the file's name."""
    plain = re.sub(r"[^a-z0-9]+", " ", name.rsplit(".", 1)[0].lower())
    named = [setup for setup in setups if re.sub(r"[^a-z0-9]+", " ", setup.name.lower()).strip() in plain]
    if named:
        return max(named, key=lambda setup: len(setup.name)).pk
    words = plain.split()
    lettered = [setup for setup in setups if setup.letter.lower() in words]
    if len(lettered) == 1:
        return lettered[0].pk
    return setups[0].pk if len(setups) == 1 else None
