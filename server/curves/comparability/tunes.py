"""Which tune stands for each setup of a programme, and the pulls that were made with another."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from datetime import datetime

from torvix_core.pull import tune_groups
from torvix_core.pull.comparability import ComparabilityCheck, ComparabilityWindow, Facts
from torvix_core.pull.tune_groups import TunedPull

from curves.models import StandingTune
from curves.reduction.correct import CorrectedPull
from engines.sheet import sheets
from programmes.models import MixturePolicy, Programme
from programmes.settings.service import at_full_throttle
from shop.models import Person
from shop.permissions import require_operator
from stand.models import Pull


def number(text: str) -> float | None:
    """The first number of a text; None where it begins with none."""
    found = re.match(r"[-+]?\d+(\.\d+)?", text.strip().replace(",", "."))
    return float(found[0]) if found else None


def retuned(
    programme: Programme, kept: Sequence[CorrectedPull], facts: Mapping[int, Facts],
    windows: Mapping[str, ComparabilityWindow],
) -> dict[int, ComparabilityCheck]:  # fmt: skip
    """Of each setup that was pulled with several tunes, the pulls without the one that stands for it."""
    of_setup: dict[int, list[CorrectedPull]] = {}
    for found in sorted(kept, key=lambda one: one.pull.number):
        of_setup.setdefault(found.pull.setup_id, []).append(found)
    several = [own for own in of_setup.values() if len({_settings(found.pull) for found in own}) > 1]
    if not several:
        return {}
    usual_target = sheets.value(programme.build, "mixture_target")
    chosen = set(StandingTune.objects.filter(setup__programme=programme).values_list("pull_id", flat=True))
    found_checks = {}
    for own in several:
        tuned = [
            TunedPull(
                facts[found.pull.pk], _score(programme, found),
                number(facts[found.pull.pk].configuration.get("mixture_target", "")) or usual_target,
                found.pull.pk in chosen,
            )
            for found in own
        ]  # fmt: skip
        stands = tuned[tune_groups.standing(tuned, tune_groups.StandingRule(programme.tune_rule))].facts
        for found, one in zip(own, tuned, strict=True):
            matched = programme.mixture_policy == MixturePolicy.MATCHED
            check = tune_groups.tune_check(stands, one.facts, matched, windows)
            if check is not None:
                found_checks[found.pull.pk] = check
    return found_checks


def _score(programme: Programme, found: CorrectedPull) -> float:
    """Mean corrected torque over what is compared, N·m; nought where the pull did not reach it."""
    inside = (found.speed_rpm >= programme.low_rpm - 1e-6) & (found.speed_rpm <= programme.high_rpm + 1e-6)
    return float(found.torque[inside].mean()) if inside.any() else 0.0


def _settings(pull: Pull) -> frozenset[tuple[str, str]]:
    return frozenset(at_full_throttle(pull.settings_in_force).items())


def choose_tune(person: Person, pull: Pull, at: datetime) -> StandingTune:
    """The tune of this pull stands for its setup, where the rule of the test is a chosen one."""
    require_operator(person)
    made, _ = StandingTune.objects.update_or_create(setup=pull.setup, defaults={"pull": pull, "by": person, "at": at})
    return made
