"""The stands screen: what there is, what each line says, and what the owner changes about it."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router, Status

from adapters import stand_map
from jobs.schemas import JobOut, job_out
from shop.models import Person, SimulatedEngine, Stand
from shop.permissions import person_of, require_owner
from stand.stands import conform_map, maps, measure_delays
from stand.stands import service as stands
from stand.stands.let_go import let_go
from stand.stands.schemas import (
    ConformIn,
    EngineChoice,
    MapChoices,
    MapIn,
    MapOut,
    MapText,
    SimulatedIn,
    StandIn,
    StandRow,
    StandsOut,
    TriedOut,
    TryIn,
    map_choices,
    stand_row,
    tried_out,
)
from stand.stands.try_line import try_line
from stand.stands.try_map import TriedMap, try_map

router = Router(tags=["stands"])
TRIED_S = 8.0  # of serial lines, while values are read; asked for again with each reading


def _owner(request: HttpRequest) -> Person:
    person = person_of(request)
    require_owner(person)
    return person


def _row(stand: Stand, person: Person) -> StandRow:
    return stand_row(stand, person, stands.is_used(stand))


@router.get("/stands", response=StandsOut, operation_id="stands")
def list_stands(request: HttpRequest) -> StandsOut:
    person = _owner(request)
    found = Stand.objects.select_related("link").order_by("-on_line", "name")
    used = stands.used_ones()
    return StandsOut(
        stands=[stand_row(stand, person, stand.pk in used) for stand in found],
        engines=[EngineChoice(value=value, label=label) for value, label in SimulatedEngine.choices],
    )


@router.post("/stands", response=StandRow, operation_id="add_stand")
def add_stand(request: HttpRequest, given: StandIn) -> StandRow:
    owner = _owner(request)
    return _row(stands.add(owner, given.facts(), timezone.now()), owner)


@router.post("/stands/simulated", response=StandRow, operation_id="add_simulated_stand")
def add_simulated_stand(request: HttpRequest, given: SimulatedIn) -> StandRow:
    owner = _owner(request)
    return _row(stands.add_simulated(owner, given.engine, timezone.now()), owner)


@router.post("/stands/try", response=TriedOut, operation_id="try_line")
def try_a_line(request: HttpRequest, given: TryIn) -> TriedOut:
    person = _owner(request)
    host, port = stands.address_to_try(given.host, given.port)
    return tried_out(try_line(host, port), person)


@router.get("/stands/map-choices", response=MapChoices, operation_id="map_choices")
def read_map_choices(request: HttpRequest) -> MapChoices:
    return map_choices(_owner(request))


@router.post("/stands/try-map", response=TriedMap, operation_id="try_map")
def try_a_map(request: HttpRequest, given: MapIn) -> TriedMap:
    """What each row reads now, and what else the sources have."""
    _owner(request)
    let_go(given.stand, TRIED_S)
    return try_map(given.map)


@router.post("/stands/measure-delays", response=JobOut, operation_id="measure_delays")
def measure_delays_of(request: HttpRequest, given: MapIn) -> JobOut:
    """By how much further sources lag behind that of the speed: a job of some twenty seconds."""
    return job_out(measure_delays.ask(_owner(request), given.map, timezone.now(), given.stand))


@router.post("/stands/conform-map", response=JobOut, operation_id="conform_map")
def conform_a_map(request: HttpRequest, given: ConformIn) -> JobOut:
    """The engine is swept and stopped by the map; what passes may take commands."""
    owner = _owner(request)
    stand = get_object_or_404(Stand, pk=given.stand) if given.stand else None
    return job_out(conform_map.ask(owner, stand, given.run(), timezone.now()))


@router.post("/stands/read-map", response=MapOut, operation_id="read_map")
def read_a_map(request: HttpRequest, given: MapText) -> MapOut:
    """A map that was saved as a file. Invalid says what is wrong where."""
    _owner(request)
    return MapOut(map=stand_map.plain(maps.read(given.toml)))


@router.post("/stands/write-map", response=MapText, operation_id="write_map")
def write_a_map(request: HttpRequest, given: MapIn) -> MapText:
    """As the file that ./torvix adapter reads."""
    _owner(request)
    return MapText(toml=stand_map.write(maps.checked(given.map)))


@router.put("/stands/{stand_id}", response=StandRow, operation_id="change_stand")
def change_stand(request: HttpRequest, stand_id: int, given: StandIn) -> StandRow:
    owner, stand = _owner(request), get_object_or_404(Stand, pk=stand_id)
    return _row(stands.change(owner, stand, given.facts(), timezone.now()), owner)


@router.post("/stands/{stand_id}/retire", response=StandRow, operation_id="retire_stand")
def retire_stand(request: HttpRequest, stand_id: int) -> StandRow:
    owner, stand = _owner(request), get_object_or_404(Stand, pk=stand_id)
    return _row(stands.retire(owner, stand, timezone.now()), owner)


@router.post("/stands/{stand_id}/bring-back", response=StandRow, operation_id="bring_back_stand")
def bring_back_stand(request: HttpRequest, stand_id: int) -> StandRow:
    owner, stand = _owner(request), get_object_or_404(Stand, pk=stand_id)
    return _row(stands.bring_back(owner, stand, timezone.now()), owner)


@router.delete("/stands/{stand_id}", response={204: None}, operation_id="delete_stand")
def delete_stand(request: HttpRequest, stand_id: int) -> Status[None]:
    owner, stand = _owner(request), get_object_or_404(Stand, pk=stand_id)
    stands.delete(owner, stand, timezone.now())
    return Status(204, None)
