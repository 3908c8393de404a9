"""The accepted pulls of a programme laid over each other: on common bins, under one standard."""

from __future__ import annotations

from collections import Counter, OrderedDict
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property
from threading import Lock

import numpy as np
from django.db import connection
from numpy.typing import NDArray
from torvix_core.air.standards import Standard
from torvix_core.engine import geometry
from torvix_core.judging import representative_pull
from torvix_core.judging.design_matrix import Layout
from torvix_core.judging.effects import Effects, History, NotEnoughPulls, fit
from torvix_core.judging.lead_strip import Crossover, Lead, fit_curves, lead_crossovers, lead_strip
from torvix_core.judging.representative_pull import School
from torvix_core.pull.comparability import ComparabilityLevel
from torvix_core.pull.curve import shared_grid
from torvix_core.units.checked import Array

from curves.comparability import pull_screening
from curves.reduction.correct import CorrectedPull, corrected, pulls_of
from curves.reduction.nature import WORDS, Nature, nature_of
from programmes.models import Programme, Setup
from shop.refusals import Refusal
from stand.models import Pull, PullState, Purpose, Standing
from verdicts.comparison import caveats
from verdicts.comparison.revisions import revision_of
from verdicts.prior import known_scatter

MOST_KEPT = 24  # comparisons that a process keeps, a few MB each
NOT_RUN = (Nature.SIMULATED, Nature.FIGURES)  # on no engine of ours, the less sure first


class NothingKept(Refusal):
    """There is no accepted pull to compare."""

    code = "nothing_kept"


class Counting(StrEnum):
    """Which pulls are compared; the two classes are never mixed."""

    KEPT = "kept"
    FIRST = "first"


COUNTINGS = {Counting.KEPT: "Accepted pulls", Counting.FIRST: "First pulls after a change"}


@dataclass(frozen=True)
class Comparison:
    """The accepted pulls of a programme on their common bins. Setups without a kept pull are not in it.

    torque and power are (pulls, bins), N·m and W; `layout` says which pull is of which setup and session, and how many
    pulls the session had seen before it.
    """

    programme: Programme
    standard: Standard
    setups: Sequence[Setup]
    kept: Sequence[CorrectedPull]
    layout: Layout
    history: History
    speed_rpm: Array
    torque: Array
    power: Array
    notes: Sequence[str]
    counting: Counting = Counting.KEPT

    @property
    def setup_of(self) -> NDArray[np.int_]:
        return self.layout.setup

    @property
    def baseline(self) -> int:
        """Index of the baseline, or of the first setup while the baseline has no accepted pull."""
        return next((index for index, setup in enumerate(self.setups) if setup.is_baseline), 0)

    @cached_property
    def _fits(self) -> _Fits:
        return _Fits(self.torque, self.layout, self.history)

    @property
    def overall(self) -> Effects:
        """Average torque over all common bins. NotEnoughPulls as `fit`."""
        return self._fits.overall

    def beside(self, programme: Programme) -> Comparison:
        """The same pulls with the caller's own rows of the test and of its setups; what was fitted stays."""
        setups = {setup.pk: setup for setup in programme.setups.all()}
        found = replace(self, programme=programme, setups=[setups[setup.pk] for setup in self.setups])
        vars(found)["_fits"] = self._fits
        return found

    def curves(self, school: School = School.MEAN) -> Effects | None:
        """What the setups' torque curves are worth, bin by bin; None where nothing tells scatter."""
        try:
            return representative_pull.stand_for(self._fits.every_pull, school, self.overall)
        except NotEnoughPulls:
            return None

    def made_of(self, setup: int) -> str:
        """In words, what of a setup's pulls is not recorded from an engine; empty if all of it is."""
        return " and ".join(WORDS[nature] for nature in NOT_RUN if nature in self._natures(setup))

    def nature_of(self, *setups: int) -> Nature:
        """What a curve over the pulls of some setups is made of: measured only if all of it is."""
        natures = {nature for setup in setups for nature in self._natures(setup)}
        return next((nature for nature in NOT_RUN if nature in natures), Nature.MEASURED)

    def _natures(self, setup: int) -> set[Nature]:
        return {nature_of(one.pull) for row, one in enumerate(self.kept) if self.setup_of[row] == setup}

    def power_of(self, torque: Array) -> Array:
        """W of torque curves on the common bins."""
        return geometry.power(torque, self.speed_rpm)

    def means(self, curves: Array) -> Array:
        """Plain means of the setups (setups, bins), where there are no effects."""
        return np.stack([curves[self.setup_of == index].mean(axis=0) for index in range(len(self.setups))])


@dataclass(frozen=True)
class _Fits:
    """What is fitted to the pulls of a comparison, once."""

    torque: Array
    layout: Layout
    history: History

    @cached_property
    def overall(self) -> Effects:
        return fit(self.torque.mean(axis=1), self.layout, self.history)

    @cached_property
    def every_pull(self) -> Effects:
        return fit_curves(self.torque, self.layout, self.history)


_kept: OrderedDict[tuple[object, ...], Comparison] = OrderedDict()
_turning = Lock()


