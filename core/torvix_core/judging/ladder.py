"""A stepwise build: what each step gained over the one before it, and all of them together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from torvix_core.judging.difference import SMALLEST_DIFFERENCE, Difference
from torvix_core.judging.effects import Effects


@dataclass(frozen=True)
class Rung:
    """One step: the setup, the one that it builds on, its gain over that and over the first; None where not linked.

    `smaller` is True where the step gained less than the one before it, beyond doubt: what is left to gain shrinks.
    """

    setup: int
    before: int
    gain: Difference | None
    cumulative: Difference | None
    smaller: bool = False


def climb(
    effects: Effects, steps: Sequence[tuple[int, int]], base: int, smallest: float = SMALLEST_DIFFERENCE
) -> tuple[Rung, ...]:
    """The rungs of a build, in order.

    Shapes: effects of (setups,); steps (n,) of (setup, the one it builds on).
    Units:  shares.
    Errors: none.
    Source: differences of `effects`; a step shrinks where the gains differ beyond their interval.
    >>> import numpy as np
    >>> from torvix_core.judging.effects import fit
    >>> from torvix_core.judging.design_matrix import Layout
    >>> effects = fit(np.array([100.0, 100.1, 105, 105.1, 106, 106.1]), Layout.of([0, 0, 1, 1, 2, 2]))
    >>> [round(float(rung.gain.change), 3) for rung in climb(effects, [(1, 0), (2, 1)], 0)]
    [0.049, 0.009]
    """
    rungs: list[Rung] = []
    for setup, before in steps:
        linked = effects.linked(setup, before)
        smaller = bool(
            rungs and rungs[-1].gain is not None and linked and rungs[-1].setup == before
            and _gained_less(effects, rungs[-1], setup, smallest)
        )  # fmt: skip
        rungs.append(
            Rung(
                setup,
                before,
                effects.difference(setup, before) if linked else None,
                effects.difference(setup, base) if effects.linked(setup, base) else None,
                smaller,
            )
        )
    return tuple(rungs)


def _gained_less(effects: Effects, last: Rung, setup: int, smallest: float) -> bool:
    shares = [0.0] * len(effects.log_mean)
    # This step less the one before it: (setup - middle) - (middle - before).
    for place, share in ((setup, 1.0), (last.setup, -2.0), (last.before, 1.0)):
        shares[place] += share
    _, _, high = effects.contrast(np.array(shares))
    return bool(high < -smallest)
