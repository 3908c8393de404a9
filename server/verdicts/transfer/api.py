"""A gain carried to another engine: labeled transferred, never ranked."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Query, Router, Status
from torvix_core.beyond.transfer import Demand, EngineSize
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity

from curves.reduction.nature import Nature
from engines.models import Build, Engine
from programmes.models import Programme, Setup
from shop.models import Person
from shop.permissions import person_of, require_operator, units_of
from shop.refusals import Invalid
from shop.schema import Schema
from verdicts.access import programme_of
from verdicts.comparison.aligned_pulls import compare
from verdicts.estimates import service as estimates
from verdicts.estimates.gains import GainCurve, gain_of
from verdicts.estimates.schemas import EstimateOut, GainOut, estimate_out, estimated_out, gain_out
from verdicts.estimates.service import GainOver
from verdicts.judging.choice import Choice
from verdicts.judging.schemas import ChoiceIn
from verdicts.transfer import messages
from verdicts.transfer.service import Transfer, carry, size_of

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
    person = person_of(request)
    read = _read(person, programme_id, given)
    plain = TransferOut(
        one_id=read.one.pk, other_id=read.other.pk, gains=[gain_out("This engine", read.own, read.other.pk)],
        sentence="", rule="", spread="", demand="", reminders=[],
        demands={str(key): text for key, text in messages.DEMANDS.items()}, engines=_engines(person, read.programme),
    )  # fmt: skip
    found = read.found
    if found is None:
        return plain
    if found.there is not None:
        beside = gain_out(str(found.there.programme.build.engine), found.there)
    else:
        moved = found.carried
        label = _engine_label(read)
        beside = estimated_out(Nature.TRANSFERRED, label, moved.speed_rpm, moved.change, moved.low, moved.high)
    return plain.model_copy(update={
        "gains": [*plain.gains, beside], "sentence": messages.sentence(found), "rule": messages.rule(found),
        "spread": messages.spread(found), "demand": str(found.demand), "reminders": messages.reminders(found),
    })  # fmt: skip


@router.post("/programmes/{programme_id}/transfer", response={201: EstimateOut}, operation_id="keep_transfer")
def keep_transfer(request: HttpRequest, programme_id: int, given: TransferIn) -> Status[EstimateOut]:
    """Keep the carried gain as it stands, with its rule; a later test on that engine is held against it."""
    person = person_of(request)
    require_operator(person)
    read = _read(person, programme_id, given)
    found = read.found
    if found is None or found.there is not None:
        why = "no engine is chosen" if found is None else "it was measured there"
        raise Invalid(f"Nothing is transferred: {why}.", fields={"build_id": why})
    moved = found.carried
    held = estimates.keep(
        person, read.programme, Nature.TRANSFERRED, read.choice.standard, messages.sentence(found),
        {"asked": given.model_dump(exclude_defaults=True), "basis": [
            f"Carried to {_engine_label(read)}.", messages.rule(found), messages.spread(found)]},
        moved.speed_rpm, [GainOver(read.one, moved.change, moved.low, moved.high)], timezone.now(), setup=read.other,
        build=read.target,
    )  # fmt: skip
    return Status(201, estimate_out(person, held))


@dataclass(frozen=True)
class _Read:
    """What was asked, read; `found` is None while no engine is chosen."""

    programme: Programme
    choice: Choice
    one: Setup
    other: Setup
    own: GainCurve
    target: Build | None
    found: Transfer | None


def _read(person: Person, programme_id: int, given: TransferIn) -> _Read:
    programme = programme_of(person, programme_id)
    choice, units = given.read(programme), units_of(person)
    compared = compare(programme, choice.standard, choice.counting)
    setups = {setup.pk: setup for setup in programme.setups.prefetch_related("parts", "settings")}
    ran = [setup.pk for setup in compared.setups]
    one = given.one if given.one is not None else ran[compared.baseline]
    other = given.other if given.other is not None else next((pk for pk in ran if pk != one), 0)
    if one not in setups or other not in setups:
        raise Invalid("Choose two setups of this test.", fields={"other": "choose a setup that was run"})
    target = _target(person, given)
    own = gain_of(compared, choice, setups[one], setups[other])
    found = None
    if target is not None or given.displacement.strip():
        after, demand = _size(given, target, units), _demand(given)
        found = carry(person, compared, choice, setups[one], setups[other], after, target, demand, given.by_port)
    return _Read(programme, choice, setups[one], setups[other], own, target, found)


def _engine_label(read: _Read) -> str:
    return str(read.target.engine) if read.target else "The other engine"


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


def _engines(person: Person, programme: Programme) -> list[OtherEngine]:
    newest: dict[int, Build] = {}
    seen = Build.objects.filter(engine__in=Engine.objects.visible_to(person)).exclude(engine=programme.build.engine_id)
    for build in seen.select_related("engine").order_by("engine__name", "revision"):
        newest[build.engine_id] = build
    return [OtherEngine(build_id=build.pk, label=str(build.engine)) for build in newest.values()]
