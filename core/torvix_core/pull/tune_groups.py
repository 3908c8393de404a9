"""Pulls of one setup by their tune: which tune stands for the setup, and which pulls were not made with it."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from torvix_core.engine.settings import MIXTURE_ITEMS
from torvix_core.pull.comparability import (
    WINDOWS,
    ComparabilityCheck,
    ComparabilityLevel,
    ComparabilityWindow,
    Facts,
    differing_keys,
    level_of,
    nine_of_ten,
    worst,
)
from torvix_core.pull.curve import shared_bins

# What is judged by what the stand measured, whatever it was set to.
MEASURED = frozenset({"mixture_target", "boost_target"})
NEAR_TARGET = 0.03  # of lambda, mean over the range compared: the mixture is matched [prac]


class StandingRule(StrEnum):
    """Which tune of a setup stands for it where it was pulled with several."""

    LAST_MATCHED = "last_matched"
    BEST = "best"
    DELIVERED = "delivered"
    CHOSEN = "chosen"


@dataclass(frozen=True)
class TunedPull:
    """A pull of the setup: what decides which tune stands. `target` is of lambda; None where nobody said one."""

    facts: Facts
    score: float
    target: float | None = None
    chosen: bool = False

    @property
    def tune(self) -> Hashable:
        return tuple(sorted((key, text) for key, text in self.facts.configuration.items() if key not in MEASURED))

    @property
    def is_matched(self) -> bool:
        """Whether its mixture was at the target; True where that cannot be said."""
        read = self.facts.means.get("lambda")
        if self.target is None or read is None or not np.isfinite(read).any():
            return True
        return abs(float(np.nanmean(read)) - self.target) <= NEAR_TARGET


def standing(pulls: Sequence[TunedPull], rule: StandingRule) -> int:
    """The place of the last pull that was made with the tune that stands.

    Shapes: the pulls of one setup in order of time, at least one.
    Units:  none.
    Errors: ValueError without a pull.
    Source: rules of the trade [prac]: tuned first and compared as it was left; or at its best; or as it came.
    >>> facts = Facts(np.ones(1), np.ones(1), {}, 1, 1)
    >>> from dataclasses import replace
    >>> at = [replace(facts, configuration={"spark": spark}, planned={"spark": "33"}) for spark in ("33", "38", "28")]
    >>> pulls = [TunedPull(one, score) for one, score in zip(at, (100.0, 102.0, 98.0))]
    >>> [standing(pulls, rule) for rule in (StandingRule.LAST_MATCHED, StandingRule.BEST, StandingRule.DELIVERED)]
    [2, 1, 0]
    """
    if not pulls:
        raise ValueError("a setup without a pull has no tune that stands")
    groups: dict[Hashable, list[int]] = {}
    for place, pull in enumerate(pulls):
        groups.setdefault(pull.tune, []).append(place)
    if rule is StandingRule.BEST:
        return max(groups.values(), key=lambda places: np.mean([pulls[place].score for place in places]))[-1]
    if rule is StandingRule.DELIVERED:
        return next((places[-1] for places in groups.values() if _as_delivered(pulls[places[0]].facts)),
                    groups[pulls[0].tune][-1])  # fmt: skip
    if rule is StandingRule.CHOSEN:
        chosen = next((pull.tune for pull in reversed(pulls) if pull.chosen), None)
        if chosen is not None:
            return groups[chosen][-1]
    return max((place for place, pull in enumerate(pulls) if pull.is_matched), default=len(pulls) - 1)


def _as_delivered(facts: Facts) -> bool:
    """Whether a pull had what the plan says; what it does not name is not asked for."""
    planned = facts.planned or {}
    return all(facts.configuration.get(key) == text for key, text in planned.items() if key not in MEASURED)


def tune_check(
    stands: Facts, pull: Facts, mixture_decides: bool, windows: Mapping[str, ComparabilityWindow] | None = None
) -> ComparabilityCheck | None:
    """A pull against one of the same setup that was made with the tune that stands for it; None where they are alike.

    Shapes: two pulls of one setup; `found` is the difference of spark where that alone differs.
    Units:  degrees. `mixture_decides`: jets may differ where the mixture they gave does not.
    Errors: none.
    Source: windows of spark and mixture [prac]; another fuel or another part of the tune has none.
    >>> facts = Facts(np.ones(1), np.ones(1), {}, 1, 1, spark=33.0, configuration={"spark": "33"})
    >>> from dataclasses import replace
    >>> later = replace(facts, spark=38.0, configuration={"spark": "38"})
    >>> tune_check(facts, later, True).level.value, tune_check(facts, facts, True)
    ('block', None)
    """
    windows = {**WINDOWS, **(windows or {})}
    keys = [key for key in differing_keys(stands.configuration, pull.configuration) if key not in MEASURED]
    if not keys:
        return None
    window = windows["spark"] if keys == ["spark"] else None
    found, levels = None, []
    for key in keys:
        if not (stands.configuration.get(key) and pull.configuration.get(key)):
            levels.append(ComparabilityLevel.UNKNOWN)  # not written down is not another tune
        elif key == "spark" and stands.spark is not None and pull.spark is not None:
            found = pull.spark - stands.spark
            levels.append(level_of(found, windows["spark"]))
        elif key in MIXTURE_ITEMS and mixture_decides:
            levels.append(_level_of_mixture(stands, pull, windows["mixture"]))
        else:
            levels.append(ComparabilityLevel.BLOCK)
    level = worst([ComparabilityCheck("tune", each) for each in levels])
    changes = tuple((key, pull.configuration.get(key, ""), stands.configuration.get(key, "")) for key in keys)
    return ComparabilityCheck("tune", level, found if window else None, window, changes=changes)


def _level_of_mixture(stands: Facts, pull: Facts, window: ComparabilityWindow) -> ComparabilityLevel:
    """By the lambda that both gave; without it nobody knows whether other jets made another mixture."""
    if "lambda" not in stands.means or "lambda" not in pull.means:
        return ComparabilityLevel.BLOCK
    _, ours, theirs = shared_bins(stands.speed_rpm, pull.speed_rpm)
    away = pull.means["lambda"][theirs] - stands.means["lambda"][ours]
    away = away[np.isfinite(away)]
    if not len(away):
        return ComparabilityLevel.BLOCK
    return level_of(nine_of_ten(away), window)