def compare(programme: Programme, standard: Standard, counting: Counting = Counting.KEPT) -> Comparison:
    """Lay the pulls of a programme that count over each other under one standard.

    This process keeps the newest comparisons, each for the revision of the test that it was made of.
    """
    key = connection.settings_dict["NAME"], programme.pk, standard, counting, revision_of(programme.pk)
    with _turning:
        found = _kept.get(key)
        if found is not None:
            _kept.move_to_end(key)
    if found is None:
        found = _lay_over(programme, standard, counting)
        with _turning:
            _kept[key] = found
            while len(_kept) > MOST_KEPT:
                _kept.popitem(last=False)
    return found.beside(programme)


def forget() -> None:
    """Drop what this process keeps: the next comparison reads its pulls."""
    with _turning:
        _kept.clear()


def _lay_over(programme: Programme, standard: Standard, counting: Counting) -> Comparison:
    pulls = pulls_of(programme)
    kept, notes = [], []
    for pull in pulls:
        if _counts(pull, counting):
            try:
                kept.append(corrected(pull, standard))
            except Refusal as refusal:
                notes.append(str(refusal))
    if not kept:
        raise NothingKept(notes[0] if notes else _nothing(pulls, counting))
    judged = pull_screening.judge(programme, kept, first_pulls=counting is Counting.FIRST)
    blocked = [
        one for one in judged.values() if one.level is ComparabilityLevel.BLOCK and not _of_another_day_alone(one)
    ]
    notes += [*caveats.tunes(judged.values(), programme), *caveats.not_comparable(blocked)]
    kept = [found for found in kept if judged[found.pull.pk].counts or _of_another_day_alone(judged[found.pull.pk])]
    speed, torque = shared_grid([found.speed_rpm for found in kept], [found.torque for found in kept])
    if len(speed) < 3:
        raise NothingKept(
            "The accepted pulls share fewer than three bins of speed, so they cannot be compared. Exclude the pull "
            "that was run over other speeds, or pull it again over the range of the plan."
        )
    _, power = shared_grid([found.speed_rpm for found in kept], [found.power for found in kept])
    present = {found.pull.setup_id for found in kept}
    setups = [setup for setup in programme.setups.all() if setup.pk in present]
    return Comparison(
        programme, standard, setups, kept, _layout(pulls, kept, setups), known_scatter.history_of(programme),
        speed, torque, power,
        [*notes, *caveats.notes(pulls, kept, programme, setups, standard)], counting,
    )  # fmt: skip


def _counts(pull: Pull, counting: Counting) -> bool:
    """Among first pulls also one that was left out for being one, and by nobody."""
    if counting is Counting.KEPT:
        return pull.standing == Standing.ACCEPTED
    by_itself = pull.standing == Standing.EXCLUDED and pull.judged_by_id is None and pull.purpose == Purpose.WARM_UP
    return pull.first_after_change and (pull.standing == Standing.ACCEPTED or by_itself)


def _of_another_day_alone(judged: pull_screening.ScreenedPull) -> bool:
    """Nothing but the day stands against it: it is shown, and its setup compared with those it is linked to."""
    return {check.key for check in judged.checks if check.level is ComparabilityLevel.BLOCK} == {"session"}


def _nothing(pulls: Sequence[Pull], counting: Counting) -> str:
    if counting is Counting.FIRST:
        return "No first pull after a change is there to be compared. Compare the accepted pulls."
    if pulls and all(pull.standing == Standing.EXCLUDED for pull in pulls):
        return "Every pull is excluded. Include one again in the log, or make another at the stand."
    return "No pull is accepted yet. Make a pull at the stand, and accept it."


def _layout(pulls: Sequence[Pull], kept: Sequence[CorrectedPull], setups: Sequence[Setup]) -> Layout:
    """Setup and session of each kept pull, and how many pulls ran in its session before it, counted or not."""
    ran: Counter[int] = Counter()
    place = {}
    for pull in pulls:
        if pull.state in (PullState.COMPLETE, PullState.ABORTED, PullState.INCOMPLETE):
            place[pull.pk] = ran[pull.session_id]
            ran[pull.session_id] += 1
    index = {setup.pk: number for number, setup in enumerate(setups)}
    sessions = {pk: number for number, pk in enumerate(dict.fromkeys(found.pull.session_id for found in kept))}
    return Layout(
        np.array([index[found.pull.setup_id] for found in kept]),
        np.array([sessions[found.pull.session_id] for found in kept]),
        np.array([place.get(found.pull.pk, 0) for found in kept], dtype=np.float64),
    )


def strip(
    comparison: Comparison, effects: Effects | None, out: Collection[int] = ()
) -> tuple[tuple[Lead, ...], tuple[Crossover, ...]]:
    """Who leads where, of those that may be chosen, and where any of them overtakes another; empty while scatter is not
    known or there is nothing to compare."""
    among = [place for place in range(len(comparison.setups)) if place not in out]
    if effects is None or len(among) < 2:
        return (), ()
    smallest = comparison.programme.smallest_difference
    return (
        lead_strip(comparison.speed_rpm, effects, smallest, among),
        lead_crossovers(comparison.speed_rpm, effects, smallest, among),
    )
