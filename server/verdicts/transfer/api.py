"""A gain carried to another engine: labeled transferred, never ranked."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Query, Router, Schema
from torvix_core.beyond.transfer import Demand, EngineSize
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity

from engines.models import Build, Engine
from programmes.models import Programme
from shop.models import Person
from shop.permissions import is_person, units_of
from shop.refusals import Invalid
from verdicts.access import programme_of
from verdicts.comparison.aligned_pulls import compare
from verdicts.judging.schemas import ChoiceIn
from verdicts.transfer import messages
from verdicts.transfer.service import GainCurve, carry, gain_of, size_of

router = Router(tags=["transfer"])
DISPLACEMENT = (2e-5, 0.1)  # m³, what an engine can be at all


class TransferIn(ChoiceIn):
    """`one` and `other` are setups, the first the baseline where it is empty; the engine by its build, or typed."""

    one: int | None = None
    other: int | None = None
    build_id: int | None = None
    displacement: str = ""
    cylinders: int | None = None
    strokes: int = 4
    demand: str = ""
    by_port: bool = False


class GainOut(Schema):
    """A curve of a gain; `nature` is measured or transferred."""

    nature: str
    label: str
    speed_rpm: list[float]
    percent: list[float]
    low_percent: list[float]
    high_percent: list[float]


class OtherEngine(Schema):
    """An engine of the shop that a gain can be carried to, by its newest revision."""

    build_id: int
    label: str


class TransferOut(Schema):
    """`gains`: of this test first; then the other engine's, measured where it was, else transferred.

    The second is missing while no engine is chosen.
    """

    one_id: int
    other_id: int
    gains: list[GainOut]
    sentence: str
    rule: str
    spread: str
    demand: str
    demands: dict[str, str]
    reminders: list[str]
    engines: list[OtherEngine]


@router.get("/programmes/{programme_id}/transfer", response=TransferOut, operation_id="transfer")
def read_transfer(request: HttpRequest, programme_id: int, given: Query[TransferIn]) -> TransferOut:
    """What a setup gained over another, on an engine of another size. It is a band by a rule, and no measurement."""
    assert is_person(request.user)
    person, programme = request.user, programme_of(request.user, programme_id)
    choice, units = given.read(programme), units_of(request.user)
    compared = compare(programme, choice.standard, choice.counting)
    setups = {setup.pk: setup for setup in programme.setups.prefetch_related("parts", "settings")}
    ran = [setup.pk for setup in compared.setups]
    one = given.one if given.one is not None else ran[compared.baseline]
    other = given.other if given.other is not None else next((pk for pk in ran if pk != one), 0)
    if one not in setups or other not in setups:
        raise Invalid("Choose two setups of this test.", fields={"other": "choose a setup that was run"})
    target = _target(person, given)
    demands = {str(key): text for key, text in messages.DEMANDS.items()}
    own = gain_of(compared, choice, setups[one], setups[other])
    plain = TransferOut(
        one_id=one, other_id=other, gains=[_gain("measured", "This engine", own)],
        sentence="", rule="", spread="", demand="", demands=demands, reminders=[], engines=_engines(person, programme),
    )  # fmt: skip
    if target is None and not given.displacement.strip():
        return plain
    after = _size(given, target, units)
    found = carry(person, compared, choice, setups[one], setups[other], after, target, _demand(given), given.by_port)
    if found.there is not None:
        beside = _gain("measured", str(found.there.programme.build.engine), found.there)
    else:
        moved = found.carried
        beside = _curve(
            "transferred", str(target.engine) if target else "The other engine", moved.speed_rpm, moved.change,
            moved.low, moved.high,
        )  # fmt: skip
    return plain.model_copy(update={
        "gains": [*plain.gains, beside], "sentence": messages.sentence(found), "rule": messages.rule(found),
        "spread": messages.spread(found), "demand": str(found.demand), "reminders": messages.reminders(found),
    })  # fmt: skip


def _target(person: Person, given: TransferIn) -> Build | None:
    if given.build_id is None:
        return None
    seen = Build.objects.filter(engine__in=Engine.objects.visible_to(person)).select_related("engine")
    return get_object_or_404(seen.prefetch_related("readings"), pk=given.build_id)


def _size(given: TransferIn, target: Build | None, units: Mapping[str, str]) -> EngineSize:
    """Of the chosen engine, or as typed. Invalid names the field."""
    if target is not None:
        found = size_of(target, given.by_port)
        if found is None:
            missing = "its build sheet has no bore, stroke or cylinders"
            raise Invalid(f"The size of that engine is not known: {missing}.", fields={"build_id": missing})
        return found
    wrong: dict[str, str] = {}
    volume = 0.0
    try:
        volume = read_quantity(given.displacement, "volume", units["displacement"], *DISPLACEMENT).value
    except NotUnderstood as reason:
        wrong["displacement"] = (
            str(reason) if given.displacement.strip() else "choose an engine, or type its displacement"
        )
    if given.cylinders is None or not 1 <= given.cylinders <= 24:
        wrong["cylinders"] = "type 1 to 24"
    if given.strokes not in (2, 4):
        wrong["strokes"] = "2 or 4"
    if wrong:
        raise Invalid("Which engine? See the fields.", fields=wrong)
    assert given.cylinders is not None
    return EngineSize(volume, given.cylinders, given.strokes)


def _demand(given: TransferIn) -> Demand | None:
    if not given.demand:
        return None
    try:
        return Demand(given.demand)
    except ValueError as error:
        raise Invalid("There is no such rule.", fields={"demand": f"one of {', '.join(Demand)}"}) from error


def _gain(nature: str, label: str, gain: GainCurve) -> GainOut:
    return _curve(nature, label, gain.speed_rpm, gain.change, gain.low, gain.high)


def _curve(nature: str, label: str, speed: object, change: object, low: object, high: object) -> GainOut:
    shares = [(np.asarray(each, dtype=np.float64) * 100).tolist() for each in (change, low, high)]
    return GainOut(
        nature=nature, label=label, speed_rpm=np.asarray(speed, dtype=np.float64).tolist(), percent=shares[0],
        low_percent=shares[1], high_percent=shares[2],
    )  # fmt: skip


def _engines(person: Person, programme: Programme) -> list[OtherEngine]:
    newest: dict[int, Build] = {}
    seen = Build.objects.filter(engine__in=Engine.objects.visible_to(person)).exclude(engine=programme.build.engine_id)
    for build in seen.select_related("engine").order_by("engine__name", "revision"):
        newest[build.engine_id] = build
    return [OtherEngine(build_id=build.pk, label=str(build.engine)) for build in newest.values()]
